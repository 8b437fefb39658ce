// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/drive/target.h"
#include "core/finds/find.h"

namespace zt {

/// What is done with the things of a line. A hold sets aside on the same drive and frees nothing until it is
/// released.
enum class StepAction : std::uint8_t { discard, hold };
std::string_view name(StepAction action);

/// One thing a line acts on, as it was measured.
struct PlanItem {
  PathBytes path;  ///< relative to the survey's root
  Identity identity;
  Bytes occupied = 0;
  NodeId node = noNode;  ///< in the survey that the plan belongs to; not stored
};

/// One step.
struct PlanLine {
  std::string id;  ///< the find's
  FindKind kind = FindKind::picked;
  StepAction action = StepAction::discard;
  Standing standing = Standing::unjudged;
  Regret regret = Regret::personalGone;  ///< of the step as chosen: a hold only moves
  Gain gain;                             ///< of this line alone
  PathBytes place;
  AgeBand band = AgeBand::today;
  bool enabled = true;
  std::vector<PlanItem> items;
};

/// A line for a find. Fails with bedrock if the find is locked.
Result<PlanLine> lineFor(const Find& find, StepAction action);
/// Sets the action and what follows from it.
void setAction(PlanLine& line, StepAction action, Regret discardRegret);

/// The chosen steps in their order.
struct Plan {
  std::vector<PlanLine> lines;
  PlanLine* find(std::string_view id);
  const PlanLine* find(std::string_view id) const;
};

/// What a plan gives back as a whole: links, nesting and holds considered.
struct PlannedGain {
  Bytes sure = 0;    ///< by the discards
  Bytes atMost = 0;  ///< when the holds are released too
};

/// Exact gain of the enabled lines together.
PlannedGain plannedGain(const Plan& plan, const SetGain& gain);

/// What each line adds to those before it, in order; 0 for lines that are off and for holds. What lies
/// beneath an item of another line goes with that line and counts there. Sums to `plannedGain().sure`.
std::vector<Bytes> stepGains(const Plan& plan, const SetGain& gain);

/// The items of the enabled lines that are acted on: none twice, and none beneath another. Sorted node
/// numbers.
std::vector<NodeId> outermostItems(const Plan& plan, const SetGain& gain);

/// Finds the nodes of all items in a survey; fails with changed if an identity is not what the survey holds,
/// or with outsideRoot for a path that is not a plain relative one.
Result<void> bind(Plan& plan, const SurveyTree& tree);

/// Fails with conflict where something is to be held and something at, above or beneath it is to be
/// discarded.
Result<void> checkConflicts(const Plan& plan, const SurveyTree& tree);

/// Whether a path is relative, not empty, and without "." and "..".
bool plainRelative(std::string_view path);

/// How a target would stand after the plan.
struct TargetOutlook {
  Target target;
  bool met = false;
  SignedBytes surplus = 0;
};
std::vector<TargetOutlook> outlook(const std::vector<Target>& targets, Bytes free,
                                   const PlannedGain& planned);

}  // namespace zt
