// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <stop_token>

#include "core/base/result.h"
#include "core/os/btrfs/btrfs_forest.h"

namespace zt {

/// Who holds what on a mounted Btrfs: from the nodes on its devices, and where those cannot be read from the
/// kernel. `fd` is open on any folder of it. What was written shortly before is not seen unless it was
/// synced. Needs rights to read the devices, or CAP_SYS_ADMIN.
Result<StoredSizes> readMountedBtrfs(int fd, const std::stop_token& stop);

/// The subvolumes that this program may see, without any rights: those beneath the folder's own, and in whose
/// folders it may look. Which one is the default is not told, and of none where its tree begins.
Result<std::vector<Subvolume>> visibleSubvolumes(int fd);

/// Fills in where subvolumes lie and which are mounted, as far as may be asked.
void findPlaces(int fd, BtrfsRoots& roots);

}  // namespace zt
