// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/other_drive.h"
#include "core/job/sites/site.h"
#include "core/os/paths.h"
#include "core/os/rights/changing_file_system.h"
#include "core/reclaim/guard.h"

namespace zt {

namespace {

/// A folder in which one file alone is seen, and which itself takes nothing: the file was asked about.
class OneFile final : public ForwardingFileSystem {
public:
  OneFile(FileSystemPtr inner, PathBytes name)
      : ForwardingFileSystem(std::move(inner)), name_(std::move(name)) {}
  Result<void> scan(const Folder& at, ScanSink& sink) override {
    const auto folder = inner_.stat(at, {});
    if (!folder) return tl::unexpected(folder.error());
    sink.folder(folder->inode);
    const auto stat = inner_.stat(at, name_);
    if (!stat) return tl::unexpected(stat.error());
    const ScannedEntry entry{name_, *stat, 0};
    sink.take(std::span(&entry, 1));
    return {};
  }
  Result<EntryStat> stat(const Folder& at, std::string_view name) override {
    auto stat = inner_.stat(at, name);
    if (stat && stat->kind == EntryKind::folder) stat->length = stat->occupied = 0;
    return stat;
  }

private:
  PathBytes name_;
};

class MountedSite final : public Site {
public:
  /// `only`: the one file of the folder that is meant; empty: all of it.
  MountedSite(const Workshop& workshop, Drive drive, PathBytes root, PathBytes only)
      : Site(workshop), only_(std::move(only)) {
    drive_ = std::move(drive);
    root_ = std::move(root);
    opened_ = joinPath(root_, only_);
  }

  std::string_view kind() const override { return "mounted"; }
  FileSystemPtr files() const override { return workshop_.files; }
  std::shared_ptr<OpenFiles> openFiles() const override { return workshop_.openFiles; }
  std::shared_ptr<Snapshots> snapshots() const override { return workshop_.snapshots; }
  bool takesRights() const override { return workshop_.privileged->worthAsking(); }

  MeasurePorts measurePorts(FileSystemPtr files, std::shared_ptr<PrivilegedAccess> access) const override {
    if (takesRights()) files = std::make_shared<RightsCanBeAsked>(std::move(files));
    if (!only_.empty()) files = std::make_shared<OneFile>(std::move(files), only_);
    MeasurePorts ports{std::move(files), workshop_.openFiles, workshop_.insides, workshop_.clock};
    if (access) {
      // The helper's ports live in its access, and so keep it.
      ports.openFiles = {access, &access->openFiles()};
      ports.insides = {access, &access->insides()};
    }
    return ports;
  }

  Holds holds() const override {
    return [system = System(workshop_), root = root_](const PathBytes& folder) {
      return liesOnDrive(system, root, folder);
    };
  }

  Result<void> mayChange() const override {
    const auto left = headerSaysOther()
                          ? Result<bool>(fail(Errc::unsupported, "volume"))
                          : workshop_.insides->leftOpen(drive_.fsType, drive_.source, drive_.options);
    const bool nt = left || left.error().code != Errc::unsupported;
    if (nt && !left) return fail(Errc::unclean, "guard", drive_.source, left.error().path);
    if (nt && *left) return fail(Errc::unclean, "guard", drive_.source);
    const auto top = topOf(workshop_, root_);
    // A folder of it alone is mounted: of an nt drive nobody can tell whether it sleeps.
    if (!top) return nt ? fail(Errc::asleep, "guard", root_) : Result<void>{};
    const auto opened = workshop_.files->openToRead(*top);
    if (!opened) return tl::unexpected(opened.error());
    auto systems = systemsIn(*namesOn(*workshop_.files, *opened));
    if (nt) systems.push_back({{}, {}, SystemFamily::nt, false, false});
    return checkAwake(*workshop_.files, **opened, systems);
  }

  Result<void> refresh() override {
    auto drive = driveOf(workshop_, root_);
    if (!drive) return tl::unexpected(drive.error());
    if (drive->id != drive_.id) return fail(Errc::changed, "drive", root_);
    drive->kind = drive_.kind;  // as it may have been overruled
    drive->size = drive_.size;
    drive_ = std::move(*drive);
    return {};
  }

private:
  /// Whether the device's header is known, and of another kind: drivers in user space mount many kinds by one
  /// name, and not everybody may read the device.
  bool headerSaysOther() const {
    const auto mounts = workshop_.mounts->mounts();
    if (!mounts) return false;
    for (const Mount& mount : *mounts) {
      if (mount.target != drive_.target || mount.source != drive_.source) continue;
      const std::string type = workshop_.mounts->facts(mount).fsType;
      return !type.empty() && type != "ntfs";
    }
    return false;
  }
  PathBytes only_;
};

}  // namespace

Result<SitePtr> mountedSite(const Workshop& workshop, const PathBytes& path) {
  auto resolved = canonicalPath(path);
  if (!resolved) return tl::unexpected(resolved.error());
  PathBytes only;
  auto root = workshop.files->openRoot(*resolved);
  if (!root && root.error().code == Errc::notAFolder) {
    only = PathBytes(baseName(*resolved));
    const std::string_view folder = parentPath(*resolved);
    *resolved = folder.empty() ? PathBytes(1, '/') : PathBytes(folder);
    root = workshop.files->openRoot(*resolved);
    const auto stat =
        root ? workshop.files->stat(**root, only) : Result<EntryStat>(tl::unexpected(root.error()));
    if (stat && stat->kind != EntryKind::file) return fail(Errc::notAFile, "path", path);
  }
  if (!root) return tl::unexpected(root.error());
  auto drive = driveOf(workshop, *resolved);
  if (!drive) return tl::unexpected(drive.error());
  return SitePtr(
      std::make_unique<MountedSite>(workshop, std::move(*drive), std::move(*resolved), std::move(only)));
}

}  // namespace zt
