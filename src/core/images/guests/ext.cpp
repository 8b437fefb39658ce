// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/images/guests/guest_volume.h"

namespace zt {

namespace {

constexpr std::uint32_t incompatMetaGroups = 0x10, incompatWide = 0x80, incompatExtents = 0x40;
constexpr std::uint32_t roClusters = 0x200, roGroupSums = 0x10, roMetadataSums = 0x400;
constexpr std::uint32_t compatJournal = 0x4;

class Ext {
public:
  Ext(DiskBytes& volume, const Fields& super) : volume_(volume), super_(super) {}

  Result<GuestVolume> read(const std::stop_token& stop) {
    const std::uint32_t incompat = super_.le32(96), ro = super_.le32(100);
    if (super_.le32(24) > 6) return damaged("ext");
    block_ = Bytes{1024} << super_.le32(24);
    const bool wide = (incompat & incompatWide) != 0;
    blocks_ = super_.le32(4) | (wide ? Bytes{super_.le32(336)} << 32 : 0);
    const Bytes free = super_.le32(12) | (wide ? Bytes{super_.le32(344)} << 32 : 0);
    perGroup_ = super_.le32(32);
    // With bigalloc free room is mapped, and counted by groups, in clusters; in all it is counted in blocks.
    const std::uint32_t clusterBits = (ro & roClusters) != 0 ? super_.le32(28) : super_.le32(24);
    if (clusterBits > 20 || clusterBits < super_.le32(24)) return damaged("ext");
    ratio_ = Bytes{1} << (clusterBits - super_.le32(24));
    if (blocks_ == 0 || blocks_ > (Bytes{1} << 48) || free > blocks_ || perGroup_ == 0 ||
        perGroup_ % ratio_ != 0 || perGroup_ > block_ * 8 * 65536)
      return damaged("ext");
    found_.system = (incompat & incompatExtents) != 0        ? "ext4"
                    : (super_.le32(92) & compatJournal) != 0 ? "ext3"
                                                             : "ext2";
    constexpr std::uint16_t wasClosed = 1;
    constexpr std::uint32_t needsJournal = 4;
    found_.unclean = (super_.le16(58) & wasClosed) == 0 || (incompat & needsJournal) != 0;
    found_.used = (blocks_ - free) * block_;
    if (auto groups = readGroups(wide, stop); !groups) return tl::unexpected(groups.error());
    return std::move(found_);
  }

private:
  Result<void> readGroups(bool wide, const std::stop_token& stop) {
    const Bytes first = super_.le32(20);
    const Bytes groups = (blocks_ - first + perGroup_ - 1) / perGroup_;
    const Bytes size = wide ? std::max<Bytes>(super_.le16(254), 32) : 32;
    if (size > 1024 || groups > (Bytes{1} << 20)) return damaged("ext");
    constexpr Bytes mostBitmaps = Bytes{1} << 27;  // of a volume of 4 TiB with blocks of 4 KiB
    if (groups * block_ > mostBitmaps) return {};  // what is free is told as a sum only
    const auto records = readRecords(groups * size, block_ / size);
    if (!records) return tl::unexpected(records.error());
    const Fields f(*records);
    const bool summed = (super_.le32(100) & (roGroupSums | roMetadataSums)) != 0;
    FreeBits bits(found_, first * block_, block_ * ratio_);
    for (Bytes g = 0; g < groups; ++g) {
      if (stop.stop_requested()) return fail(Errc::cancelled, "volume");
      const std::size_t at = g * size;
      const Bytes here = (std::min(perGroup_, blocks_ - first - g * perGroup_) + ratio_ - 1) / ratio_;
      constexpr std::uint16_t unwritten = 2;
      if (summed && (f.le16(at + 18) & unwritten) != 0) {
        takeUnwritten(bits, here, Bytes{f.le16(at + 12)} | (size >= 64 ? Bytes{f.le16(at + 44)} << 16 : 0));
        continue;
      }
      const Bytes bitmap = f.le32(at) | (size >= 64 ? Bytes{f.le32(at + 32)} << 32 : 0);
      if (bitmap >= blocks_) return damaged("ext");
      const auto bytes = bytesAt(volume_, bitmap * block_, std::min(block_, (here + 7) / 8));
      if (!bytes) return tl::unexpected(bytes.error());
      bits.take(*bytes, here);
    }
    return {};
  }

  /// The records of all groups. They follow the superblock; with `meta_bg` those from a certain block of them
  /// on lie each in the first group that it speaks of, after the copy of the superblock where that has one.
  Result<std::string> readRecords(Bytes length, Bytes inBlock) {
    const Bytes first = super_.le32(20);
    const bool metaGroups = (super_.le32(96) & incompatMetaGroups) != 0;
    const Bytes ordinary = metaGroups ? super_.le32(260) : ~Bytes{0};
    const Bytes super = first == 0 && block_ == 1024 ? 1 : first;
    std::string all;
    for (Bytes i = 0; all.size() < length; ++i) {
      const Bytes group = i * inBlock;
      const Bytes at = i < ordinary ? super + 1 + i
                                    : first + group * perGroup_ + (hasSuper(group) ? 1 : 0) +
                                          (group == 0 && super != first ? 1 : 0);
      auto part = bytesAt(volume_, at * block_, std::min<Bytes>(block_, length - all.size()));
      if (!part) return part;
      all += *part;
    }
    return all;
  }

  bool hasSuper(Bytes group) const {
    constexpr std::uint32_t compatSparse2 = 0x200, roSparse = 0x1;
    if (group == 0) return true;
    if ((super_.le32(92) & compatSparse2) != 0) return group == super_.le32(588) || group == super_.le32(592);
    if ((super_.le32(100) & roSparse) == 0 || group == 1) return true;
    for (const Bytes base : {Bytes{3}, Bytes{5}, Bytes{7}}) {
      Bytes power = base;
      while (power < group) power *= base;
      if (power == group) return true;
    }
    return false;
  }

  /// The bitmap of a group in which nothing was ever written is not; what its own tables take lies first.
  static void takeUnwritten(FreeBits& bits, Bytes blocks, Bytes free) {
    free = std::min(free, blocks);
    const std::string used(static_cast<std::size_t>((blocks - free + 7) / 8), '\xff');
    bits.take(used, blocks - free);
    bits.allFree(free);
  }

  DiskBytes& volume_;
  const Fields& super_;
  GuestVolume found_;
  Bytes block_ = 0;
  Bytes blocks_ = 0;
  Bytes perGroup_ = 0;
  Bytes ratio_ = 1;  ///< blocks of a cluster
};

}  // namespace

Result<GuestVolume> readExt(DiskBytes& volume, const std::stop_token& stop) {
  if (volume.length() < 4096) return fail(Errc::notOurs, "volume");
  const auto bytes = bytesAt(volume, 1024, 1024);
  if (!bytes) return tl::unexpected(bytes.error());
  const Fields super(*bytes);
  // The number alone is two bytes: what else stands here must make sense, too.
  const bool ours =
      super.le16(56) == 0xef53 && super.le32(76) <= 1 && super.le32(40) != 0 && super.le32(20) <= 1;
  if (!ours) return fail(Errc::notOurs, "volume");
  return Ext(volume, super).read(stop);
}

}  // namespace zt
