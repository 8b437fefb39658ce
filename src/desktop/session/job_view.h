// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/finds/evidence.h"
#include "core/job/job.h"
#include "core/plan/ladder.h"
#include "desktop/charts/drive_picture.h"
#include "desktop/models/composition.h"

namespace zt::desktop {

/// Everything the stations show, copied out of the job between two pieces of work. Never changes once it is
/// given out; node numbers in it are of its own survey.
struct JobView {
  bool open = false;
  Drive drive;
  PathBytes root;
  FileSystemPtr files;  ///< of the place, to look into; any thread
  PathBytes file;
  std::vector<Target> targets;
  SurveyPtr survey;
  ContextPtr context;
  std::shared_ptr<const Composition> composition;
  std::shared_ptr<const FindList> finds = std::make_shared<const FindList>();
  std::shared_ptr<const EvidenceDesk> evidence;  ///< of the finds; nullptr before there are any
  std::vector<DetectorProblem> problems;
  Marks marks;
  Plan plan;
  std::vector<LeftLine> left;
  std::vector<GainBounds> adds;                      ///< what each line adds to those before it
  std::vector<std::vector<std::string>> conditions;  ///< of each line, see `conditionsOf`
  PlannedGain planned;
  Ladder ladder;  ///< what each rung of regret would add
  std::array<Bytes, standings> strata{};
  std::array<Bytes, standings> plannedFrom{};
  Bytes points = 0;         ///< held by points and by no file
  Bytes plannedPoints = 0;  ///< of it, planned to be let go
  Bytes free = 0;
  TimeNs freeAt = 0;
  bool stale = false;
  std::optional<Errc> closed;  ///< why nothing can be changed here
  bool seesAllOpenFiles = true;
  std::optional<Error> rightsProblem;  ///< why the rights asked for were not given
  Consent consent;
  std::optional<Proposal> proposal;
  std::optional<RunReport> report;
  std::optional<Proof> proof;
  std::vector<JournalRecord> held;
  std::vector<JournalRecord> elsewhere;  ///< moved to another drive, and can be brought back
  std::vector<JournalRecord> loans;      ///< open
  std::vector<JournalRecord> cutShort;   ///< what an earlier run left in the middle

  bool imported() const { return closed == Errc::imported; }
  DrivePicture picture() const;
  /// Bytes that the hardest target is short of.
  Bytes shortfall() const;
};

/// The view of a job as it stands; what has not changed since `before` is taken from it. On the thread of the
/// job.
JobView viewOf(Job& job, const JobView& before);

}  // namespace zt::desktop
