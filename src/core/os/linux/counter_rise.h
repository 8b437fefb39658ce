// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <sys/statvfs.h>

#include "core/os/file_system.h"

namespace zt {

/// How the counter of what is available on the file system of an open folder rises. Of ext2 to ext4 it is
/// told by the superblock (https://docs.kernel.org/filesystems/ext4/globals.html#super-block; needs the right
/// to read the device) and by /sys/fs/ext4/DEVICE/reserved_clusters; of a folder whose project has a quota,
/// by quotactl(2). Btrfs says that nothing is available as soon as its records have no room to grow
/// (btrfs_statfs in the kernel's fs/btrfs/super.c); close to that nobody can say what its counter will do,
/// and it divides all by the copies of one of its profiles. Any thread.
CounterRise counterRise(int folder, const struct statvfs& counters);

}  // namespace zt
