// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>

#include "core/reclaim/run.h"
#include "desktop/session/job_view.h"

namespace zt::desktop {

/// A run that is under way, as far as it has come. A value; on the GUI thread.
struct RunSoFar {
  TimeNs since = 0;
  Bytes freeBefore = 0;
  Bytes free = 0;                            ///< by the drive's counter
  std::map<std::string, LineOutcome> lines;  ///< those that are over, and the one at work
  std::string atWork;                        ///< id of the line whose things go now

  void take(const RunProgress& progress);
  /// Of all lines, for certain.
  Bytes freed() const;
  /// Of a plan, how much of what is sure is still to come.
  Bytes toCome(const JobView& view) const;
  /// Seconds that the rest may take at the pace so far; 0 where nobody can tell yet.
  double secondsLeft(const JobView& view, TimeNs now) const;
};

/// A drive's picture in the middle of a run: what has gone has left its stratum, free is what the counter
/// says.
DrivePicture duringRun(DrivePicture picture, const JobView& view, const RunSoFar& run);

}  // namespace zt::desktop
