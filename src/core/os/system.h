// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/clock.h"
#include "core/os/file_system.h"
#include "core/os/mount_table.h"
#include "core/os/open_files.h"
#include "core/os/privileged.h"

namespace zt {

/// The ports to the machine, as `main` chose them. All of them outlive whoever is given this.
struct System {
  FileSystem& files;
  MountTable& mounts;
  OpenFiles& openFiles;
  Clock& clock;
  DriveInsides& insides;
  Privileged& privileged;
};

}  // namespace zt
