// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <vector>

#include "core/catalogue/standing.h"
#include "core/drive/target.h"
#include "core/plan/plan.h"

namespace zt::desktop {

/// What pictures of a drive show. A value.
struct DrivePicture {
  bool shown = false;  ///< there is a drive to be shown
  bool measured = false;
  bool wholeDrive = true;  ///< false: a folder of it was measured
  Drive drive;
  std::vector<Target> targets;
  Bytes free = 0;
  TimeNs freeAt = 0;     ///< 0: read with the drive
  bool stale = false;    ///< something was done since it was measured
  bool running = false;  ///< a run is under way: `planned` is what is still to come
  PlannedGain planned;
  std::array<Bytes, standings> strata{};       ///< occupied bytes by standing, every inode once
  std::array<Bytes, standings> plannedFrom{};  ///< of it, planned to be discarded
  Bytes points = 0;                            ///< held by points and by no file
  Bytes plannedPoints = 0;                     ///< of it, planned to be let go
  bool foreignPoints = false;                  ///< they are another system's
};

}  // namespace zt::desktop
