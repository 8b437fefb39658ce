// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string_view>

#include "core/base/bytes.h"
#include "core/base/path_bytes.h"

namespace zt {

/// Bytes within a file system's own capacity figure that are neither free nor any file's. 0 where it is not
/// known or the rights are lacking (XFS needs them); the statement then shows it as unexplained. Any thread;
/// writes nothing.
/// - ext4: 0, its capacity leaves tables and journal out already.
/// - XFS: pool and set-aside, room kept for its own trees, inode chunks (XFS_IOC_FSGEOMETRY,
/// XFS_IOC_AG_GEOMETRY,
///   FS_IOC_GETFSMAP; man pages ioctl_xfs_fsgeometry(2), ioctl_xfs_ag_geometry(2), ioctl_getfsmap(2)).
/// - Btrfs: metadata and system blocks in all their copies, and the global reserve (BTRFS_IOC_SPACE_INFO).
Bytes fileSystemOverhead(std::string_view fsType, const PathBytes& mountTarget);

}  // namespace zt
