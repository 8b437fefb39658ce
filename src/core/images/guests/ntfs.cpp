// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/images/guests/guest_volume.h"
#include "core/os/ntfs_record.h"

namespace zt {

namespace {

struct NtfsFile {
  std::vector<Stretch> runs;  ///< of the volume
  Bytes length = 0;
};

/// Where the unnamed data of a record lies.
Result<NtfsFile> dataOf(const std::string& record, Bytes cluster, Bytes clusters) {
  const Fields f(record);
  for (std::size_t at = f.le16(20); at + 64 <= record.size() && f.le32(at) != 0xffffffffu;) {
    const std::size_t size = f.le32(at + 4);
    if (size < 24 || size > record.size() - at) return damaged("ntfs");
    constexpr std::uint32_t data = 0x80;
    if (f.le32(at) != data || f.u8(at + 9) != 0 || f.u8(at + 8) == 0) {
      at += size;
      continue;
    }
    NtfsFile file{{}, f.le64(at + 48)};
    std::int64_t place = 0;
    for (std::size_t run = at + f.le16(at + 32); run < at + size && f.u8(run) != 0;) {
      const std::size_t lengths = f.u8(run) & 15, places = f.u8(run) >> 4;
      if (lengths == 0 || lengths > 8 || places > 8) return damaged("ntfs");
      Bytes length = 0;
      for (std::size_t i = lengths; i > 0; --i) length = length << 8 | f.u8(run + i);
      std::int64_t delta = places == 0 ? 0 : static_cast<std::int8_t>(f.u8(run + lengths + places));
      for (std::size_t i = places; i-- > 1;) delta = delta * 256 + f.u8(run + lengths + i);
      place += delta;
      if (place < 0 || static_cast<Bytes>(place) > clusters || length > clusters - static_cast<Bytes>(place))
        return damaged("ntfs");
      file.runs.push_back(
          {static_cast<Bytes>(place) * cluster, (static_cast<Bytes>(place) + length) * cluster});
      run += 1 + lengths + places;
    }
    return file;
  }
  return damaged("ntfs");
}

}  // namespace

Result<GuestVolume> readNtfs(DiskBytes& volume, const std::stop_token& stop) {
  if (volume.length() < 4096) return fail(Errc::notOurs, "volume");
  const auto boot = bytesAt(volume, 0, 512);
  if (!boot) return tl::unexpected(boot.error());
  const Fields f(*boot);
  if (!f.has(3, "NTFS    ") || f.le16(510) != 0xaa55) return fail(Errc::notOurs, "volume");
  const Bytes sector = f.le16(11);
  const Bytes cluster = sector * (f.u8(13) <= 128 ? f.u8(13) : Bytes{1} << (256 - f.u8(13)));
  const Bytes record = ntfsSizeOf(f.u8(64), cluster);
  const bool power = cluster != 0 && (cluster & (cluster - 1)) == 0;
  if (!power || cluster < 512 || cluster > (Bytes{2} << 20) || record < 512 || record > 65536 ||
      record % 512 != 0)
    return damaged("ntfs");
  const Bytes clusters = f.le64(40) / (cluster / std::max<Bytes>(sector, 1));
  if (clusters == 0 || clusters > volume.length() / cluster) return damaged("ntfs");
  constexpr Bytes bitmapNumber = 6;
  const auto recordAt = [&](Bytes number) -> Result<std::string> {
    if (f.le64(48) >= clusters) return damaged("ntfs");
    auto bytes = bytesAt(volume, f.le64(48) * cluster + number * record, record);
    if (bytes && (!bytes->starts_with("FILE") || !mendNtfsRecord(*bytes))) return damaged("ntfs");
    return bytes;
  };
  const auto bitmap = recordAt(bitmapNumber);
  if (!bitmap) return tl::unexpected(bitmap.error());
  const auto file = dataOf(*bitmap, cluster, clusters);
  if (!file) return tl::unexpected(file.error());
  if (file->length < (clusters + 7) / 8) return damaged("ntfs");
  GuestVolume found;
  found.system = "ntfs";
  FreeBits bits(found, 0, cluster);
  Bytes left = clusters;
  for (const Stretch& run : file->runs)
    for (Bytes at = run.from; at < run.to && left > 0;) {
      if (stop.stop_requested()) return fail(Errc::cancelled, "volume");
      const Bytes size = std::min({run.to - at, Bytes{1} << 20, (left + 7) / 8});
      const auto bytes = bytesAt(volume, at, size);
      if (!bytes) return tl::unexpected(bytes.error());
      const Bytes here = std::min(left, size * 8);
      bits.take(*bytes, here);
      left -= here;
      at += size;
    }
  if (left > 0) return damaged("ntfs");
  found.used = (clusters - bits.freeUnits()) * cluster;
  found.unclean =
      ntfsLeftOpen([&](Bytes at, Bytes size) { return bytesAt(volume, at, size); }).value_or(false);
  return found;
}

}  // namespace zt
