// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <stop_token>

#include "core/base/progress.h"
#include "core/os/file_system.h"
#include "core/survey/survey.h"

namespace zt {

/// How to walk.
struct WalkOptions {
  unsigned threads = 0;     ///< 0: as many as the machine has cores, at most 8
  Bytes expectedBytes = 0;  ///< used bytes known beforehand, for the progress; 0 if unknown
};

/// Walks everything beneath an open folder, within its mount, into `survey.tree`, and fills in the
/// exceptions. Goes down by folder handles only, so a folder that is renamed meanwhile cannot lead out of the
/// root. Writes nothing.
///
/// When `stop` is requested it ends within a tenth of a second; the tree then holds what was seen and
/// `survey.partial` is true. Fails only if the root itself cannot be listed. The sink is called on the
/// calling thread.
Result<void> walk(FileSystemReader& files, const FolderPtr& root, const WalkOptions& options,
                  std::stop_token stop, ProgressSink* progress, Survey& survey);

}  // namespace zt
