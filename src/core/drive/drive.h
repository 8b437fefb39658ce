// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/os/system.h"

namespace zt {

/// What a drive is for.
enum class DriveRole : std::uint8_t { system, data, backup, removable, recovery, boot, network };
/// What it is made of; decides which headroom rules speak.
enum class DriveKind : std::uint8_t { unknown, solidState, rotating, removable, network };
/// Which operating system it carries, by its own files.
enum class SystemFamily : std::uint8_t { none, linuxKind, windows, mac };

std::string_view name(DriveRole role);
std::string_view name(DriveKind kind);
std::string_view name(SystemFamily family);

/// One attached drive: one file system, however often it is mounted.
struct Drive {
  std::string id;     ///< UUID of the file system; its source where it has none
  std::string label;  ///< as the owner named it; may be empty
  PathBytes target;   ///< where it is mounted; the shortest where there are several
  std::vector<PathBytes> alsoAt;
  PathBytes source;
  std::string fsType;
  std::string options;
  std::uint64_t device = 0;
  DriveRole role = DriveRole::data;
  DriveKind kind = DriveKind::unknown;
  SystemFamily family = SystemFamily::none;
  std::string systemName;  ///< "Debian GNU/Linux 12" from its own files; may be empty
  SpaceUsage usage;
  bool readOnly = false;
  bool wholeMount = true;   ///< the mount shows the file system from its top (of Btrfs: any subvolume)
  bool liveSystem = false;  ///< part of the machine that is running this program
  bool standIn = false;
  /// Full by design: raises no alarm (recovery, boot).
  bool fullByDesign() const { return role == DriveRole::recovery || role == DriveRole::boot; }
};

/// All attached drives. Pseudo file systems are left out; bind mounts and subvolumes of one file system are
/// one drive. A drive that does not answer is left out too. Fails only if the mount table cannot be read.
Result<std::vector<Drive>> listDrives(System& system);

/// The drive that a folder lies on. `path` must be absolute and free of links.
Result<Drive> driveOf(System& system, const PathBytes& path);

}  // namespace zt
