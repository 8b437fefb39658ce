// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string_view>

#include "core/base/bytes.h"
#include "core/base/path_bytes.h"

namespace zt {

/// Bytes within a file system's own capacity figure that are neither free nor any file's: 0 on ext4, whose
/// capacity leaves them out already. XFS: pool and set-aside, inode chunks, room for its own trees
/// (XFS_IOC_FSGEOMETRY, XFS_IOC_AG_GEOMETRY, FS_IOC_GETFSMAP). 0 where it is not known or the rights are
/// lacking; the statement then shows it as unexplained.
Bytes fileSystemOverhead(std::string_view fsType, const PathBytes& mountTarget);

}  // namespace zt
