// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/measure/stored_files.h"

#include <algorithm>
#include <utility>

#include "core/survey/measure/stored_holdings.h"

namespace zt {

StoredFiles::StoredFiles(FileSystemPtr inner, std::shared_ptr<DriveInsides> insides, StoredSizes sizes)
    : ForwardingFileSystem(std::move(inner)), insides_(std::move(insides)), sizes_(std::move(sizes)) {
  stored_.reserve(sizes_.files.size());
  for (const auto& f : sizes_.files) stored_.emplace(Key{f.tree, f.inode}, f.stored);
  sizes_.files = {};
  for (const auto& r : sizes_.reaches) sharers_.emplace(r.tree, r.inode);
  for (const auto& t : sizes_.trees)
    if (t.is.parent != 0) inFolder_[{t.is.parent, t.is.folder}].push_back(&t.is);
}

std::uint64_t StoredFiles::treeOn(std::uint64_t device) const {
  const std::scoped_lock lock(mutex_);
  const auto at = trees_.find(device);
  return at == trees_.end() ? 0 : at->second;
}

EntryStat StoredFiles::weigh(EntryStat stat, std::uint64_t tree) const {
  if (stat.kind != EntryKind::file || sizes_.namesOnly) return stat;
  const auto at = stored_.find({tree, stat.inode});
  if (at != stored_.end()) stat.occupied = at->second;
  // Of a subvolume that could not be told nothing is known.
  stat.mayShare = tree == 0 || sharers_.contains({tree, stat.inode});
  return stat;
}

const Subvolume* StoredFiles::subvolume(std::uint64_t tree, std::uint64_t folder,
                                        std::string_view name) const {
  const auto at = inFolder_.find({tree, folder});
  if (at == inFolder_.end()) return nullptr;
  for (const Subvolume* s : at->second)
    if (s->name == name) return s;
  return nullptr;
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
    const bool point = std::any_of(sizes_.trees.begin(), sizes_.trees.end(),
                                   [&](const auto& t) { return t.is.id == *tree && t.is.isPoint(); });
    if (point && !trees_.empty()) return;  // asked about, not walked
    if (trees_.empty()) rootTree_ = *tree;
    trees_[device] = *tree;
  }
}

Result<void> StoredFiles::scan(const Folder& at, ScanSink& sink) {
  class Weighed final : public ForwardingSink {
  public:
    Weighed(StoredFiles& files, const Folder& at, ScanSink& next)
        : ForwardingSink(next), files_(files), at_(at) {}
    void folder(std::uint64_t inode) override {
      folder_ = inode;
      next_.folder(inode);
    }
    bool take(std::span<const ScannedEntry> entries) override {
      batch_.assign(entries.begin(), entries.end());
      for (auto& e : batch_) {
        if (e.stat.kind == EntryKind::folder && e.stat.inode == subvolumeTopInode) mark(e);
        // The entries of a folder are its subvolume's, but for the tops of others and mounts: those are
        // folders.
        const bool own = e.stat.kind != EntryKind::folder;
        if (!known_ || e.stat.device != device_ || (own && !asked_)) {
          known_ = true;
          device_ = e.stat.device;
          if (own && !std::exchange(asked_, true)) files_.learn(at_, device_);
          tree_ = files_.treeOn(device_);
        }
        e.stat = files_.weigh(e.stat, tree_);
      }
      return next_.take(batch_);
    }

  private:
    /// The top of another subvolume: a point is not gone into.
    void mark(ScannedEntry& e) {
      if (own_ == 0) own_ = files_.insides_->treeOf(at_).value_or(0);
      const Subvolume* s = files_.subvolume(own_, folder_, e.name);
      e.stat.point = s != nullptr && s->isPoint();
    }
    StoredFiles& files_;
    const Folder& at_;
    std::vector<ScannedEntry> batch_;
    bool known_ = false;
    bool asked_ = false;  ///< which subvolume the folder's own entries are of
    std::uint64_t folder_ = 0;
    std::uint64_t own_ = 0;
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

std::vector<bool> StoredFiles::walkedTrees() const {
  const std::scoped_lock lock(mutex_);
  std::vector<bool> walked;
  for (const auto& tree : sizes_.trees)
    walked.push_back(
        std::any_of(trees_.begin(), trees_.end(), [&](const auto& t) { return t.second == tree.is.id; }));
  return walked;
}

StoredFiles::Sums StoredFiles::sums() const {
  const std::vector<bool> walked = walkedTrees();
  Sums sums;
  for (std::size_t i = 0; i < walked.size(); ++i) {
    if (walked[i])
      sums.sharedTwice += sizes_.trees[i].stored;
    else if (sizes_.trees[i].is.id < (std::uint64_t{1} << 63))  // not one of the file system's own
      ++sums.otherTrees;
  }
  const NumberSets::Chosen chosen(walked);
  for (const auto& held : sizes_.held)
    (chosen.any(sizes_.sets, held.holders) ? sums.walked : sums.others) += held.bytes;
  sums.sharedTwice -= std::min(sums.sharedTwice, sums.walked);
  return sums;
}

HoldingsPtr StoredFiles::holdings(const SurveyTree& tree, Bytes used) {
  return holdingsOf(sizes_, walkedTrees(), rootTree_, tree, used);
}

}  // namespace zt
