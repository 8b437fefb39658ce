// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/snapshots.h"

namespace zt {

/// Btrfs by its ioctls: the tree of roots (BTRFS_IOC_TREE_SEARCH_V2), BTRFS_IOC_SNAP_DESTROY_V2 by number,
/// BTRFS_IOC_SYNC. Needs CAP_SYS_ADMIN.
class LinuxSnapshots final : public Snapshots {
public:
  Result<std::vector<Subvolume>> list(const PathBytes& mountTarget) override;
  Result<void> drop(const PathBytes& mountTarget, const Subvolume& meant) override;
  Result<std::size_t> cleaning(const PathBytes& mountTarget) override;
};

}  // namespace zt
