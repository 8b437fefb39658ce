// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "core/os/rights/live_rights.h"
#include "core/reclaim/step_executor.h"

namespace zt {

/// What a step is to change of the running system, with what its line is told.
RightsThing liveThing(const std::string& action, const PathBytes& path, const StepParameters& told);

/// Asks for the right to carry out all of an order, once, where this program lacks it; what it gives is kept
/// until the run is over. Where it is refused each thing fails by itself.
std::shared_ptr<void> beginLive(const GuardedDrive& drive, const RightsOrder& order);

/// A step on the running system that goes through the helper while an order lasts (`beginLive`), phase
/// by phase: the journal stays here. Checking needs none.
std::shared_ptr<const StepExecutor> withRights(std::shared_ptr<const StepExecutor> step);

/// What a phase of a step came to, as the helper tells it: the record afterwards, and why it failed.
Json toTold(const JournalRecord& record, const Result<void>& done);

/// Carries out one phase by its name: "prepare", "apply", "verify", "finish", "undo", "recover". Fails with
/// unsupported for any other.
Result<void> carryOutPhase(const StepExecutor& step, std::string_view phase, StepSite& site,
                           JournalRecord& record);

}  // namespace zt
