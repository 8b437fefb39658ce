// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/btrfs/btrfs_tally.h"

#include <algorithm>
#include <map>
#include <tuple>

namespace zt {

namespace {
constexpr std::uint8_t inodeItemKey = 1, extentDataKey = 108;
constexpr std::size_t nbytesAt = 24;  // btrfs_inode_item.nbytes
}  // namespace

BtrfsTally::BtrfsTally(std::vector<Subvolume> subvolumes) {
  for (Subvolume& s : subvolumes) {
    listed_.push_back(!s.isPoint() && !s.going);
    sizes_.trees.push_back({std::move(s), 0});
  }
}

void BtrfsTally::begin(NumberSets::Id holders) {
  holders_ = holders;
  trees_.clear();
  for (const NumberSets::Run& run : sizes_.sets.runs(holders))
    for (std::uint32_t t = run.from; t < run.to && t < listed_.size(); ++t)
      if (listed_[t]) trees_.push_back(t);
}

void BtrfsTally::item(const BtrfsKey& key, std::string_view data) {
  const Fields f(data);
  if (key.type == inodeItemKey)
    for (const std::uint32_t tree : trees_) reported_.push_back({tree, key.object, f.le64(nbytesAt)});
  if (key.type == extentDataKey) extent(key.object, f);
}

/// struct btrfs_file_extent_item: generation 8, ram_bytes 8, compression 1, encryption 1, other 2, type 1,
/// then disk_bytenr, disk_num_bytes, offset, num_bytes.
void BtrfsTally::extent(std::uint64_t inode, const Fields& item) {
  constexpr std::uint8_t inlineType = 0;
  constexpr std::size_t whole = 53;
  const Bytes ram = item.le64(8);
  if (item.size() < 21) return;
  if (item.u8(20) == inlineType) {
    sizes_.inlined += ram * trees_.size();
    return;
  }
  const std::uint64_t place = item.le64(21);
  const Bytes stored = item.le64(29), length = item.le64(45);
  if (item.size() < whole || place == 0) return;  // a hole
  reaches_.push_back({place, stored, holders_});
  if (trees_.empty()) return;
  // An extent that was overwritten in its middle is named again soon after.
  const auto from = files_.end() - std::min<std::ptrdiff_t>(4, std::ssize(files_));
  const bool again = std::any_of(from, files_.end(), [&](const FileReach& r) {
    return r.place == place && r.inode == inode && r.tree == trees_.front();
  });
  const Bytes counted = again ? 0 : stored;
  if (item.u8(16) != 0 && counted < length)
    sizes_.compressed += (length - counted) * trees_.size();
  else if (counted > length)
    sizes_.pinned += (counted - length) * trees_.size();
  if (!again)
    for (const std::uint32_t tree : trees_) files_.push_back({tree, inode, place, stored});
}

/// What each listed file takes, and which of them take something else than their block counts say.
void BtrfsTally::weighFiles() {
  std::sort(files_.begin(), files_.end(), [](const FileReach& a, const FileReach& b) {
    return std::tie(a.tree, a.inode, a.place, a.bytes) < std::tie(b.tree, b.inode, b.place, b.bytes);
  });
  files_.erase(std::unique(files_.begin(), files_.end()), files_.end());
  const auto key = [](const auto& one) { return std::tuple(one.tree, one.inode); };
  std::sort(reported_.begin(), reported_.end(),
            [&](const Reported& a, const Reported& b) { return key(a) < key(b); });
  constexpr Bytes sector = 4096;
  std::size_t at = 0;
  for (const Reported& file : reported_) {
    Bytes stored = 0;
    for (; at < files_.size() && key(files_[at]) < key(file);) ++at;
    for (; at < files_.size() && key(files_[at]) == key(file); ++at) stored += files_[at].bytes;
    sizes_.trees[file.tree].stored += stored;
    // What stat calls its blocks: whole sectors of what it holds.
    if (stored != (file.bytes + sector - 1) / sector * sector)
      sizes_.files.push_back({sizes_.trees[file.tree].is.id, file.inode, stored});
  }
}

/// Every place once with all that reach it: sums by holders, and what more than one file holds by itself.
void BtrfsTally::findShared() {
  std::sort(reaches_.begin(), reaches_.end(), [](const Reach& a, const Reach& b) {
    return std::tie(a.place, a.holders) < std::tie(b.place, b.holders);
  });
  std::sort(files_.begin(), files_.end(), [](const FileReach& a, const FileReach& b) {
    return std::tie(a.place, a.tree, a.inode) < std::tie(b.place, b.tree, b.inode);
  });
  absl::flat_hash_map<NumberSets::Id, Bytes> held;
  std::size_t file = 0;
  std::vector<NumberSets::Id> together;
  for (std::size_t from = 0, to = 0; from < reaches_.size(); from = to) {
    together.clear();
    const Reach& first = reaches_[from];
    for (to = from; to < reaches_.size() && reaches_[to].place == first.place; ++to)
      if (together.empty() || together.back() != reaches_[to].holders)
        together.push_back(reaches_[to].holders);
    NumberSets::Id holders = together.front();
    for (std::size_t i = 1; i < together.size(); ++i) holders = sizes_.sets.join(holders, together[i]);
    held[holders] += first.bytes;
    while (file < files_.size() && files_[file].place < first.place) ++file;
    std::size_t end = file;
    while (end < files_.size() && files_[end].place == first.place) ++end;
    if (end > file && (end - file > 1 || sizes_.sets.count(holders) > 1)) {
      const auto extent = static_cast<std::uint32_t>(sizes_.extents.size());
      sizes_.extents.push_back({first.bytes, holders});
      for (; file < end; ++file)
        sizes_.reaches.push_back({sizes_.trees[files_[file].tree].is.id, files_[file].inode, extent});
    }
    file = end;
  }
  std::sort(sizes_.reaches.begin(), sizes_.reaches.end(), [](const auto& a, const auto& b) {
    return std::tie(a.tree, a.inode, a.extent) < std::tie(b.tree, b.inode, b.extent);
  });
  for (const auto& [set, bytes] : held) sizes_.held.push_back({set, bytes, 0});
}

StoredSizes BtrfsTally::finish() {
  weighFiles();
  findShared();
  std::map<NumberSets::Id, StoredSizes::Held> all;
  for (const auto& h : sizes_.held) all[h.holders] = h;
  for (const auto& [set, bytes] : records_) all[set] = {set, all[set].bytes, bytes};
  sizes_.held.clear();
  for (const auto& [set, h] : all) sizes_.held.push_back(h);
  return std::move(sizes_);
}

}  // namespace zt
