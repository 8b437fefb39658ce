// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>

#include "core/os/btrfs/btrfs_nodes.h"
#include "core/os/stored_sizes.h"

namespace zt {

/// As hexadecimal digits; empty for one that is all zeros, which means none.
std::string uuidDigits(std::string_view bytes);

/// All subvolumes of a file system and where their trees begin, out of its tree of roots. Paths, and which
/// are mounted, are not told.
struct BtrfsRoots {
  std::vector<Subvolume> subvolumes;  ///< in the order of their numbers, which is that of their making
  std::vector<BtrfsPointer> trees;    ///< of each
};

/// Takes items of the tree of roots, from whatever they are read.
class BtrfsRootReader {
public:
  void item(const BtrfsKey& key, std::string_view data);
  BtrfsRoots finish();

private:
  struct Root {
    Subvolume is;
    BtrfsPointer tree;
  };
  std::map<std::uint64_t, Root> roots_;  ///< items of one need not come together
  std::uint64_t default_ = 5;            // BTRFS_FS_TREE_OBJECTID
};

/// Who holds what, from the trees of all subvolumes: every node is read once, however many of them share it,
/// from the roots downwards, and hands what reaches it on to what it points to. Fails with changed where the
/// file system was written to meanwhile.
Result<StoredSizes> readBtrfsForest(BtrfsNodes& nodes, const BtrfsRoots& roots, const std::stop_token& stop);
Result<BtrfsRoots> readBtrfsRoots(BtrfsNodes& nodes, const std::stop_token& stop);

}  // namespace zt
