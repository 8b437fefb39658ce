// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/drive_insides.h"
#include "core/os/linux/linux_file_system.h"

namespace zt {

/// Asks the kernel. What each figure is and where it is from:
/// - ext2/3/4: nothing to add, the capacity leaves tables and journal out already.
/// - XFS: pool and set-aside, inode chunks, headers and tree roots of the allocation groups, room kept for
/// its
///   own trees (XFS_IOC_FSGEOMETRY, XFS_IOC_AG_GEOMETRY, FS_IOC_GETFSMAP; ioctl_xfs_fsgeometry(2),
///   ioctl_xfs_ag_geometry(2), ioctl_getfsmap(2)). Needs rights.
/// - Btrfs: metadata and system blocks in all their copies, the global reserve (BTRFS_IOC_SPACE_INFO).
/// - `storedSizes`: the trees of every subvolume, see btrfs/linux_btrfs.h. Needs rights to the devices or
///   CAP_SYS_ADMIN.
/// - `leftOpen`: NTFS alone, whose drivers mount it all the same. The kernel's own (ntfs3) sets the mark
/// while
///   it is mounted and mounts no marked volume unless it is forced to, so there the force is what is asked.
/// - `uncovered`: open_tree(2) with OPEN_TREE_CLONE. Needs CAP_SYS_ADMIN.
class LinuxDriveInsides final : public DriveInsides {
public:
  Overhead overhead(std::string_view fsType, const PathBytes& mountTarget) override;
  Result<std::vector<Subvolume>> visible(std::string_view fsType, const PathBytes& mountTarget) override;
  Result<StoredSizes> storedSizes(std::string_view fsType, const PathBytes& mountTarget,
                                  const std::stop_token& stop) override;
  Result<std::uint64_t> treeOf(const Folder& folder) override;
  Result<bool> leftOpen(std::string_view fsType, const PathBytes& source, std::string_view options) override;
  Result<Uncovered> uncovered(const PathBytes& folder) override;

private:
  std::shared_ptr<LinuxFileSystem> files_ = std::make_shared<LinuxFileSystem>();
};

}  // namespace zt
