// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/drive_insides.h"

namespace zt {

/// Reads the file extent items of every subvolume of the Btrfs that an open folder lies on; see
/// LinuxDriveInsides. Fails with notPermitted without CAP_SYS_ADMIN.
Result<StoredSizes> readBtrfsExtents(int fd);

}  // namespace zt
