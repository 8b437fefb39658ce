// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/file_system.h"

namespace zt {

namespace {
// Fibonacci hashing: the high half of the product depends on all bits below.
constexpr std::uint64_t golden = 0x9E3779B97F4A7C15ull, itsInverse = 0xF1DE83E19937733Dull;
static_assert(golden * itsInverse == 1, "modulo 2^64");
}  // namespace

std::uint32_t timeMark(TimeNs time) {
  if (time == 0) return 0;
  const auto mark = static_cast<std::uint32_t>((static_cast<std::uint64_t>(time) * golden) >> 32);
  return mark == 0 ? 1 : mark;
}

TimeNs timeOfMark(std::uint32_t mark) {
  return static_cast<TimeNs>((std::uint64_t{mark} << 32) * itsInverse);
}

Identity identityOf(const EntryStat& stat) {
  return {stat.kind, stat.inode, stat.length, stat.modified, timeMark(stat.born), timeMark(stat.changed)};
}

bool sameContent(const Identity& a, const Identity& b) {
  return a.kind == b.kind && a.inode == b.inode && a.bornMark == b.bornMark && a.modified == b.modified &&
         (a.kind == EntryKind::folder || a.length == b.length);
}

}  // namespace zt
