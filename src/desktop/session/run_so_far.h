// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <set>

#include "core/reclaim/run.h"
#include "desktop/session/job_view.h"

namespace zt::desktop {

/// A run that is under way, as far as it has come. A value; on the GUI thread.
struct RunSoFar {
  TimeNs since = 0;
  std::set<std::string> waiting;  ///< lines that nobody agreed to: no part of it
  Bytes promised = 0;             ///< for certain, by the lines that are
  Bytes freeBefore = 0;
  Bytes free = 0;                            ///< by the drive's counter
  Bytes inHand = 0;                          ///< gone through of an item that takes long
  std::map<std::string, LineOutcome> lines;  ///< those that are over, and the one at work
  std::string atWork;                        ///< id of the line whose things go now

  void take(const RunProgress& progress);
  /// Of all lines, for certain.
  Bytes freed() const;
  /// How much of what is sure is still to come.
  Bytes toCome() const;
  /// From 0 to 1; beyond it where nothing is sure.
  double share() const;
  /// Seconds that the rest may take at the pace so far; 0 where nobody can tell yet.
  double secondsLeft(TimeNs now) const;
};

/// The run of a plan but for some lines, at its beginning.
RunSoFar beginningOf(const JobView& view, std::set<std::string> waiting, TimeNs now);

/// A drive's picture in the middle of a run: what has gone has left its stratum, free is what the counter
/// says.
DrivePicture duringRun(DrivePicture picture, const JobView& view, const RunSoFar& run);

}  // namespace zt::desktop
