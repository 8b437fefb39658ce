// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "core/os/drive_insides.h"
#include "core/os/open_files.h"
#include "core/os/snapshots.h"

namespace zt {

/// What can be read with rights, beneath one root. Lives as long as the helper behind it should. Any thread.
class PrivilegedAccess {
public:
  virtual ~PrivilegedAccess() = default;
  /// Folders that this reader opens belong to it alone.
  virtual FileSystemReader& files() = 0;
  virtual FolderPtr root() = 0;
  virtual OpenFiles& openFiles() = 0;
  virtual DriveInsides& insides() = 0;
};

/// The port to rights: asks for them once, for reading beneath `root` (absolute, free of links). Fails with
/// notPermitted where they are refused, unsupported where there is no helper. Any thread.
class Privileged {
public:
  virtual ~Privileged() = default;
  /// Whether asking would give anything that the program cannot do already.
  virtual bool worthAsking() = 0;
  virtual Result<std::unique_ptr<PrivilegedAccess>> start(const PathBytes& root) = 0;
  /// Asks for another right, that of letting go the points of one order on the drive that is mounted there.
  /// Whoever holds what it gives holds the right.
  virtual Result<std::shared_ptr<Snapshots>> startDropping(const PathBytes& mountTarget,
                                                           const DropOrder& order) {
    (void)order;
    return fail(Errc::unsupported, "helper", mountTarget);
  }
};

}  // namespace zt
