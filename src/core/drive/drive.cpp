// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/drive/drive.h"

#include <algorithm>
#include <array>
#include <future>
#include <thread>

#include "core/base/apart.h"

namespace zt {

std::string_view name(DriveRole role) {
  static constexpr std::array<std::string_view, driveRoles> names{"system",   "data", "backup", "removable",
                                                                  "recovery", "boot", "network"};
  return names[static_cast<std::size_t>(role)];
}

std::string_view name(DriveKind kind) {
  static constexpr std::array<std::string_view, 5> names{"unknown", "solid-state", "rotating", "removable",
                                                         "network"};
  return names[static_cast<std::size_t>(kind)];
}

std::string_view name(SizeClass size) {
  static constexpr std::array<std::string_view, sizeClasses> names{"small", "ordinary", "large"};
  return names[static_cast<std::size_t>(size)];
}

SizeClass sizeClassOf(Bytes capacity) {
  if (capacity < 160'000'000'000) return SizeClass::small;
  return capacity < 2'000'000'000'000 ? SizeClass::ordinary : SizeClass::large;
}

void overrule(Drive& drive, const DriveOverrule& said) {
  drive.kind = said.kind.value_or(drive.kind);
  drive.size = said.size.value_or(drive.size);
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

/// What the mount table alone says of a drive.
Drive bareDrive(const Mount& mount) {
  Drive d;
  d.id = mount.source;
  d.target = mount.target;
  d.source = mount.source;
  d.fsType = mount.fsType;
  d.options = mount.options;
  d.device = mount.device;
  d.readOnly = mount.readOnly;
  d.wholeMount = mount.root == "/" || mount.root.empty() || mount.fsType == "btrfs";
  d.liveSystem = isLive(mount.target);
  d.role = roleOf(mount, {}, SystemFamily::none);
  d.kind = kindOf(mount, {});
  return d;
}

/// Whether two mounts show one file system: the same device, or for Btrfs (whose subvolumes have numbers of
/// their own) the same source.
bool sameFileSystem(const Mount& a, const Mount& b) {
  if (a.device == b.device) return true;
  return a.fsType == b.fsType && a.source == b.source && a.source.rfind("/dev/", 0) == 0;
}

/// A folder's path below another one of the same file system; nothing where it does not lie there.
std::optional<PathBytes> below(const PathBytes& path, const PathBytes& top) {
  if (top.empty() || top == "/") return PathBytes(path.substr(std::min<std::size_t>(1, path.size())));
  if (path == top) return PathBytes{};
  return beneath(path, top) ? std::optional(PathBytes(path.substr(top.size() + 1))) : std::nullopt;
}

}  // namespace

std::vector<SystemRoot> turnedTo(const PathBytes& folder, const std::vector<SystemRoot>& systems) {
  std::vector<SystemRoot> turned;
  for (SystemRoot s : systems) {
    if (s.at == folder) {
      s.at.clear();
    } else if (beneath(s.at, folder)) {
      s.at = s.at.substr(folder.empty() ? 0 : folder.size() + 1);
    } else if (s.at.empty() || beneath(folder, s.at)) {
      s.prefix = joinPath(s.prefix, folder.substr(s.at.empty() ? 0 : s.at.size() + 1));
      s.at.clear();
      s.previous = false;  // only a part of it is looked at; bedrock holds there
    } else {
      continue;
    }
    turned.push_back(std::move(s));
  }
  return turned;
}

namespace {

/// What is known of a mount that shows a folder of its file system, not its top: a thing's place is its path
/// in its own file system. Where the top is mounted, too, it says which systems lie on it; else each family
/// may, and nothing is certain.
std::vector<SystemRoot> systemsAbove(const System& system, const std::vector<Mount>& mounts,
                                     const Mount& mount) {
  if (mount.root.empty() || mount.root == "/" || mount.pseudo) return {};
  const Mount* top = nullptr;
  for (const Mount& other : mounts) {
    const bool higher = other.root.size() < mount.root.size() && below(mount.root, other.root).has_value();
    const bool better = top == nullptr || other.root.size() <= top->root.size();
    if (higher && better && other.id != mount.id && sameFileSystem(other, mount)) top = &other;
  }
  const auto opened = top == nullptr ? Result<FolderPtr>(fail(Errc::notThere, "drive"))
                                     : system.files->openToRead(top->target);
  if (opened) {
    auto systems = systemsIn(*namesOn(*system.files, *opened));
    if (isLive(top->target))
      systems.push_back({{}, top->target.substr(1), SystemFamily::linuxFamily, true, false});
    if (top->root == "/" || !systems.empty()) return turnedTo(*below(mount.root, top->root), systems);
  }
  PathBytes inside = mount.root.substr(1);
  if (const auto part = companionOf(inside)) inside = *part;
  std::vector<SystemRoot> all;
  for (const auto family : {SystemFamily::linuxFamily, SystemFamily::nt, SystemFamily::mac})
    all.push_back({{}, inside, family, false, false});
  return all;
}

/// The systems of a mount, as seen from its top.
std::vector<SystemRoot> systemsOf(const System& system, const std::vector<Mount>& mounts, const Mount& mount,
                                  const FolderPtr& root) {
  std::vector<SystemRoot> systems = systemsIn(*namesOn(*system.files, root));
  for (SystemRoot& above : systemsAbove(system, mounts, mount))
    if (std::find(systems.begin(), systems.end(), above) == systems.end())
      systems.push_back(std::move(above));
  return systems;
}

Result<Drive> toDrive(const System& system, const std::vector<Mount>& mounts, const Mount& mount) {
  auto root = system.files->openRoot(mount.target);
  if (!root) return tl::unexpected(root.error());
  const auto usage = system.files->usage(**root);
  if (!usage) return tl::unexpected(usage.error());
  const DeviceFacts facts = system.mounts->facts(mount);
  Drive d = bareDrive(mount);
  if (!facts.uuid.empty()) d.id = facts.uuid;
  d.hardware = facts.hardware;
  if (system.identity && !facts.uuid.empty() && !facts.hardware.empty()) {
    DriveIdentity is = system.identity(facts.uuid, facts.hardware);
    d.id = std::move(is.id);
    d.twin = is.twin;
  }
  d.label = facts.label;
  d.model = facts.model;
  d.usage = *usage;
  d.readOnly = mount.readOnly || usage->readOnly;
  d.systems = systemsOf(system, mounts, mount, *root);
  if (!d.systems.empty()) d.systemName = systemNameOn(*system.files, **root, d.systems.front());
  d.role = roleOf(mount, facts, d.family());
  d.kind = kindOf(mount, facts);
  d.size = sizeClassOf(usage->capacity);
  return d;
}

/// The mount that a path is seen through.
const Mount* mountOf(const std::vector<Mount>& mounts, const PathBytes& path) {
  const Mount* best = nullptr;
  for (const Mount& m : mounts) {
    const bool holds = m.target == "/" || path == m.target || beneath(path, m.target);
    if (holds && (best == nullptr || m.target.size() >= best->target.size())) best = &m;
  }
  return best;
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

namespace {
/// Asks one drive on a thread of its own. The ports are shared, so it may go on after it was given up.
std::future<Result<Drive>> askDrive(const System& system,
                                    const std::shared_ptr<const std::vector<Mount>>& all,
                                    const Mount& mount) {
  return askApart([system, all, mount] { return toDrive(system, *all, mount); });
}
}  // namespace

Result<std::vector<Drive>> listDrives(const System& system, std::chrono::milliseconds patience) {
  const auto mounts = system.mounts->mounts();
  if (!mounts) return tl::unexpected(mounts.error());
  auto groups = groupMounts(*mounts);
  const auto all = std::make_shared<const std::vector<Mount>>(*mounts);
  std::vector<std::future<Result<Drive>>> answers;
  for (const auto& group : groups) answers.push_back(askDrive(system, all, group.face));
  const auto until = std::chrono::steady_clock::now() + patience;
  std::vector<Drive> drives;
  for (std::size_t i = 0; i < groups.size(); ++i) {
    const bool answered = answers[i].wait_until(until) == std::future_status::ready;
    Drive drive = bareDrive(groups[i].face);
    drive.answers = answered;
    if (answered) {
      auto found = answers[i].get();
      if (!found || found->usage.capacity == 0) continue;
      drive = std::move(*found);
    }
    drive.alsoAt = std::move(groups[i].others);
    drives.push_back(std::move(drive));
  }
  return drives;
}

Result<Drive> driveOf(const System& system, const PathBytes& path) {
  const auto mounts = system.mounts->mounts();
  if (!mounts) return tl::unexpected(mounts.error());
  const Mount* best = mountOf(*mounts, path);
  if (best == nullptr) return fail(Errc::notThere, "drive-of", path);
  return toDrive(system, *mounts, *best);
}

Result<std::vector<SystemRoot>> systemsFrom(const System& system, const PathBytes& path) {
  const auto mounts = system.mounts->mounts();
  if (!mounts) return tl::unexpected(mounts.error());
  const Mount* mount = mountOf(*mounts, path);
  if (mount == nullptr) return fail(Errc::notThere, "drive-of", path);
  const auto root = system.files->openRoot(mount->target);
  if (!root) return tl::unexpected(root.error());
  auto systems =
      turnedTo(below(path, mount->target).value_or(PathBytes{}), systemsOf(system, *mounts, *mount, *root));
  if (isLive(mount->target)) systems.push_back({{}, path.substr(1), SystemFamily::linuxFamily, true, false});
  return systems;
}

Result<bool> onOneFileSystem(const System& system, const PathBytes& a, const PathBytes& b) {
  const auto mounts = system.mounts->mounts();
  if (!mounts) return tl::unexpected(mounts.error());
  const Mount* first = mountOf(*mounts, a);
  const Mount* second = mountOf(*mounts, b);
  return first != nullptr && second != nullptr && sameFileSystem(*first, *second);
}

Result<PathBytes> pathInFileSystem(const System& system, const PathBytes& path) {
  const auto mounts = system.mounts->mounts();
  if (!mounts) return tl::unexpected(mounts.error());
  const Mount* mount = mountOf(*mounts, path);
  if (mount == nullptr) return fail(Errc::notThere, "drive-of", path);
  const PathBytes rest = below(path, mount->target).value_or(PathBytes{});
  const PathBytes top = mount->root.empty() ? PathBytes{} : mount->root.substr(1);
  return joinPath(top, rest);
}

Result<PathBytes> topOf(const System& system, const PathBytes& path) {
  const auto mounts = system.mounts->mounts();
  if (!mounts) return tl::unexpected(mounts.error());
  const Mount* here = mountOf(*mounts, path);
  if (here == nullptr) return fail(Errc::notThere, "drive-of", path);
  for (const Mount& other : *mounts)
    if ((other.root == "/" || other.root.empty()) && sameFileSystem(other, *here)) return other.target;
  return fail(Errc::notThere, "drive-of", path);
}

}  // namespace zt
