// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/drive/drive.h"

#include <algorithm>
#include <array>

#include "core/drive/system_family.h"

namespace zt {

std::string_view name(DriveRole role) {
  static constexpr std::array<std::string_view, 7> names{"system",   "data", "backup", "removable",
                                                         "recovery", "boot", "network"};
  return names[static_cast<std::size_t>(role)];
}

std::string_view name(DriveKind kind) {
  static constexpr std::array<std::string_view, 5> names{"unknown", "solid-state", "rotating", "removable",
                                                         "network"};
  return names[static_cast<std::size_t>(kind)];
}

std::string_view name(SystemFamily family) {
  static constexpr std::array<std::string_view, 4> names{"none", "linux", "windows", "mac"};
  return names[static_cast<std::size_t>(family)];
}

namespace {

bool contains(std::string_view text, std::string_view part) {
  const auto same = [](char a, char b) {
    return std::tolower(static_cast<unsigned char>(a)) == std::tolower(static_cast<unsigned char>(b));
  };
  return std::search(text.begin(), text.end(), part.begin(), part.end(), same) != text.end();
}

/// Partition type GUIDs that say what a partition is for (UEFI specification; systemd's discoverable
/// partitions).
constexpr std::string_view espType = "c12a7328-f81f-11d2-ba4b-00a0c93ec93b";
constexpr std::string_view extendedBootType = "bc13c2ff-59e6-4262-a352-b275fd6f7172";
constexpr std::string_view recoveryType = "de94bba4-06d1-4d40-a16a-bfd50179d6ac";

DriveRole roleOf(const Mount& mount, const DeviceFacts& facts, SystemFamily family) {
  if (mount.network) return DriveRole::network;
  if (facts.partitionType == espType || facts.partitionType == extendedBootType || mount.target == "/boot" ||
      beneath(mount.target, "/boot") || mount.target == "/efi")
    return DriveRole::boot;
  if (facts.partitionType == recoveryType || contains(facts.label, "recovery")) return DriveRole::recovery;
  if (mount.target == "/" || family != SystemFamily::none) return DriveRole::system;
  if (contains(facts.label, "backup") || contains(baseName(mount.target), "backup")) return DriveRole::backup;
  if (facts.removable) return DriveRole::removable;
  return DriveRole::data;
}

DriveKind kindOf(const Mount& mount, const DeviceFacts& facts) {
  if (mount.network) return DriveKind::network;
  if (facts.removable) return DriveKind::removable;
  if (!facts.known) return DriveKind::unknown;
  return facts.rotating ? DriveKind::rotating : DriveKind::solidState;
}

/// Folders that belong to the running system wherever they are mounted from.
bool isLive(const PathBytes& target) {
  static constexpr std::array<std::string_view, 8> tops{"/",     "/usr", "/var", "/home",
                                                        "/boot", "/opt", "/srv", "/root"};
  return std::find(tops.begin(), tops.end(), target) != tops.end() || beneath(target, "/boot") ||
         beneath(target, "/var");
}

Result<Drive> toDrive(System& system, const Mount& mount) {
  auto root = system.files.openRoot(mount.target);
  if (!root) return tl::unexpected(root.error());
  const auto usage = system.files.usage(**root);
  if (!usage) return tl::unexpected(usage.error());
  const DeviceFacts facts = system.mounts.facts(mount);
  Drive d;
  d.id = facts.uuid.empty() ? mount.source : facts.uuid;
  d.label = facts.label;
  d.target = mount.target;
  d.source = mount.source;
  d.fsType = mount.fsType;
  d.options = mount.options;
  d.device = mount.device;
  d.usage = *usage;
  d.readOnly = mount.readOnly || usage->readOnly;
  d.wholeMount = mount.root == "/" || mount.root.empty() || mount.fsType == "btrfs";
  d.liveSystem = isLive(mount.target);
  const FoundSystem found = findSystem(system.files, **root);
  d.family = found.family;
  d.systemName = found.name;
  d.role = roleOf(mount, facts, found.family);
  d.kind = kindOf(mount, facts);
  return d;
}

/// Whether two mounts show one file system: the same device, or for Btrfs (whose subvolumes have numbers of
/// their own) the same source.
bool sameFileSystem(const Mount& a, const Mount& b) {
  if (a.device == b.device) return true;
  return a.fsType == b.fsType && a.source == b.source && a.source.rfind("/dev/", 0) == 0;
}

/// Which of two mounts of one file system stands for it: its own root before a bound folder, then the shorter
/// path.
bool betterFace(const Mount& a, const Mount& b) {
  const bool wholeA = a.root == "/";
  const bool wholeB = b.root == "/";
  if (wholeA != wholeB) return wholeA;
  return a.target.size() < b.target.size();
}

struct MountGroup {
  Mount face;
  std::vector<PathBytes> others;
};

std::vector<MountGroup> groupMounts(const std::vector<Mount>& mounts) {
  std::vector<MountGroup> groups;
  for (const Mount& m : mounts) {
    if (m.pseudo || m.fsType == "squashfs" || m.fsType == "iso9660") continue;
    const auto same =
        std::find_if(groups.begin(), groups.end(), [&](const auto& g) { return sameFileSystem(g.face, m); });
    if (same == groups.end()) {
      groups.push_back({m, {}});
    } else if (same->face.target == m.target) {
      same->face = m;  // mounted over itself: the later one is what is seen
    } else if (betterFace(m, same->face)) {
      same->others.push_back(same->face.target);
      same->face = m;
    } else {
      same->others.push_back(m.target);
    }
  }
  return groups;
}

}  // namespace

Result<std::vector<Drive>> listDrives(System& system) {
  const auto mounts = system.mounts.mounts();
  if (!mounts) return tl::unexpected(mounts.error());
  std::vector<Drive> drives;
  for (auto& group : groupMounts(*mounts)) {
    auto drive = toDrive(system, group.face);
    if (!drive || drive->usage.capacity == 0) continue;
    drive->alsoAt = std::move(group.others);
    drives.push_back(std::move(*drive));
  }
  return drives;
}

Result<Drive> driveOf(System& system, const PathBytes& path) {
  const auto mounts = system.mounts.mounts();
  if (!mounts) return tl::unexpected(mounts.error());
  const Mount* best = nullptr;
  for (const Mount& m : *mounts) {
    const bool holds = m.target == "/" || path == m.target || beneath(path, m.target);
    if (holds && (best == nullptr || m.target.size() >= best->target.size())) best = &m;
  }
  if (best == nullptr) return fail(Errc::notThere, "drive-of", path);
  return toDrive(system, *best);
}

}  // namespace zt
