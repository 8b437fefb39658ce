// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/run_ledger.h"
#include "core/job/sites/site.h"
#include "core/reclaim/held_things.h"

namespace zt {

/// What is held on a drive, whichever job put it there, found from the drive itself: for when a job's file is
/// lost. What a job that is at hand holds is better put back through it, so that its journal knows. One
/// thread at a time.
class DriveHolds {
public:
  /// Looks at the drive that `path` lies on, or at a stand-in by its folder.
  static Result<std::unique_ptr<DriveHolds>> open(const Workshop& workshop, const PathBytes& path,
                                                  bool standIn);

  const std::vector<HeldThing>& things() const { return things_; }
  /// Puts everything back whose old place is known, never over anything. Gives the records as they then
  /// stand.
  Result<std::vector<JournalRecord>> putBack(std::stop_token stop);
  Consent releaseConsent() const;
  /// Lets everything go for good; looked at first, and again as it goes.
  Result<std::vector<JournalRecord>> release(std::string_view token, std::stop_token stop);

private:
  DriveHolds(const Workshop& workshop, SitePtr site) : workshop_(workshop), site_(std::move(site)) {}
  Result<void> look();
  std::vector<JournalRecord> records(bool placed) const;
  Result<GuardedDrive> guardedAt(const PathBytes& hold);

  Workshop workshop_;
  SitePtr site_;
  FolderPtr root_;
  std::vector<HeldThing> things_;
};

/// What lies in the holds of a drive; nothing where it cannot be looked at. `folders` as the register knows
/// them.
std::vector<HeldThing> heldOn(const Workshop& workshop, const Drive& drive,
                              const std::vector<PathBytes>& folders);

}  // namespace zt
