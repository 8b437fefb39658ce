// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/file_system.h"

namespace zt::helper {

/// A folder as it looks through a copy of its mount that is read-only and sets no access times: whatever is
/// read there leaves no trace. The copy hangs nowhere and ends with this process. Needs CAP_SYS_ADMIN; fails
/// with the errno of open_tree(2) or mount_setattr(2). Source: mount_setattr(2), MOUNT_ATTR_NOATIME.
Result<FolderPtr> quietCopy(const PathBytes& path);

}  // namespace zt::helper
