// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/sites/site.h"
#include "core/os/no_file_system.h"

namespace zt {

namespace {

class NobodyHolds final : public OpenFiles {
public:
  Result<Listing> list() override { return Listing{{}, false}; }
};

/// A place that is not here, for one reason or another: it can be read about, nothing else.
class AbsentSite final : public Site {
public:
  AbsentSite(const Workshop& workshop, std::string_view kind, Errc why)
      : Site(workshop), kind_(kind), why_(why), files_(std::make_shared<NoFileSystem>(why)) {}

  std::string_view kind() const override { return kind_; }
  FileSystemPtr files() const override { return files_; }
  std::shared_ptr<OpenFiles> openFiles() const override { return std::make_shared<NobodyHolds>(); }
  MeasurePorts measurePorts(FileSystemPtr files, std::shared_ptr<PrivilegedAccess>) const override {
    return {std::move(files), openFiles(), workshop_.insides, workshop_.clock};
  }
  Holds holds() const override {
    return [](const PathBytes&) -> Result<bool> { return false; };
  }
  Result<void> refresh() override { return fail(why_, "drive", root_); }
  std::optional<Errc> closed() const override { return why_; }

  void remember(Drive drive, PathBytes root, PathBytes opened) {
    drive_ = std::move(drive);
    root_ = std::move(root);
    opened_ = std::move(opened);
  }

private:
  std::string_view kind_;
  Errc why_;
  FileSystemPtr files_;
};

}  // namespace

SitePtr importedSite(const Workshop& workshop, const Survey& survey) {
  Drive d;
  d.id = survey.driveId;
  d.target = survey.mountTarget.empty() ? survey.root : survey.mountTarget;
  d.fsType = survey.fsType;
  d.usage = survey.usage;
  d.size = sizeClassOf(survey.usage.capacity);
  d.readOnly = true;
  auto site = std::make_unique<AbsentSite>(workshop, "imported", Errc::imported);
  site->remember(std::move(d), survey.root, survey.root);
  return site;
}

SitePtr awaySite(const Workshop& workshop, Drive drive, PathBytes root, PathBytes opened, Errc why) {
  auto site = std::make_unique<AbsentSite>(workshop, "away", why);
  site->remember(std::move(drive), std::move(root), std::move(opened));
  return site;
}

}  // namespace zt
