// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "core/drive/stand_in_drive.h"
#include "core/os/no_file_system.h"
#include "core/os/owner_names.h"
#include "core/reclaim/guard.h"
#include "core/survey/measure.h"

namespace zt {

/// The place a job works on: a folder on a real drive, or a stand-in. Gives out the ports that see it
/// rightly. One thread at a time but for what the ports themselves allow.
class Site {
public:
  /// `path` may be relative or a link; it is resolved once, here. With `standIn` it is a stand-in's folder.
  static Result<std::unique_ptr<Site>> open(System& system, const PathBytes& path, bool standIn);

  /// A place that is not here: the survey of it came from somewhere else.
  static std::unique_ptr<Site> imported(System& system, Drive drive, PathBytes root);
  bool isImported() const { return nowhere_ != nullptr; }

  FileSystem& files() {
    if (nowhere_) return *nowhere_;
    return standIn_ ? static_cast<FileSystem&>(*standIn_) : system_.files;
  }
  OpenFiles& openFiles() { return standIn_ ? static_cast<OpenFiles&>(*standIn_) : system_.openFiles; }
  Clock& clock() { return system_.clock; }
  const Drive& drive() const { return drive_; }
  const PathBytes& root() const { return root_; }      ///< what is measured
  const PathBytes& opened() const { return opened_; }  ///< what was named, resolved: a stand-in's own folder
  const StandInDrive* standIn() const { return standIn_.get(); }
  Anchor anchor() const { return anchorOf(drive_, root_); }
  /// The ports to measure through. With `access` what is closed to this program is read by the helper.
  MeasurePorts measurePorts(FileSystem& files, PrivilegedAccess* access);
  /// Names of those whom the files of a survey of this place belong to: as the drive's own user list says
  /// where it has one, which is read without changing access times, else as this machine knows them. Numbers
  /// stay without names where neither may be asked, and where the drive did not answer while it was measured.
  OwnerNames ownerNames(const Survey& survey);
  /// Whether a file in this folder would lie on the measured drive.
  Result<bool> holdsFolder(const PathBytes& folder);
  /// Whether the mount keeps access times well enough to be quoted: no noatime, no read-only.
  bool keepsAccessTimes() const;
  Result<void> refreshDrive();

private:
  explicit Site(System& system) : system_(system) {}
  System& system_;
  std::unique_ptr<StandInDrive> standIn_;
  std::unique_ptr<NoFileSystem> nowhere_;
  Drive drive_;
  PathBytes root_;
  PathBytes opened_;
};

}  // namespace zt
