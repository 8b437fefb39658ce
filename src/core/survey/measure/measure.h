// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <stop_token>

#include <functional>
#include "core/drive/drive.h"

#include "core/os/drive_insides.h"
#include "core/os/forwarding_file_system.h"
#include "core/survey/measure/walk.h"

namespace zt {

/// Bytes of a stand-in drive that no file shows, as its manifest declares them.
struct KnownBytes {
  Bytes snapshots = 0;
  Bytes openDeleted = 0;
  Bytes beneathMounts = 0;
  Bytes overhead = 0;
  /// Who holds what, by the nodes of the measured tree.
  std::function<HoldingsPtr(const SurveyTree& tree)> holdings;
};

/// The ports through which a drive is measured.
struct MeasurePorts {
  FileSystemPtr files;
  std::shared_ptr<OpenFiles> openFiles;
  std::shared_ptr<DriveInsides> insides;
  std::shared_ptr<const Clock> clock;
  std::optional<KnownBytes> declared = std::nullopt;  ///< of a stand-in; else the drive itself is asked
};

/// Measures `path` (absolute, free of links), which lies on `drive`. The drive's figures are read before and
/// after the walk; the later ones stand. Fails if the path is no folder or cannot be listed, or the drive
/// goes away. Every other lack of rights shows in the statement's sources.
Result<SurveyPtr> measure(const MeasurePorts& ports, const Drive& drive, const PathBytes& path,
                          WalkOptions options, std::stop_token stop, ProgressSink* progress);

/// Measures one folder of `before` again and gives a new survey with everything else taken over. The drive's
/// figures are read anew, so the statement is true again. Fails as `measure` does, and with notThere where
/// the folder has gone.
Result<SurveyPtr> measureAgain(const MeasurePorts& ports, const Drive& drive, const SurveyPtr& before,
                               NodeId folder, WalkOptions options, std::stop_token stop,
                               ProgressSink* progress);

}  // namespace zt
