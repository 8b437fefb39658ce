// SPDX-License-Identifier: GPL-3.0-or-later
#include <absl/container/flat_hash_set.h>

#include <algorithm>

#include "core/images/guests/guest_volume.h"

namespace zt {

namespace {

constexpr Bytes superAt = Bytes{64} * 1024;
constexpr std::uint8_t chunkItem = 228;
constexpr std::size_t keySize = 17, headSize = 101, itemSize = 25, pointerSize = 33;

/// Reads the tree of chunks, which says where what lies on which device.
class Btrfs {
public:
  Btrfs(DiskBytes& volume, const std::string& super) : volume_(volume), super_(super), f_(super_) {}

  Result<GuestVolume> read(const std::stop_token& stop) {
    node_ = f_.le32(148);
    total_ = f_.le64(201 + 8);
    device_ = f_.le64(201);
    if (node_ < 4096 || node_ > 65536 || (node_ & (node_ - 1)) != 0) return damaged("btrfs");
    if (f_.le64(120) > f_.le64(112)) return damaged("btrfs");
    found_.system = "btrfs";
    found_.used = f_.le64(120);
    constexpr std::size_t first = 811, most = 2048;
    const std::size_t size = f_.le32(160);
    if (size > most) return damaged("btrfs");
    for (std::size_t at = first; at + keySize + 80 <= first + size;) {
      const std::size_t stripes = f_.le16(at + keySize + 44);
      addChunk(f_, at + keySize, f_.le64(at + 9));
      at += keySize + 48 + stripes * 32;
    }
    taken_.clear();  // the tree has those, too
    if (auto tree = walk(f_.le64(88), f_.u8(199), stop); !tree) return tl::unexpected(tree.error());
    takeFree();
    return std::move(found_);
  }

private:
  struct Chunk {
    Bytes logical, length, physical;
  };

  /// A chunk with its stripes on this device; of striped profiles only how much a stripe takes is told.
  void addChunk(const Fields& f, std::size_t at, Bytes logical) {
    const Bytes length = f.le64(at);
    const std::uint64_t profile = f.le64(at + 24);
    const Bytes stripes = f.le16(at + 44);
    constexpr std::uint64_t stripe0 = 8, stripe10 = 64, parity5 = 128, parity6 = 256;
    const Bytes parts = (profile & stripe0) != 0    ? stripes
                        : (profile & stripe10) != 0 ? stripes / std::max<Bytes>(f.le16(at + 46), 1)
                        : (profile & parity5) != 0  ? stripes - 1
                        : (profile & parity6) != 0  ? stripes - 2
                                                    : 1;
    for (Bytes s = 0; s < stripes && stripes < 4096; ++s) {
      const std::size_t stripe = at + 48 + s * 32;
      if (f.le64(stripe) != device_) continue;
      const Bytes physical = f.le64(stripe + 8);
      taken_.push_back({physical, physical + length / std::max<Bytes>(parts, 1)});
      constexpr std::size_t most = 200'000;  // every node is looked for among them
      if (parts == 1 && chunks_.size() < most) chunks_.push_back({logical, length, physical});
    }
  }

  Result<std::string> nodeAt(Bytes logical) {
    for (const Chunk& c : chunks_)
      if (logical >= c.logical && logical - c.logical < c.length)
        return bytesAt(volume_, c.physical + (logical - c.logical), node_);
    return damaged("btrfs");
  }

  Result<void> walk(Bytes root, unsigned level, const std::stop_token& stop) {
    if (level > 8) return damaged("btrfs");
    std::vector<std::pair<Bytes, unsigned>> waiting{{root, level}};
    absl::flat_hash_set<Bytes> seen;
    constexpr std::size_t most = 1'000'000;
    while (!waiting.empty()) {
      if (stop.stop_requested()) return fail(Errc::cancelled, "volume");
      const auto [at, depth] = waiting.back();
      waiting.pop_back();
      if (!seen.insert(at).second || seen.size() > most) return damaged("btrfs");
      const auto bytes = nodeAt(at);
      if (!bytes) return tl::unexpected(bytes.error());
      const Fields n(*bytes);
      if (n.le64(48) != at || n.u8(100) != depth) return damaged("btrfs");
      const std::size_t items = n.le32(96);
      for (std::size_t i = 0; i < items && i * itemSize < node_; ++i) {
        if (depth > 0) {
          waiting.emplace_back(n.le64(headSize + i * pointerSize + keySize), depth - 1);
          continue;
        }
        const std::size_t item = headSize + i * itemSize;
        if (n.u8(item + 8) == chunkItem) addChunk(n, headSize + n.le32(item + keySize), n.le64(item + 9));
      }
    }
    return {};
  }

  void takeFree() {
    std::sort(taken_.begin(), taken_.end(),
              [](const Stretch& a, const Stretch& b) { return a.from < b.from; });
    constexpr Bytes reserved = Bytes{1} << 20;  // its first megabyte is nobody's
    Bytes at = reserved;
    const Bytes end = std::min(total_, volume_.length());
    for (const Stretch& t : taken_) {
      append(found_.free, {at, std::min(t.from, end)});
      at = std::max(at, t.to);
    }
    append(found_.free, {at, end});
  }

  DiskBytes& volume_;
  std::string super_;
  Fields f_;
  GuestVolume found_;
  Bytes node_ = 0;
  Bytes total_ = 0;
  std::uint64_t device_ = 0;
  std::vector<Chunk> chunks_;
  std::vector<Stretch> taken_;
};

}  // namespace

Result<GuestVolume> readBtrfs(DiskBytes& volume, const std::stop_token& stop) {
  if (volume.length() < superAt + 4096) return fail(Errc::notOurs, "volume");
  const auto super = bytesAt(volume, superAt, 4096);
  if (!super) return tl::unexpected(super.error());
  if (!Fields(*super).has(64, "_BHRfS_M")) return fail(Errc::notOurs, "volume");
  return Btrfs(volume, *super).read(stop);
}

}  // namespace zt
