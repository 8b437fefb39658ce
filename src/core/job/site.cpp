// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/site.h"

#include "core/os/paths.h"

namespace zt {

Result<std::unique_ptr<Site>> Site::open(System& system, const PathBytes& path, bool standIn) {
  auto resolved = canonicalPath(path);
  if (!resolved) return tl::unexpected(resolved.error());
  std::unique_ptr<Site> site(new Site(system));
  site->opened_ = *resolved;
  if (standIn) {
    auto opened = StandInDrive::open(system, *resolved);
    if (!opened) return tl::unexpected(opened.error());
    site->standIn_ = std::move(*opened);
    site->drive_ = site->standIn_->drive();
    site->root_ = site->standIn_->root();
    return site;
  }
  if (const auto root = system.files.openRoot(*resolved); !root) return tl::unexpected(root.error());
  auto drive = driveOf(system, *resolved);
  if (!drive) return tl::unexpected(drive.error());
  site->drive_ = std::move(*drive);
  site->root_ = std::move(*resolved);
  return site;
}

std::unique_ptr<Site> Site::imported(System& system, Drive drive, PathBytes root) {
  std::unique_ptr<Site> site(new Site(system));
  site->nowhere_ = std::make_unique<NoFileSystem>();
  site->drive_ = std::move(drive);
  site->root_ = site->opened_ = std::move(root);
  return site;
}

MeasurePorts Site::measurePorts(FileSystem& files, PrivilegedAccess* access) {
  MeasurePorts ports{files, access != nullptr ? access->openFiles() : openFiles(),
                     access != nullptr ? access->insides() : system_.insides, clock()};
  if (standIn_) {
    const StandInManifest& m = standIn_->manifest();
    ports.declared = KnownBytes{m.heldBySnapshots, m.openDeleted, m.beneathMounts, m.overhead};
  }
  return ports;
}

OwnerNames Site::ownerNames(const Survey& survey) {
  if (nowhere_ || survey.leftUnanswered()) return {};
  const bool ownSystem = root_ == "/" && !standIn_;
  if (ownSystem || !survey.tree.find("etc/passwd")) return OwnerNames::ofThisMachine(survey.tree.owners());
  constexpr std::size_t most = std::size_t{1} << 20;
  const auto root = files().openRoot(root_);
  if (!root) return {};
  const auto folder = files().openBeneath(**root, "etc");
  if (!folder) return {};
  const auto list = files().readHead(**folder, "passwd", most);
  return list ? OwnerNames::fromList(list->bytes) : OwnerNames();
}

Result<bool> Site::holdsFolder(const PathBytes& folder) {
  const auto resolved = canonicalPath(folder);
  if (!resolved) return tl::unexpected(resolved.error());
  if (standIn_) return *resolved == opened_ || beneath(*resolved, opened_);
  const auto there = system_.files.openRoot(*resolved);
  if (!there) return tl::unexpected(there.error());
  const auto stat = system_.files.stat(**there, {});
  if (!stat) return tl::unexpected(stat.error());
  const auto root = system_.files.openRoot(root_);
  if (!root) return tl::unexpected(root.error());
  const auto mine = system_.files.stat(**root, {});
  return mine && (mine->device == stat->device || mine->mountId == stat->mountId);
}

bool Site::keepsAccessTimes() const {
  const std::string options = "," + drive_.options + ",";
  return !drive_.readOnly && options.find(",noatime,") == std::string::npos;
}

Result<void> Site::refreshDrive() {
  if (standIn_) {
    drive_ = standIn_->drive();
    return {};
  }
  auto drive = driveOf(system_, root_);
  if (!drive) return tl::unexpected(drive.error());
  if (drive->id != drive_.id) return fail(Errc::changed, "drive", root_);
  drive_ = std::move(*drive);
  return {};
}

}  // namespace zt
