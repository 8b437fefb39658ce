// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/btrfs/btrfs_nodes.h"
#include "core/os/stored_sizes.h"

namespace zt {

/// Adds up the items of a file system's trees of files, from whatever they are read, in any order but that
/// those of one leaf come together. One thread.
class BtrfsTally {
public:
  explicit BtrfsTally(std::vector<Subvolume> subvolumes);

  NumberSets& sets() { return sizes_.sets; }
  /// A leaf, or a whole tree: who reaches it. Its items follow.
  void begin(NumberSets::Id holders);
  void item(const BtrfsKey& key, std::string_view data);
  /// A node of the trees themselves.
  void record(NumberSets::Id holders, Bytes bytes) { records_[holders] += bytes; }

  StoredSizes finish();

private:
  struct Reach {
    std::uint64_t place = 0;
    Bytes bytes = 0;
    NumberSets::Id holders = NumberSets::none;
  };
  struct FileReach {
    std::uint32_t tree = 0;  ///< its place among the subvolumes
    std::uint64_t inode = 0;
    std::uint64_t place = 0;
    Bytes bytes = 0;
    bool operator==(const FileReach&) const = default;
  };
  struct Reported {
    std::uint32_t tree = 0;
    std::uint64_t inode = 0;
    Bytes bytes = 0;
  };
  void extent(std::uint64_t inode, const Fields& item);
  void weighFiles();
  void findShared();

  StoredSizes sizes_;
  std::vector<bool> listed_;  ///< of which files are told
  NumberSets::Id holders_ = NumberSets::none;
  std::vector<std::uint32_t> trees_;  ///< listed ones among the holders
  std::vector<Reach> reaches_;
  std::vector<FileReach> files_;
  std::vector<Reported> reported_;
  absl::flat_hash_map<NumberSets::Id, Bytes> records_;
};

}  // namespace zt
