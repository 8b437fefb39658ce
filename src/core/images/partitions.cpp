// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/images/partitions.h"

#include <algorithm>

namespace zt {

namespace {

constexpr std::size_t mostParts = 256;
constexpr std::uint8_t protective = 0xee;

bool isExtended(std::uint8_t type) {
  return type == 0x05 || type == 0x0f || type == 0x85;
}

Result<Partitions> none() {
  return fail(Errc::notOurs, "partitions");
}

/// Parts in order; nothing where two lie over each other.
Result<Partitions> ordered(Partitions table) {
  std::sort(table.parts.begin(), table.parts.end(),
            [](const Stretch& a, const Stretch& b) { return a.from < b.from; });
  for (std::size_t i = 1; i < table.parts.size(); ++i)
    if (table.parts[i].from < table.parts[i - 1].to) return none();
  if (table.parts.empty()) return none();
  return table;
}

/// The table whose header lies in a sector: in the second, and a copy of it in the last.
Result<Partitions> readGptAt(DiskBytes& disk, Bytes sector, Bytes headerAt) {
  const auto record = bytesAt(disk, headerAt, sector);
  if (!record) return tl::unexpected(record.error());
  const Fields header(*record);
  if (!header.has(0, "EFI PART")) return none();
  const Bytes first = header.le64(72);
  const Bytes count = header.le32(80);
  const Bytes size = header.le32(84);
  if (size < 128 || size > 4096 || count > 1024 || first > disk.length() / sector) return none();
  const auto entries = bytesAt(disk, first * sector, count * size);
  if (!entries) return none();
  Partitions table{"gpt", {}};
  const Fields e(*entries);
  for (std::size_t at = 0; at < entries->size() && table.parts.size() < mostParts; at += size) {
    if (e.le64(at) == 0 && e.le64(at + 8) == 0) continue;
    const Bytes from = e.le64(at + 32), last = e.le64(at + 40);
    if (from > last || last >= disk.length() / sector) return none();
    table.parts.push_back({from * sector, (last + 1) * sector});
  }
  return ordered(std::move(table));
}

/// Where the first is damaged its copy tells.
Result<Partitions> readGpt(DiskBytes& disk, Bytes sector) {
  if (disk.length() < 3 * sector) return none();
  auto table = readGptAt(disk, sector, sector);
  return table ? table : readGptAt(disk, sector, (disk.length() / sector - 1) * sector);
}

class Mbr {
public:
  explicit Mbr(DiskBytes& disk) : disk_(disk) {}

  Result<Partitions> read() {
    const auto record = bytesAt(disk_, 0, sector);
    if (!record) return tl::unexpected(record.error());
    const Fields mbr(*record);
    if (mbr.le16(510) != 0xaa55) return none();
    for (std::size_t i = 0; i < 4; ++i) {
      const std::size_t at = 446 + i * 16;
      const std::uint8_t type = mbr.u8(at + 4);
      if (mbr.u8(at) != 0 && mbr.u8(at) != 0x80) return none();
      if (type == protective) return none();
      const Stretch part = stretch(mbr, at, 0);
      if (type == 0) {
        if (!part.empty()) return none();
        continue;
      }
      if (part.empty() || part.from == 0 || part.to > disk_.length()) return none();
      if (!isExtended(type))
        table_.parts.push_back(part);
      else if (auto chain = follow(part); !chain)
        return tl::unexpected(chain.error());
    }
    return ordered(std::move(table_));
  }

private:
  static constexpr Bytes sector = 512;
  static Stretch stretch(const Fields& f, std::size_t at, Bytes base) {
    const Bytes from = base + Bytes{f.le32(at + 8)} * sector;
    return {from, from + Bytes{f.le32(at + 12)} * sector};
  }

  /// Each of the chain tells its own part and where the next one is, always further on.
  Result<void> follow(Stretch whole) {
    for (Bytes at = whole.from; table_.parts.size() < mostParts;) {
      if (at + sector > disk_.length()) return {};
      const auto record = bytesAt(disk_, at, sector);
      if (!record) return tl::unexpected(record.error());
      const Fields f(*record);
      if (f.le16(510) != 0xaa55) return {};
      const Stretch part = stretch(f, 446, at);
      if (f.u8(450) != 0 && !part.empty() && part.to <= disk_.length()) table_.parts.push_back(part);
      const Stretch next = stretch(f, 462, whole.from);
      if (!isExtended(f.u8(466)) || next.from <= at) return {};
      at = next.from;
    }
    return {};
  }

  DiskBytes& disk_;
  Partitions table_{"mbr", {}};
};

}  // namespace

Result<Partitions> readPartitions(DiskBytes& disk) {
  if (disk.length() < 1024) return none();
  for (const Bytes sector : {Bytes{512}, Bytes{4096}})
    if (auto gpt = readGpt(disk, sector); gpt || gpt.error().code != Errc::notOurs) return gpt;
  return Mbr(disk).read();
}

}  // namespace zt
