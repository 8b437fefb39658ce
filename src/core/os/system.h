// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>

#include "core/base/clock.h"
#include "core/os/forwarding_file_system.h"
#include "core/os/live_system.h"
#include "core/os/machine.h"
#include "core/os/mount_table.h"
#include "core/os/open_files.h"
#include "core/os/rights/privileged.h"
#include "core/os/snapshots.h"

namespace zt {

/// Who a drive is.
struct DriveIdentity {
  std::string id;
  bool twin = false;  ///< as `Drive::twin`
};

/// The ports to the machine, as `main` chose them. Shared, because a call that hangs may outlive whoever made
/// it.
struct System {
  FileSystemPtr files;
  std::shared_ptr<MountTable> mounts;
  std::shared_ptr<OpenFiles> openFiles;
  std::shared_ptr<Clock> clock;
  std::shared_ptr<DriveInsides> insides;
  std::shared_ptr<Privileged> privileged;
  std::shared_ptr<Snapshots> snapshots = nullptr;  ///< nullptr where none can be let go
  std::shared_ptr<Machine> machine = nullptr;      ///< nullptr where nothing is known of it
  /// Who a drive of a UUID is on some hardware, where one is known of that UUID; empty: its UUID says it.
  std::function<DriveIdentity(const std::string& uuid, const std::string& hardware)> identity = nullptr;
  std::shared_ptr<LiveSystem> live = nullptr;  ///< nullptr where nothing but files is to be changed
};

}  // namespace zt
