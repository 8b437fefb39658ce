// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <stop_token>

#include "core/job/job.h"
#include "core/upkeep/rule.h"

namespace zt {

struct UpkeepOptions {
  PathBytes jobFile;  ///< where the run is kept: journal and proof; empty: in memory (dry runs alone)
  bool dry = false;
  std::stop_token stop;
};

/// What a rule did, or would do.
struct UpkeepOutcome {
  UpkeepRan ran;
  std::vector<Subject> things;  ///< that would go, the largest first; of a dry run
};

/// Runs a rule once, as any run goes: measured, planned, checked, carried out with a journal, proved. It
/// takes nothing that is unjudged, and of what is personal or arrived only what somebody wrote out. Where
/// something is odd nothing is touched, and the outcome says what. Fails only where nothing can be said at
/// all.
Result<UpkeepOutcome> runRule(const Workshop& workshop, const UpkeepRule& rule, const UpkeepOptions& options);

/// Whether the rule's step keeps within a size itself: `capTo` must then be said.
bool needsCap(const Craft& craft, const UpkeepRule& rule);

/// The rules of this user, kept in the register.
Result<std::vector<UpkeepRule>> rulesOf(Register& visits);
/// Keeps them as `change` makes them of what they are; nobody else keeps any meanwhile. Where `change` fails
/// nothing is kept, and that is what this fails with.
Result<void> changeRules(Register& visits,
                         const std::function<Result<void>(std::vector<UpkeepRule>&)>& change);
/// Keeps a rule in place of the one of its id, whose runs it takes over, or as a new one where it has none.
/// Gives its id. Fails with notThere for an id that nobody has.
Result<std::string> keepRule(Register& visits, UpkeepRule rule);

}  // namespace zt
