// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/btrfs/btrfs_forest.h"

namespace zt {

/// The same as from the nodes, asked of the kernel item by item (BTRFS_IOC_TREE_SEARCH_V2): for file systems
/// whose nodes cannot be read. Every subvolume is gone through whole, so that a long series takes its time,
/// and nothing is told of the trees' own records. `fd` is open on any folder of it. Needs CAP_SYS_ADMIN.
Result<BtrfsRoots> searchBtrfsRoots(int fd);
Result<StoredSizes> searchBtrfsTrees(int fd, const BtrfsRoots& roots, const std::stop_token& stop);

}  // namespace zt
