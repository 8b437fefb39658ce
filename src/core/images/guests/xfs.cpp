// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/images/guests/guest_volume.h"

namespace zt {

namespace {

class Xfs {
public:
  Xfs(DiskBytes& volume, const Fields& super) : volume_(volume), super_(super) {}

  Result<GuestVolume> read(const std::stop_token& stop) {
    block_ = super_.be32(4);
    blocks_ = super_.be64(8);
    groupBlocks_ = super_.be32(84);
    sector_ = super_.be16(102);
    const Bytes groups = super_.be32(88);
    const bool power = (block_ & (block_ - 1)) == 0 && (sector_ & (sector_ - 1)) == 0;
    if (!power || block_ < 512 || block_ > 65536 || sector_ < 512 || sector_ > 32768 || groupBlocks_ == 0 ||
        groups == 0 || groups > 1'000'000 || blocks_ > groups * groupBlocks_)
      return damaged("xfs");
    found_.system = "xfs";
    newer_ = (super_.be16(100) & 15) == 5;
    Bytes free = 0;
    for (Bytes g = 0; g < groups; ++g) {
      if (stop.stop_requested()) return fail(Errc::cancelled, "volume");
      const auto here = readGroup(g);
      if (!here) return tl::unexpected(here.error());
      free += *here;
    }
    const Bytes told = super_.be64(144);
    // The groups' own counts are those that are logged; the sum in the first block is written when it is
    // unmounted.
    found_.unclean = told != free;
    if (free > blocks_) return damaged("xfs");
    found_.used = (blocks_ - free) * block_;
    std::sort(found_.free.begin(), found_.free.end(),
              [](const Stretch& a, const Stretch& b) { return a.from < b.from; });
    return std::move(found_);
  }

private:
  Result<Bytes> readGroup(Bytes number) {
    const Bytes at = number * groupBlocks_ * block_;
    const auto bytes = bytesAt(volume_, at + sector_, 512);
    if (!bytes) return tl::unexpected(bytes.error());
    const Fields group(*bytes);
    if (!group.has(0, "XAGF") || group.be32(8) != number) return damaged("xfs");
    if (auto tree = readFree(at, group.be32(16), group.be32(28)); !tree) return tl::unexpected(tree.error());
    // Blocks on the free list and in the trees of free space count as free, too.
    return Bytes{group.be32(52)} + group.be32(48) + group.be32(60);
  }

  /// The tree of free space by block: down its left side, then along its leaves.
  Result<void> readFree(Bytes groupAt, Bytes at, unsigned levels) {
    if (levels == 0 || levels > 9) return damaged("xfs");
    const std::size_t head = newer_ ? 56 : 16;
    std::string block;
    for (unsigned level = levels; level-- > 0;) {
      auto next = treeBlock(groupAt, at, level);
      if (!next) return tl::unexpected(next.error());
      block = std::move(*next);
      if (level > 0) at = Fields(block).be32(head + (block_ - head) / 12 * 8);
    }
    for (Bytes seen = 0; seen <= groupBlocks_; ++seen) {
      const Fields leaf(block);
      const std::size_t records = std::min<std::size_t>(leaf.be16(6), (block_ - head) / 8);
      for (std::size_t i = 0; i < records; ++i) {
        const Bytes from = leaf.be32(head + i * 8), count = leaf.be32(head + i * 8 + 4);
        if (from + count > groupBlocks_ || count == 0) return damaged("xfs");
        constexpr std::size_t most = 4'000'000;
        if (found_.free.size() < most)
          append(found_.free, {groupAt + from * block_, groupAt + (from + count) * block_});
      }
      at = leaf.be32(12);
      if (at == 0xffffffffu) return {};
      auto next = treeBlock(groupAt, at, 0);
      if (!next) return tl::unexpected(next.error());
      block = std::move(*next);
    }
    return damaged("xfs");
  }

  Result<std::string> treeBlock(Bytes groupAt, Bytes at, unsigned level) {
    if (at >= groupBlocks_) return damaged("xfs");
    auto bytes = bytesAt(volume_, groupAt + at * block_, block_);
    if (!bytes) return bytes;
    const Fields f(*bytes);
    if (!f.has(0, newer_ ? "AB3B" : "ABTB") || f.be16(4) != level) return damaged("xfs");
    return bytes;
  }

  DiskBytes& volume_;
  const Fields& super_;
  GuestVolume found_;
  Bytes block_ = 0;
  Bytes blocks_ = 0;
  Bytes groupBlocks_ = 0;
  Bytes sector_ = 0;
  bool newer_ = false;
};

}  // namespace

Result<GuestVolume> readXfs(DiskBytes& volume, const std::stop_token& stop) {
  if (volume.length() < 65536) return fail(Errc::notOurs, "volume");
  const auto bytes = bytesAt(volume, 0, 512);
  if (!bytes) return tl::unexpected(bytes.error());
  if (!bytes->starts_with("XFSB")) return fail(Errc::notOurs, "volume");
  return Xfs(volume, Fields(*bytes)).read(stop);
}

}  // namespace zt
