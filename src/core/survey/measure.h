// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <stop_token>

#include "core/drive/drive.h"
#include "core/survey/survey.h"
#include "core/survey/walk.h"

namespace zt {

/// Bytes of a drive that no file shows but that are known all the same.
struct KnownBytes {
  Bytes snapshots = 0;
  Bytes openDeleted = 0;
  Bytes beneathMounts = 0;
  Bytes overhead = 0;
};

/// What is known of a real drive: deleted files that readable processes still hold, the file system's own.
KnownBytes knownBytes(OpenFiles& openFiles, const Drive& drive);

/// Measures `path` (absolute, free of links), which lies on `drive`. The drive's figures are read before and
/// after the walk; the later ones stand. Fails if the path is no folder or cannot be listed, or the drive
/// goes away.
Result<SurveyPtr> measure(FileSystem& files, const Clock& clock, const Drive& drive, const KnownBytes& known,
                          const PathBytes& path, WalkOptions options, std::stop_token stop,
                          ProgressSink* progress);

}  // namespace zt
