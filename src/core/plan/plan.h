// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/drive/target.h"
#include "core/finds/find_context.h"
#include "core/finds/marks.h"
#include "core/plan/step_kind.h"

namespace zt {

/// One step on the things of a find.
struct PlanLine {
  std::string id;    ///< the find's
  std::string kind;  ///< of the find
  StepPtr step;      ///< never null
  Standing standing = Standing::unjudged;
  Regret found = Regret::personalGone;  ///< of letting its things go
  Gain gain;                            ///< of this line alone, as the step gives it
  PathBytes place;
  AgeBand band = AgeBand::today;
  bool enabled = true;
  bool proposed = false;  ///< by a proposal, which may take it back; else a person decided it
  std::vector<Subject> items;
  StepParameters parameters = {};  ///< what its kind of step takes

  Regret regret() const { return step->regretOf(found); }
  /// Whether all that its things occupy comes free with them.
  bool takesPart() const { return enabled && step->frees() && step->gives == GainShare::all; }
  /// Whether it gives only a part, which is this line's own to know.
  bool givesSome() const { return enabled && step->frees() && step->gives == GainShare::some; }
};

/// Which turn a line has before anybody moves it: what is moved to another drive stands there before anything
/// that relies on it goes, and a trash is emptied after what goes into it.
int turnOf(const PlanLine& line);

/// A line for a find. Fails with bedrock or kept if it is locked, unknownStep for a step that is not known or
/// not offered, badInput for parameters that the kind of step does not take, or lacks.
Result<PlanLine> lineFor(const Find& find, const StepTable& steps, std::string_view action,
                         const Marks& marks, const StepParameters& parameters = {});

/// The chosen steps in their order.
struct Plan {
  std::vector<PlanLine> lines;
  PlanLine* find(std::string_view id);
  const PlanLine* find(std::string_view id) const;
  /// After the last line that has no later turn; where nobody moved any, in the order of turns.
  void add(PlanLine line);
};

/// What a plan gives back as a whole: links, nesting, shared extents and holds considered.
struct PlannedGain {
  Bytes sure = 0;     ///< by the steps that free bytes, for certain
  Bytes atMost = 0;   ///< by all of them, when what is held is released too
  Bytes refills = 0;  ///< of what comes free, as much as only fills up what is kept back; in neither figure
  bool refillKnown =
      true;        ///< false: what is kept back is used up, nobody says by how much, and nothing is sure
  Bytes lent = 0;  ///< of what is sure: has to be paid back
};
/// What of a gain reaches those who cannot use what the file system keeps back.
PlannedGain reaching(const CounterRise& rise, PlannedGain gain);
PlannedGain plannedGain(const Plan& plan, const FindContext& context);

/// What each line adds to those before it, in order; nothing for lines that are off and for steps that free
/// no bytes. What lies beneath an item of another line goes with that line and counts there. The sure ones
/// sum to `plannedGain().sure`.
std::vector<GainBounds> stepGains(const Plan& plan, const FindContext& context);

/// The points that the enabled lines let go, by their places in the survey's holdings.
GainModel::Points pointsOf(const Plan& plan, const FindContext& context);

/// The items of the enabled lines that are acted on: none twice, and none beneath another. Sorted node
/// numbers.
std::vector<NodeId> outermostItems(const Plan& plan, const GainModel& gain);

/// Finds the nodes of all items in a survey; fails with changed if an identity is not what the survey holds,
/// or with outsideRoot for a path that is not a plain relative one.
Result<void> bind(Plan& plan, const SurveyTree& tree);

/// Fails with conflict where one step leaves a way back and another, at, above or beneath the same thing,
/// does not.
Result<void> checkConflicts(const Plan& plan, const FindContext& context);

/// What of a line may not go because of the series that it belongs to: fails as
/// `SubjectType::leavesItsSeries` does, and with kept.
Result<void> checkSeries(const PlanLine& line, const FindContext& context, const Marks& marks);

/// Fails with bedrock or kept, or as `checkSeries` does, for the first enabled or disabled line of which
/// anything is locked.
Result<void> checkLocks(const Plan& plan, const FindContext& context, const Marks& marks);

/// Works standing, regret and gain of every line out anew from the survey, whatever they said.
void reprice(Plan& plan, const FindContext& context);

/// How a target would stand after the plan.
struct TargetOutlook {
  Target target;
  bool met = false;
  SignedBytes surplus = 0;
};
std::vector<TargetOutlook> outlook(const std::vector<Target>& targets, Bytes free,
                                   const PlannedGain& planned);

}  // namespace zt
