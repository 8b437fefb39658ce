// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/sites/site.h"
#include "core/job/sites/stand_in_drive.h"
#include "core/os/paths.h"

namespace zt {

namespace {

class StandInSite final : public Site {
public:
  StandInSite(const Workshop& workshop, std::shared_ptr<StandInDrive> standIn, PathBytes opened)
      : Site(workshop), standIn_(std::move(standIn)) {
    drive_ = standIn_->drive();
    root_ = standIn_->root();
    opened_ = std::move(opened);
  }

  std::string_view kind() const override { return "stand-in"; }
  FileSystemPtr files() const override { return standIn_; }
  std::shared_ptr<OpenFiles> openFiles() const override { return standIn_; }
  std::shared_ptr<Snapshots> snapshots() const override { return standIn_; }
  std::vector<Target> ownTargets() const override { return standIn_->manifest().targets; }

  MeasurePorts measurePorts(FileSystemPtr files, std::shared_ptr<PrivilegedAccess>) const override {
    MeasurePorts ports{std::move(files), standIn_, workshop_.insides, workshop_.clock};
    const StandInManifest& m = standIn_->manifest();
    ports.declared = KnownBytes{standIn_->heldBySnapshots(), m.openDeleted, m.beneathMounts, m.overhead,
                                [drive = standIn_](const SurveyTree& tree) { return drive->holdings(tree); }};
    return ports;
  }

  Holds holds() const override {
    return [own = opened_](const PathBytes& folder) -> Result<bool> {
      const auto resolved = canonicalPath(folder);
      if (!resolved) return tl::unexpected(resolved.error());
      return *resolved == own || beneath(*resolved, own);
    };
  }

  Result<void> refresh() override {
    const DriveOverrule said{drive_.kind, drive_.size};
    drive_ = standIn_->drive();
    overrule(said);
    return {};
  }

private:
  std::shared_ptr<StandInDrive> standIn_;
};

}  // namespace

Result<SitePtr> standInSite(const Workshop& workshop, const PathBytes& folder) {
  auto resolved = canonicalPath(folder);
  if (!resolved) return tl::unexpected(resolved.error());
  auto opened = StandInDrive::open(workshop, *resolved);
  if (!opened) return tl::unexpected(opened.error());
  return SitePtr(std::make_unique<StandInSite>(workshop, std::move(*opened), std::move(*resolved)));
}

}  // namespace zt
