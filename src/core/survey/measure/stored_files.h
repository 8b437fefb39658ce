// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>
#include <absl/container/flat_hash_set.h>

#include <mutex>

#include "core/os/drive_insides.h"
#include "core/os/forwarding_file_system.h"
#include "core/survey/survey.h"

namespace zt {

/// Shows files with the bytes that are stored for them, where their block count says something else, and
/// tells points from folders. Learns on the way which subvolumes are walked. Any thread.
class StoredFiles final : public ForwardingFileSystem {
public:
  StoredFiles(FileSystemPtr inner, std::shared_ptr<DriveInsides> insides, StoredSizes sizes);

  Result<EntryStat> stat(const Folder& at, std::string_view name) override;
  Result<void> scan(const Folder& at, ScanSink& sink) override;

  /// What the extents add up to, by whether a walked subvolume reaches them.
  struct Sums {
    Bytes walked = 0;       ///< reached by walked subvolumes, each once
    Bytes sharedTwice = 0;  ///< counted by the walk more than once
    Bytes others = 0;       ///< reached only by subvolumes that were not walked
    std::uint64_t otherTrees = 0;
  };
  Sums sums() const;
  /// Device numbers of the subvolumes that were walked.
  std::vector<std::uint64_t> devices() const;
  const StoredSizes& sizes() const { return sizes_; }

  /// Who holds what, by the nodes of a finished tree of all that was walked; `used` bounds what points may
  /// hold that nobody could look into. One thread.
  HoldingsPtr holdings(const SurveyTree& tree, Bytes used);

private:
  using Key = std::pair<std::uint64_t, std::uint64_t>;  ///< tree and inode
  void learn(const Folder& folder, std::uint64_t device);
  EntryStat weigh(EntryStat stat, std::uint64_t tree) const;
  std::uint64_t treeOn(std::uint64_t device) const;
  const Subvolume* subvolume(std::uint64_t tree, std::uint64_t folder, std::string_view name) const;
  std::vector<bool> walkedTrees() const;

  std::shared_ptr<DriveInsides> insides_;
  StoredSizes sizes_;
  absl::flat_hash_map<Key, Bytes> stored_;
  absl::flat_hash_set<Key> sharers_;
  absl::flat_hash_map<Key, std::vector<const Subvolume*>> inFolder_;  ///< by the folder that they lie in
  mutable std::mutex mutex_;                                          ///< guards trees_
  absl::flat_hash_map<std::uint64_t, std::uint64_t> trees_;           ///< device number → tree
  std::uint64_t rootTree_ = 0;  ///< of the first folder that was asked about
};

}  // namespace zt
