// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/ntfs_record.h"

#include "core/base/record.h"

namespace zt {

Bytes ntfsSizeOf(std::uint8_t said, Bytes cluster) {
  const auto value = static_cast<std::int8_t>(said);
  if (value > 0) return static_cast<Bytes>(value) * cluster;
  return value >= -31 ? Bytes{1} << -value : 0;
}

bool mendNtfsRecord(std::string& record) {
  const Fields f(record);
  const std::size_t at = f.le16(4), count = f.le16(6);
  if (count < 2 || at + count * 2 > record.size() || (count - 1) * 512 > record.size()) return false;
  const std::string check = record.substr(at, 2);
  for (std::size_t i = 1; i < count; ++i) {
    if (record.compare(i * 512 - 2, 2, check) != 0) return false;
    record.replace(i * 512 - 2, 2, record, at + i * 2, 2);
  }
  return true;
}

Result<bool> ntfsLeftOpen(const VolumeReader& read) {
  const auto boot = read(0, 512);
  if (!boot) return tl::unexpected(boot.error());
  const Fields f(*boot);
  if (!f.has(3, "NTFS    ") || f.le16(510) != 0xaa55) return fail(Errc::notOurs, "volume");
  const Bytes sector = f.le16(11);
  const Bytes cluster = sector * (f.u8(13) <= 128 ? f.u8(13) : Bytes{1} << (256 - f.u8(13)));
  const Bytes size = ntfsSizeOf(f.u8(64), cluster);
  if (cluster == 0 || cluster > (Bytes{2} << 20) || size < 512 || size > 65536 ||
      f.le64(48) > (Bytes{1} << 48))
    return fail(Errc::corrupt, "volume", {}, "ntfs");
  constexpr Bytes volumeNumber = 3;
  auto record = read(f.le64(48) * cluster + volumeNumber * size, size);
  if (!record) return tl::unexpected(record.error());
  if (!record->starts_with("FILE") || !mendNtfsRecord(*record))
    return fail(Errc::corrupt, "volume", {}, "ntfs");
  const Fields r(*record);
  for (std::size_t at = r.le16(20); at + 24 <= record->size() && r.le32(at) != 0xffffffffu;) {
    const std::size_t length = r.le32(at + 4);
    constexpr std::uint32_t volumeInformation = 0x70;
    if (r.le32(at) == volumeInformation) return (r.le16(at + r.le16(at + 20) + 10) & 1) != 0;
    if (length < 24 || length > record->size() - at) break;
    at += length;
  }
  return fail(Errc::corrupt, "volume", {}, "ntfs");
}

}  // namespace zt
