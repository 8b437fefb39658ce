// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/measure/stored_files.h"

#include <algorithm>

namespace zt {

StoredFiles::StoredFiles(FileSystemPtr inner, std::shared_ptr<DriveInsides> insides, StoredSizes sizes)
    : ForwardingFileSystem(std::move(inner)), insides_(std::move(insides)), sizes_(std::move(sizes)) {
  stored_.reserve(sizes_.files.size());
  for (const auto& f : sizes_.files) stored_.emplace(std::pair{f.tree, f.inode}, f.stored);
  sizes_.files = {};
  sharers_.reserve(sizes_.sharers.size());
  for (const auto& s : sizes_.sharers) sharers_.emplace(s.tree, s.inode);
  sizes_.sharers = {};
}

std::uint64_t StoredFiles::treeOn(std::uint64_t device) const {
  const std::scoped_lock lock(mutex_);
  const auto at = trees_.find(device);
  return at == trees_.end() ? 0 : at->second;
}

EntryStat StoredFiles::weigh(EntryStat stat, std::uint64_t tree) const {
  if (stat.kind != EntryKind::file) return stat;
  const auto at = stored_.find({tree, stat.inode});
  if (at != stored_.end()) stat.occupied = at->second;
  // Of a subvolume that could not be told nothing is known.
  stat.mayShare = tree == 0 || sharers_.contains({tree, stat.inode});
  return stat;
}

Result<EntryStat> StoredFiles::stat(const Folder& at, std::string_view name) {
  auto stat = inner_.stat(at, name);
  if (!stat) return stat;
  if (name.empty()) learn(at, stat->device);
  *stat = weigh(*stat, treeOn(stat->device));
  return stat;
}

/// The first look into a subvolume tells which one it is.
void StoredFiles::learn(const Folder& folder, std::uint64_t device) {
  if (treeOn(device) != 0) return;
  if (const auto tree = insides_->treeOf(folder)) {
    const std::scoped_lock lock(mutex_);
    trees_[device] = *tree;
  }
}

Result<void> StoredFiles::scan(const Folder& at, ScanSink& sink) {
  class Weighed final : public ForwardingSink {
  public:
    Weighed(StoredFiles& files, const Folder& at, ScanSink& next)
        : ForwardingSink(next), files_(files), at_(at) {}
    bool take(std::span<const ScannedEntry> entries) override {
      batch_.assign(entries.begin(), entries.end());
      for (auto& e : batch_) {
        if (!known_ || e.stat.device != device_) {
          known_ = true;
          device_ = e.stat.device;
          // The entries of a folder are its subvolume's, but for the tops of others: those are folders.
          if (e.stat.kind != EntryKind::folder) files_.learn(at_, device_);
          tree_ = files_.treeOn(device_);
        }
        e.stat = files_.weigh(e.stat, tree_);
      }
      return next_.take(batch_);
    }

  private:
    StoredFiles& files_;
    const Folder& at_;
    std::vector<ScannedEntry> batch_;
    bool known_ = false;
    std::uint64_t device_ = 0;
    std::uint64_t tree_ = 0;
  } weighed(*this, at, sink);
  return inner_.scan(at, weighed);
}

std::vector<std::uint64_t> StoredFiles::devices() const {
  const std::scoped_lock lock(mutex_);
  std::vector<std::uint64_t> all;
  for (const auto& [device, tree] : trees_) all.push_back(device);
  return all;
}

StoredFiles::Sums StoredFiles::sums() const {
  const std::scoped_lock lock(mutex_);
  const auto walked = [&](std::uint64_t tree) {
    return std::any_of(trees_.begin(), trees_.end(), [&](const auto& t) { return t.second == tree; });
  };
  Sums sums;
  absl::flat_hash_map<std::uint64_t, bool> known;
  for (const auto& tree : sizes_.trees) {
    known[tree.id] = walked(tree.id);
    if (known[tree.id])
      sums.sharedTwice += tree.stored;
    else
      ++sums.otherTrees;
  }
  const auto& all = sizes_.extents;
  for (std::size_t from = 0; from < all.size();) {
    std::size_t to = from;
    bool reached = false;
    for (; to < all.size() && all[to].place == all[from].place; ++to)
      reached = reached || known[all[to].tree];
    (reached ? sums.walked : sums.others) += all[from].bytes;
    from = to;
  }
  sums.sharedTwice -= std::min(sums.sharedTwice, sums.walked);
  return sums;
}

}  // namespace zt
