// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/images/guests/guest_volume.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cstring>

namespace zt {

Result<GuestVolume> lookAtVolume(DiskBytes& volume, const std::stop_token& stop) {
  // What is named stands where some file systems leave room: those are asked first, but FAT, whose first
  // sector others carry for show.
  for (const auto reader : {readNtfs, readExfat, readExt, readXfs, readBtrfs, readNamed, readFat}) {
    auto known = reader(volume, stop);
    if (known) {
      known->on = {0, volume.length()};
      return known;
    }
    if (known.error().code != Errc::notOurs) return known;
  }
  GuestVolume unknown;
  unknown.on = {0, volume.length()};
  return unknown;
}

Result<GuestVolume> readNamed(DiskBytes& volume, const std::stop_token& /*stop*/) {
  struct Sign {
    const char* system;
    Bytes at;
    std::string_view text;
  };
  static constexpr std::array<Sign, 11> signs{{{"swap", 4086, "SWAPSPACE2"},
                                               {"lvm", 512, "LABELONE"},
                                               {"luks", 0, {"LUKS\xba\xbe", 6}},
                                               {"bitlocker", 3, "-FVE-FS-"},
                                               {"apfs", 32, "NXSB"},
                                               {"hfs+", 1024, {"H+\0\x04", 4}},
                                               {"hfs+", 1024, {"HX\0\x05", 4}},
                                               {"iso9660", 32769, "CD001"},
                                               {"squashfs", 0, "hsqs"},
                                               {"raid", 4096, {"\xfc\x4e\x2b\xa9", 4}},
                                               {"f2fs", 1024, {"\x10\x20\xf5\xf2", 4}}}};
  for (const Sign& sign : signs) {
    if (sign.at + sign.text.size() > volume.length()) continue;
    const auto there = bytesAt(volume, sign.at, sign.text.size());
    if (!there) return tl::unexpected(there.error());
    if (*there != sign.text) continue;
    GuestVolume known;
    known.system = sign.system;
    return known;
  }
  return fail(Errc::notOurs, "volume");
}

namespace {
/// So many free pieces are told one by one; of a volume in more of them only the sum.
constexpr std::size_t mostTold = 1'000'000;
}  // namespace

void FreeBits::take(std::string_view bytes, Bytes units) {
  const Bytes known = std::min<Bytes>(units, Bytes{bytes.size()} * 8);
  for (Bytes u = 0; u < known; u += 64) {
    std::uint64_t word = 0;  // little endian, as the machine
    std::memcpy(&word, bytes.data() + u / 8, std::min<std::size_t>(sizeof word, bytes.size() - u / 8));
    const int here = static_cast<int>(std::min<Bytes>(64, known - u));
    if (volume_.free.size() >= mostTold) {
      const std::uint64_t taken = here == 64 ? word : word | ~std::uint64_t{0} << here;
      free_ += static_cast<Bytes>(64 - std::popcount(taken));
      at_ += static_cast<Bytes>(here) * unit_;
      continue;
    }
    for (int at = 0; at < here;) {  // run by run
      const std::uint64_t rest = word >> at;
      const bool taken = (rest & 1) != 0;
      const int run = std::min(taken ? std::countr_one(rest) : std::countr_zero(rest), here - at);
      taken ? static_cast<void>(at_ += static_cast<Bytes>(run) * unit_) : allFree(static_cast<Bytes>(run));
      at += run;
    }
  }
  at_ += (units - known) * unit_;  // of the rest nothing is known: it counts as taken
}

void FreeBits::allFree(Bytes units) {
  free_ += units;
  const Stretch next{at_, at_ + units * unit_};
  if (volume_.free.size() < mostTold || (!volume_.free.empty() && volume_.free.back().to == next.from))
    append(volume_.free, next);
  at_ = next.to;
}

}  // namespace zt
