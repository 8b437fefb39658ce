// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/images/guests/guest_volume.h"

namespace zt {

namespace {

struct Fat {
  Bytes sector = 0, cluster = 0, tableAt = 0, tableSize = 0, dataAt = 0, clusters = 0;
  unsigned bits = 0;  ///< of an entry
};

/// What the first sector says, if it makes sense.
std::optional<Fat> fatOf(const Fields& f, Bytes length) {
  Fat fat;
  fat.sector = f.le16(11);
  const Bytes perCluster = f.u8(13);
  const Bytes reserved = f.le16(14), tables = f.u8(16), roots = f.le16(17);
  const Bytes total = f.le16(19) != 0 ? f.le16(19) : f.le32(32);
  const Bytes tableSectors = f.le16(22) != 0 ? f.le16(22) : f.le32(36);
  const bool jump = f.u8(0) == 0xeb || f.u8(0) == 0xe9;
  const bool powers = perCluster != 0 && (perCluster & (perCluster - 1)) == 0 && fat.sector >= 512 &&
                      fat.sector <= 4096 && (fat.sector & (fat.sector - 1)) == 0;
  if (!jump || !powers || f.le16(510) != 0xaa55 || reserved == 0 || tables == 0 || tables > 2 ||
      f.u8(21) < 0xf0 || tableSectors == 0 || total == 0 || total > length / fat.sector)
    return std::nullopt;
  fat.cluster = perCluster * fat.sector;
  fat.tableAt = reserved * fat.sector;
  fat.tableSize = tableSectors * fat.sector;
  const Bytes rootSectors = (roots * 32 + fat.sector - 1) / fat.sector;
  const Bytes before = reserved + tables * tableSectors + rootSectors;
  if (before >= total) return std::nullopt;
  fat.dataAt = before * fat.sector;
  fat.clusters = (total - before) / perCluster;
  fat.bits = fat.clusters < 4085 ? 12 : fat.clusters < 65525 ? 16 : 32;
  if ((fat.clusters + 2) * fat.bits / 8 > fat.tableSize) return std::nullopt;
  return fat;
}

/// Whether the entry with a number of those read is 0.
bool isZero(const Fields& entries, Bytes number, unsigned bits) {
  const auto n = static_cast<std::size_t>(number);
  if (bits == 32) return (entries.le32(n * 4) & 0x0fffffffu) == 0;
  if (bits == 16) return entries.le16(n * 2) == 0;
  const unsigned pair = entries.le16(n + n / 2);
  return ((n & 1) != 0 ? pair >> 4 : pair & 0xfff) == 0;
}

}  // namespace

Result<GuestVolume> readFat(DiskBytes& volume, const std::stop_token& stop) {
  if (volume.length() < 4096) return fail(Errc::notOurs, "volume");
  const auto boot = bytesAt(volume, 0, 512);
  if (!boot) return tl::unexpected(boot.error());
  const auto fat = fatOf(Fields(*boot), volume.length());
  if (!fat) return fail(Errc::notOurs, "volume");
  GuestVolume found;
  found.system = "fat" + std::to_string(fat->bits);
  FreeBits bits(found, fat->dataAt, fat->cluster);
  // Read by whole numbers of entries: 3 bytes are two of twelve bits.
  const Bytes chunk = fat->bits == 12 ? fat->tableSize : Bytes{3} << 20;
  const std::string taken(1, '\xff');
  for (Bytes entry = 0, at = 0; entry < fat->clusters + 2 && at < fat->tableSize; at += chunk) {
    if (stop.stop_requested()) return fail(Errc::cancelled, "volume");
    const Bytes size = std::min(chunk, fat->tableSize - at);
    const auto bytes = bytesAt(volume, fat->tableAt + at, size);
    if (!bytes) return tl::unexpected(bytes.error());
    const Fields entries(*bytes);
    const Bytes here = std::min(size * 8 / fat->bits, fat->clusters + 2 - entry);
    for (Bytes i = 0; i < here; ++i, ++entry) {
      if (entry < 2) continue;
      isZero(entries, i, fat->bits) ? bits.allFree(1) : bits.take(taken, 1);
    }
  }
  if (bits.freeUnits() > fat->clusters) return damaged("fat");
  found.used = (fat->clusters - bits.freeUnits()) * fat->cluster;
  return found;
}

}  // namespace zt
