// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/btrfs/btrfs_forest.h"

#include <algorithm>
#include <array>

#include "core/os/btrfs/btrfs_tally.h"

namespace zt {

std::string uuidDigits(std::string_view bytes) {
  if (bytes.find_first_not_of('\0') == std::string_view::npos) return {};
  static constexpr char digits[] = "0123456789abcdef";
  std::string text;
  for (const char c : bytes) {
    const auto byte = static_cast<unsigned char>(c);
    text += digits[byte >> 4];
    text += digits[byte & 15];
  }
  return text;
}

namespace {

constexpr std::uint64_t topTree = 5, firstFree = 256, lastFree = ~std::uint64_t{255};
constexpr std::uint8_t rootItem = 132, rootBack = 144, dirItem = 84;

/// While a balance runs, what it moves is held by a tree of its own.
constexpr std::uint64_t movedData = ~std::uint64_t{8};

bool holdsFiles(std::uint64_t id) {
  return id == topTree || id == movedData || (id >= firstFree && id <= lastFree);
}

/// Goes down through all trees at once, a level at a time.
class Forest {
public:
  Forest(BtrfsNodes& nodes, const BtrfsRoots& roots, const std::stop_token& stop)
      : nodes_(nodes), tally_(roots.subvolumes), stop_(stop) {
    for (std::size_t i = 0; i < roots.trees.size(); ++i) {
      // One that was let go is being taken apart: what it still holds comes free without anybody's doing.
      if (roots.subvolumes[i].going || roots.trees[i].at == 0 || roots.trees[i].level >= levels_.size())
        continue;
      levels_[roots.trees[i].level].push_back(
          {roots.trees[i], tally_.sets().of(static_cast<std::uint32_t>(i))});
    }
  }

  Result<StoredSizes> read() {
    for (std::size_t level = levels_.size(); level-- > 0;)
      if (auto done = readLevel(level); !done) return tl::unexpected(done.error());
    return tally_.finish();
  }

private:
  struct Reached {
    BtrfsPointer node;
    NumberSets::Id holders = NumberSets::none;
  };

  /// Every node once, with all that reach it.
  void gather(std::vector<Reached>& level) {
    std::sort(level.begin(), level.end(), [](const Reached& a, const Reached& b) {
      return std::pair(a.node.at, a.holders) < std::pair(b.node.at, b.holders);
    });
    std::vector<NumberSets::Id> together;
    std::size_t kept = 0;
    for (std::size_t from = 0, to = 0; from < level.size(); from = to) {
      together.clear();
      for (to = from; to < level.size() && level[to].node.at == level[from].node.at; ++to)
        if (together.empty() || together.back() != level[to].holders) together.push_back(level[to].holders);
      level[kept] = level[from];
      level[kept++].holders = together.size() == 1
                                  ? together.front()
                                  : tally_.sets().join(std::span<const NumberSets::Id>(together));
    }
    level.resize(kept);
  }

  Result<void> readLevel(std::size_t at) {
    std::vector<Reached>& level = levels_[at];
    gather(level);
    std::vector<BtrfsPointer> wanted;
    wanted.reserve(level.size());
    for (const Reached& r : level) wanted.push_back(r.node);
    return nodes_.read(
        wanted,
        [&](std::size_t i, const BtrfsNodes::Node& node) -> Result<void> {
          tally_.record(level[i].holders, nodes_.nodeSize());
          if (at == 0) {
            tally_.begin(level[i].holders);
            for (std::uint32_t k = 0; k < node.items; ++k) tally_.item(node.key(k), node.data(k));
            return {};
          }
          for (std::uint32_t k = 0; k < node.items; ++k)
            levels_[at - 1].push_back({node.child(k), level[i].holders});
          return {};
        },
        stop_);
  }

  BtrfsNodes& nodes_;
  BtrfsTally tally_;
  std::array<std::vector<Reached>, 8> levels_;  ///< the file system allows no more
  const std::stop_token& stop_;
};

}  // namespace

/// struct btrfs_root_item: bytenr 176, flags 208, refs 216, level 238, uuid 247, parent_uuid 263,
/// received_uuid 279, ctransid 295, otransid 303, stransid 311, otime 339; generation 160. struct
/// btrfs_root_ref: dirid 8, sequence 8, name length 2, name.
void BtrfsRootReader::item(const BtrfsKey& key, std::string_view data) {
  const Fields f(data);
  constexpr std::uint64_t rootDirectory = 6;
  if (key.object == rootDirectory && key.type == dirItem && f.part(30, f.le16(27)) == "default")
    default_ = f.le64(0);
  if (!holdsFiles(key.object)) return;
  if (key.type == rootItem) {
    auto& [s, tree] = roots_[key.object];
    s.readOnly = (f.le64(208) & 1) != 0;
    s.changed = f.le64(295) > f.le64(303);
    s.going = f.le32(216) == 0;
    s.uuid = uuidDigits(f.part(247, 16));
    s.parentUuid = uuidDigits(f.part(263, 16));
    s.receivedUuid = uuidDigits(f.part(279, 16));
    s.sent = s.receivedUuid.empty() ? 0 : f.le64(311);
    const std::uint64_t seconds = f.le64(339);
    if (seconds < (std::uint64_t{1} << 33))
      s.made = static_cast<TimeNs>(seconds) * nsPerSecond + static_cast<TimeNs>(f.le32(347) % 1'000'000'000);
    tree = {f.le64(176), f.le64(160), f.u8(238)};
  } else if (key.type == rootBack) {
    Subvolume& s = roots_[key.object].is;
    s.parent = key.offset;
    s.folder = f.le64(0);
    s.name = f.part(18, f.le16(16));
  }
}

BtrfsRoots BtrfsRootReader::finish() {
  BtrfsRoots all;
  for (auto& [id, root] : roots_) {
    root.is.id = id;
    root.is.isDefault = id == default_;
    all.subvolumes.push_back(std::move(root.is));
    all.trees.push_back(root.tree);
  }
  return all;
}

Result<BtrfsRoots> readBtrfsRoots(BtrfsNodes& nodes, const std::stop_token& stop) {
  BtrfsRootReader reader;
  auto done = nodes.eachItem(
      nodes.rootTree(), [&](const BtrfsKey& key, std::string_view data) { reader.item(key, data); }, stop);
  if (!done) return tl::unexpected(done.error());
  return reader.finish();
}

Result<StoredSizes> readBtrfsForest(BtrfsNodes& nodes, const BtrfsRoots& roots, const std::stop_token& stop) {
  return Forest(nodes, roots, stop).read();
}

}  // namespace zt
