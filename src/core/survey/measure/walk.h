// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <functional>
#include <stop_token>

#include "core/base/pause.h"
#include "core/base/progress.h"
#include "core/os/file_system.h"
#include "core/survey/tree/live_survey.h"

namespace zt {

/// How to walk.
struct WalkOptions {
  unsigned threads = 0;     ///< 0: as many as the machine has cores, at most 8
  Bytes expectedBytes = 0;  ///< used bytes known beforehand, for the progress; 0 if unknown
  /// What files are stored in. Less than one of these lies among the file system's own records (inline data,
  /// resident files) and frees nothing; 0 where occupied bytes are to be taken as they are.
  Bytes block = 0;
  TimeNs now = 0;                    ///< by which ages count for the live field; 0: the field stays empty
  std::shared_ptr<PauseGate> pause;  ///< workers wait there between two folders
  /// When the system does not answer a single call within this time, the folder is given up and the walk goes
  /// on. A folder may take as long as it likes while answers come. When nothing is answered any more the walk
  /// ends, as if it had been stopped.
  std::chrono::milliseconds patience{30'000};
  /// Called once at the start, on the calling thread, with what can be watched while it grows.
  std::function<void(std::shared_ptr<const LiveSurvey>)> watch;
};

/// Walks everything beneath an open folder, within its mount, into `survey->tree`, and fills in the
/// exceptions. Goes down by folder handles only, so a folder that is renamed meanwhile cannot lead out of the
/// root. Writes nothing.
///
/// When `stop` is requested it ends within a tenth of a second, even if the system hangs; the tree then holds
/// what was seen and `survey->partial` is true. Fails only if the root itself cannot be listed. The sink is
/// called on the calling thread. A call that hangs may come back after the walk: until then it keeps `files`.
Result<void> walk(const std::shared_ptr<FileSystemReader>& files, const FolderPtr& root,
                  const WalkOptions& options, std::stop_token stop, ProgressSink* progress,
                  const std::shared_ptr<Survey>& survey);

}  // namespace zt
