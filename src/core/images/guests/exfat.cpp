// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/images/guests/guest_volume.h"

namespace zt {

namespace {

class Exfat {
public:
  Exfat(DiskBytes& volume, const Fields& boot) : volume_(volume), boot_(boot) {}

  Result<GuestVolume> read(const std::stop_token& stop) {
    const unsigned sectorShift = boot_.u8(108), clusterShift = boot_.u8(109);
    if (sectorShift < 9 || sectorShift > 12 || clusterShift > 25 - sectorShift) return damaged("exfat");
    cluster_ = Bytes{1} << (sectorShift + clusterShift);
    tableAt_ = Bytes{boot_.le32(80)} << sectorShift;
    heapAt_ = Bytes{boot_.le32(88)} << sectorShift;
    clusters_ = boot_.le32(92);
    if (heapAt_ > volume_.length() || clusters_ > (volume_.length() - heapAt_) / cluster_)
      return damaged("exfat");
    const auto bitmap = findBitmap(boot_.le32(96), stop);
    if (!bitmap) return tl::unexpected(bitmap.error());
    GuestVolume found;
    found.system = "exfat";
    constexpr std::uint16_t dirty = 2;
    found.unclean = (boot_.le16(106) & dirty) != 0;
    FreeBits bits(found, heapAt_, cluster_);
    Bytes left = clusters_;
    std::uint32_t at = *bitmap;
    for (Bytes steps = 0; left > 0; ++steps) {
      if (stop.stop_requested()) return fail(Errc::cancelled, "volume");
      if (at < 2 || at - 2 >= clusters_ || steps > clusters_) return damaged("exfat");
      const auto bytes = bytesAt(volume_, placeOf(at), std::min(cluster_, (left + 7) / 8));
      if (!bytes) return tl::unexpected(bytes.error());
      const Bytes here = std::min<Bytes>(left, bytes->size() * 8);
      bits.take(*bytes, here);
      left -= here;
      const auto next = after(at);
      if (!next) return tl::unexpected(next.error());
      at = *next;
    }
    found.used = (clusters_ - bits.freeUnits()) * cluster_;
    return found;
  }

private:
  Bytes placeOf(std::uint32_t cluster) const { return heapAt_ + Bytes{cluster - 2} * cluster_; }

  /// The next cluster of a chain; 0 is none.
  Result<std::uint32_t> after(std::uint32_t cluster) {
    const auto entry = bytesAt(volume_, tableAt_ + Bytes{cluster} * 4, 4);
    if (!entry) return tl::unexpected(entry.error());
    return Fields(*entry).le32(0);
  }

  /// The first cluster of the bitmap, as an entry of the top folder says.
  Result<std::uint32_t> findBitmap(std::uint32_t at, const std::stop_token& stop) {
    constexpr unsigned mostClusters = 10'000;
    for (unsigned i = 0; i < mostClusters && at >= 2 && at - 2 < clusters_; ++i) {
      if (stop.stop_requested()) return fail(Errc::cancelled, "volume");
      const auto bytes = bytesAt(volume_, placeOf(at), cluster_);
      if (!bytes) return tl::unexpected(bytes.error());
      const Fields entries(*bytes);
      constexpr std::uint8_t bitmap = 0x81;
      for (std::size_t e = 0; e < bytes->size() && entries.u8(e) != 0; e += 32)
        if (entries.u8(e) == bitmap) return entries.le32(e + 20);
      const auto next = after(at);
      if (!next) return next;
      at = *next;
    }
    return damaged("exfat");
  }

  DiskBytes& volume_;
  const Fields& boot_;
  Bytes cluster_ = 0, tableAt_ = 0, heapAt_ = 0, clusters_ = 0;
};

}  // namespace

Result<GuestVolume> readExfat(DiskBytes& volume, const std::stop_token& stop) {
  if (volume.length() < 65536) return fail(Errc::notOurs, "volume");
  const auto boot = bytesAt(volume, 0, 512);
  if (!boot) return tl::unexpected(boot.error());
  const Fields f(*boot);
  if (!f.has(3, "EXFAT   ") || f.le16(510) != 0xaa55) return fail(Errc::notOurs, "volume");
  return Exfat(volume, f).read(stop);
}

}  // namespace zt
