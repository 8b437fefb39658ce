// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/measure/shared_extents.h"

#include <absl/container/flat_hash_map.h>

#include <algorithm>
#include <array>

namespace zt {

BlockSharing blockSharing(std::string_view fsType) {
  static constexpr std::array<std::string_view, 2> asked{"xfs", "ocfs2"};
  static constexpr std::array<std::string_view, 2> whole{"btrfs", "bcachefs"};
  static constexpr std::array<std::string_view, 3> attributes{"ext2", "ext3", "ext4"};
  static constexpr std::array<std::string_view, 13> never{"",      "vfat",  "msdos",   "exfat", "ntfs",
                                                          "ntfs3", "jfs",   "udf",     "hfs",   "hfsplus",
                                                          "tmpfs", "ramfs", "reiserfs"};
  const auto among = [&](const auto& list) {
    return std::find(list.begin(), list.end(), fsType) != list.end();
  };
  if (among(asked)) return BlockSharing::asked;
  if (among(whole)) return BlockSharing::whole;
  if (among(attributes)) return BlockSharing::attributes;
  // NTFS and exFAT drivers in user space show up by the name of their kind.
  if (among(never) || fsType == "fuseblk") return BlockSharing::never;
  return BlockSharing::unknown;
}

bool SharedExtents::mayShare(const Folder& at, std::string_view name, const EntryStat& stat) {
  if (stat.kind != EntryKind::file || stat.occupied == 0) return false;
  if (sharing_ == BlockSharing::unknown) return true;
  if (sharing_ == BlockSharing::attributes) return mayShareAttributes(at, name, stat);
  const auto facts = inner_.extents(at, name);
  // Of an extent that stays whole the parts that files hold say nothing for sure.
  if (sharing_ == BlockSharing::asked && facts && facts->shared && !facts->encoded) note(at, name, stat);
  return !facts || facts->shared || facts->encoded;
}

/// Only a file that does not occupy what its length needs can have a block of attributes. How many share it
/// nobody says, so each is taken for one that others may have.
bool SharedExtents::mayShareAttributes(const Folder& at, std::string_view name, const EntryStat& stat) {
  if (stat.occupied == (stat.length + block_ - 1) / block_ * block_) return false;
  const auto map = inner_.attributeMap(at, name);
  if (!map) return true;
  const std::scoped_lock lock(mutex_);
  Bytes left = stat.occupied;
  for (const FileExtent& e : *map) {
    if (e.bytes == 0 || e.bytes > left) return true;
    left -= e.bytes;
    stretches_.push_back({stat.inode, e.place, e.bytes});
  }
  return !map->empty();
}

/// Keeps where the shared extents of a file lie. Of one that cannot be told nothing is kept, nor of one that
/// is said to share more than it occupies: it stays unsure.
void SharedExtents::note(const Folder& at, std::string_view name, const EntryStat& stat) {
  const auto map = inner_.fileMap(at, name);
  if (!map || !std::all_of(map->begin(), map->end(), [](const FileExtent& e) { return e.plain; })) return;
  Bytes left = stat.occupied;
  for (const FileExtent& e : *map) {
    if (!e.shared) continue;
    if (e.bytes == 0 || e.bytes > left || e.place + e.bytes <= e.place) return;
    left -= e.bytes;
  }
  const std::scoped_lock lock(mutex_);
  for (const FileExtent& e : *map)
    if (e.shared) stretches_.push_back({stat.inode, e.place, e.bytes});
}

HoldingsPtr SharedExtents::holdings(const SurveyTree& tree, const Holdings* before, bool allSeen) const {
  const std::scoped_lock lock(mutex_);
  absl::flat_hash_map<std::uint64_t, NodeId> nodes;
  for (const Stretch& s : stretches_) nodes.emplace(s.inode, noNode);
  std::vector<HeldStretch> all;
  for (NodeId id = 1; id < tree.size() && !nodes.empty(); ++id) {
    if (tree.kind(id) != EntryKind::file || !tree.mayShare(id) || tree.isGone(id)) continue;
    const auto at = nodes.find(tree.inode(id));
    if (at != nodes.end() && at->second == noNode) at->second = id;
  }
  for (const Stretch& s : stretches_)
    if (const NodeId node = nodes[s.inode]; node != noNode) all.push_back({node, s.place, s.bytes});
  for (std::size_t i = 0; before != nullptr && i < before->nodes.size(); ++i) {
    const NodeId node = before->nodes[i];
    if (node >= tree.size() || tree.isGone(node) || nodes.contains(tree.inode(node))) continue;
    for (const std::uint32_t e : before->heldBy(i))
      all.push_back({node, before->extents[e].place, before->extents[e].bytes});
  }
  if (all.empty()) return nullptr;
  auto holdings = std::make_shared<Holdings>();
  if (!holdStretches(*holdings, std::move(all), allSeen)) return nullptr;
  return holdings;
}

Result<EntryStat> SharedExtents::stat(const Folder& at, std::string_view name) {
  auto stat = inner_.stat(at, name);
  if (stat && !name.empty()) stat->mayShare = mayShare(at, name, *stat);
  return stat;
}

Result<void> SharedExtents::scan(const Folder& at, ScanSink& sink) {
  class Asking final : public ForwardingSink {
  public:
    Asking(SharedExtents& files, const Folder& at, ScanSink& next)
        : ForwardingSink(next), files_(files), at_(at) {}
    bool take(std::span<const ScannedEntry> entries) override {
      batch_.assign(entries.begin(), entries.end());
      for (auto& e : batch_) {
        if (e.error != 0) continue;
        e.stat.mayShare = files_.mayShare(at_, e.name, e.stat);
        next_.answered();
      }
      return next_.take(batch_);
    }

  private:
    SharedExtents& files_;
    const Folder& at_;
    std::vector<ScannedEntry> batch_;
  } asking(*this, at, sink);
  return inner_.scan(at, asking);
}

}  // namespace zt
