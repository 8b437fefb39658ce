// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/file_system.h"
#include "core/os/snapshots.h"

namespace zt {

/// Btrfs by its ioctls: the tree of roots (BTRFS_IOC_TREE_SEARCH_V2), BTRFS_IOC_SNAP_DESTROY_V2 by number,
/// BTRFS_IOC_SYNC. All but listing needs CAP_SYS_ADMIN; without it those subvolumes are listed whose folders
/// may be opened (libbtrfsutil), and which one is the default is not known.
class LinuxSnapshots final : public Snapshots {
public:
  LinuxSnapshots() = default;
  /// Works in this folder, whatever lies at its path by then.
  explicit LinuxSnapshots(FolderPtr top) : top_(std::move(top)) {}

  Result<void> begin(const PathBytes& mountTarget, const DropOrder& order) override;
  Result<std::vector<Subvolume>> list(const PathBytes& mountTarget) override;
  Result<void> drop(const PathBytes& mountTarget, const Subvolume& meant) override;
  Result<std::size_t> cleaning(const PathBytes& mountTarget) override;

private:
  Result<FolderPtr> open(const PathBytes& mountTarget) const;
  FolderPtr top_;
};

}  // namespace zt
