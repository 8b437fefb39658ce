// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/drive/system_family.h"
#include "core/os/system.h"

namespace zt {

/// What a drive is for.
enum class DriveRole : std::uint8_t { system, data, backup, removable, recovery, boot, network };
constexpr int driveRoles = 7;
/// What it is made of; decides which headroom rules speak.
enum class DriveKind : std::uint8_t { unknown, solidState, rotating, removable, network };
constexpr int driveKinds = 5;
/// How large it is, as far as headroom is concerned: of a small drive ten gigabytes are much, of a large one
/// ten per cent are.
enum class SizeClass : std::uint8_t { small, ordinary, large };
constexpr int sizeClasses = 3;

std::string_view name(DriveRole role);
std::string_view name(DriveKind kind);
std::string_view name(SizeClass size);

/// Small: under 160 GB; large: from 2 TB on.
SizeClass sizeClassOf(Bytes capacity);

/// One attached drive: one file system, however often it is mounted.
struct Drive {
  std::string id;        ///< UUID of the file system; its source where it has none
  std::string hardware;  ///< tells it from one that was copied from it block by block; may be empty
  /// Another one of its UUID is known, on other hardware, and nobody said yet whether it is that one: it has
  /// an identity of its own until then (core/job/twins.h).
  bool twin = false;
  std::string label;  ///< as the owner named it; may be empty
  std::string model;  ///< of the device; may be empty
  PathBytes target;   ///< where it is mounted; the shortest where there are several
  std::vector<PathBytes> alsoAt;
  PathBytes source;
  std::string fsType;
  std::string options;
  std::uint64_t device = 0;
  DriveRole role = DriveRole::data;
  DriveKind kind = DriveKind::unknown;
  SizeClass size = SizeClass::ordinary;
  std::vector<SystemRoot> systems;  ///< from its top; the one in use first
  std::string systemName;           ///< "Debian GNU/Linux 12" from its own files; may be empty
  SpaceUsage usage;
  bool readOnly = false;
  bool wholeMount = true;   ///< the mount shows the file system from its top (of Btrfs: any subvolume)
  bool liveSystem = false;  ///< part of the machine that is running this program
  bool standIn = false;
  bool answers = true;  ///< false: it did not answer in time; nothing but its mount is known
  SystemFamily family() const { return systems.empty() ? SystemFamily::none : systems.front().family; }
  /// Full by design: raises no alarm (recovery, boot).
  bool fullByDesign() const { return role == DriveRole::recovery || role == DriveRole::boot; }
};

/// What somebody says of a drive against what the hardware says.
struct DriveOverrule {
  std::optional<DriveKind> kind;
  std::optional<SizeClass> size;
};
void overrule(Drive& drive, const DriveOverrule& said);

/// All attached drives. Pseudo file systems are left out; bind mounts and subvolumes of one file system are
/// one drive. Each is asked on a thread of its own, which is left behind if the drive does not answer within
/// `patience` (`Drive::answers`). Fails only if the mount table cannot be read.
Result<std::vector<Drive>> listDrives(const System& system,
                                      std::chrono::milliseconds patience = std::chrono::milliseconds(2000));

/// Whether two paths lie on one file system, by whatever mounts (of Btrfs: whatever subvolumes) they are
/// seen. Both absolute and free of links.
Result<bool> onOneFileSystem(const System& system, const PathBytes& a, const PathBytes& b);

/// A path as its own file system has it, from its top, by the mount that it is seen through.
Result<PathBytes> pathInFileSystem(const System& system, const PathBytes& path);

/// Where the top of the file system is mounted that a path lies on; fails with notThere where only folders of
/// it are.
Result<PathBytes> topOf(const System& system, const PathBytes& path);

/// Systems as seen from their top, turned to a folder of theirs.
std::vector<SystemRoot> turnedTo(const PathBytes& folder, const std::vector<SystemRoot>& systems);

/// The systems that a folder lies in or holds, as seen from it. `path` must be absolute and free of links.
Result<std::vector<SystemRoot>> systemsFrom(const System& system, const PathBytes& path);

/// The drive that a folder lies on. `path` must be absolute and free of links.
Result<Drive> driveOf(const System& system, const PathBytes& path);

}  // namespace zt
