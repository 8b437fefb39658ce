// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/base/path_bytes.h"
#include "core/base/result.h"

namespace zt {

/// One line of the mount table.
struct Mount {
  std::uint64_t id = 0;      ///< as statx gives it
  std::uint64_t device = 0;  ///< major << 32 | minor
  PathBytes source;          ///< "/dev/sda2", "server:/export", "tmpfs"
  PathBytes root;            ///< what of the file system is mounted: "/", or a bound folder, or a subvolume
  PathBytes target;
  std::string fsType;
  std::string options;
  bool readOnly = false;
  bool pseudo = false;  ///< proc, sysfs, tmpfs…: nothing to reclaim on a drive
  bool network = false;
};

/// What the hardware and the file system's header say of a mounted device. Unknown facts are empty.
struct DeviceFacts {
  std::string label;
  std::string uuid;
  std::string fsType;         ///< as its header says
  std::string model;          ///< of the device: "Harbour SSD 256"
  std::string hardware;       ///< tells this device from one that was copied from it; may be empty
  std::string partitionType;  ///< GPT type GUID or MBR type, lower case
  bool known = false;         ///< whether sysfs knows the device
  bool rotating = false;
  bool removable = false;
};

/// The port to the mount table and the devices behind it. Any thread.
class MountTable {
public:
  virtual ~MountTable() = default;
  virtual Result<std::vector<Mount>> mounts() = 0;
  virtual DeviceFacts facts(const Mount& mount) = 0;
};

}  // namespace zt
