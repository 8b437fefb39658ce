// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <memory>

#include "core/base/json_reader.h"
#include "core/drive/target.h"
#include "core/job/workshop.h"
#include "core/os/owner_names.h"
#include "core/survey/measure/measure.h"

namespace zt {

/// The place a job works on. Gives out the ports that see it rightly, which may outlive it. One thread at a
/// time but for what the ports themselves allow.
class Site {
public:
  virtual ~Site() = default;

  /// What kind of place it is, for the job's file: "mounted", "stand-in", "imported", "away".
  virtual std::string_view kind() const = 0;
  virtual FileSystemPtr files() const = 0;
  virtual std::shared_ptr<OpenFiles> openFiles() const = 0;
  /// nullptr where points cannot be let go.
  virtual std::shared_ptr<Snapshots> snapshots() const { return nullptr; }
  /// The ports to measure through, with `files` in front. With `access` what is closed to this program is
  /// read by the helper.
  virtual MeasurePorts measurePorts(FileSystemPtr files, std::shared_ptr<PrivilegedAccess> access) const = 0;
  /// Whether a file in a folder would lie on the measured drive. What it gives may outlive the site; any
  /// thread.
  using Holds = std::function<Result<bool>(const PathBytes&)>;
  virtual Holds holds() const = 0;
  Result<bool> holdsFolder(const PathBytes& folder) const { return holds()(folder); }
  /// Reads the drive's facts anew; fails with changed if another drive is at the place.
  virtual Result<void> refresh() = 0;
  /// Why nothing can be measured or changed here; nullopt where it can.
  virtual std::optional<Errc> closed() const { return std::nullopt; }
  /// Whether the drive itself lets anything be changed on it, by whatever path it was reached: fails with
  /// asleep or unclean where its own system left it so, and where that cannot be told. Asked anew each time.
  virtual Result<void> mayChange() const;
  /// Targets that belong to the place itself.
  virtual std::vector<Target> ownTargets() const { return {}; }
  /// Whether asking for rights would show more of it.
  virtual bool takesRights() const { return false; }

  /// Whether every process can be looked into: else something may be open that nobody sees.
  bool seesAllOpenFiles() const;
  const Drive& drive() const { return drive_; }
  const PathBytes& root() const { return root_; }      ///< what is measured
  const PathBytes& opened() const { return opened_; }  ///< what was named, resolved: a stand-in's own folder
  /// Names of those whom the files of a survey of this place belong to: as the drive's own user list says
  /// where it has one, which is read without changing access times, else as this machine knows them. Numbers
  /// stay without names where neither may be asked, and where the drive did not answer while it was measured.
  OwnerNames ownerNames(const Survey& survey) const;
  /// Whether the mount keeps access times well enough to be quoted: no noatime, no read-only.
  bool keepsAccessTimes() const;
  /// Says of the drive what somebody says against the hardware.
  void overrule(const DriveOverrule& said) { zt::overrule(drive_, said); }
  Clock& clock() const { return *workshop_.clock; }

protected:
  explicit Site(const Workshop& workshop) : workshop_(workshop) {}
  Workshop workshop_;
  Drive drive_;
  PathBytes root_;
  PathBytes opened_;
};
using SitePtr = std::unique_ptr<Site>;

/// A folder on a drive that is mounted here. `path` may be relative or a link; it is resolved once, here. A
/// single file is measured with its folder: then `root` is the folder.
Result<SitePtr> mountedSite(const Workshop& workshop, const PathBytes& path);
/// A stand-in drive by its folder.
Result<SitePtr> standInSite(const Workshop& workshop, const PathBytes& folder);
/// A place that is not here because the survey of it came from somewhere else.
SitePtr importedSite(const Workshop& workshop, const Survey& survey);
/// A place that is not attached, as a job's file remembers it. `why` is what opening it failed with.
SitePtr awaySite(const Workshop& workshop, Drive drive, PathBytes root, PathBytes opened, Errc why);

/// A drive's facts for a job's file, and back; fails with corrupt.
Json toJson(const Drive& drive);
Result<Drive> driveFromJson(const Json& json);

}  // namespace zt
