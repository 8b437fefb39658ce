// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <span>

#include "core/base/path_set.h"
#include "core/plan/ladder.h"
#include "core/plan/plan.h"

namespace zt {

/// What the proposer may do.
struct ProposeOptions {
  std::optional<Regret> ceiling;     ///< not above this; none given: the lowest that reaches the target
  std::vector<PathBytes> keep;       ///< nothing at, in or above these paths
  std::vector<std::string> without;  ///< ids of finds that are not to be used
  /// What a proposal is to be good at, where several reach.
  enum class Prefer : std::uint8_t { leastRegret, fewestSteps } prefer = Prefer::leastRegret;
  PathBytes to;  ///< a folder of another drive: what is personal and may go is moved there; empty: none
  Bytes needForNow = 0;  ///< what is needed only while a task runs: loans count, too
};

/// Why something is not on a proposal.
struct LeftOut {
  std::string find;  ///< its id
  Bytes bytes = 0;   ///< at most
  /// "not-needed", "regret" (above the ceiling), "person", "waits", "not-sure", "overlaps"
  std::string why;
};

/// Something personal or unjudged that only a person may put on the plan.
struct Decision {
  std::string find;  ///< its id
  PathBytes path;
  Bytes bytes = 0;  ///< at most
  std::string kind;
  Standing standing = Standing::unjudged;
  TimeNs untouched = 0;     ///< since the latest change in it
  std::string perhapsOn;    ///< a drive that had one of its name and length when it was measured
  PathBytes perhapsCopy;    ///< of the same name and length elsewhere on the drive; empty where there is none
  bool comesAgain = false;  ///< it can be fetched again, as what is known of it says
};

/// What is left when nothing else reaches: named last, with what it needs.
struct LastResort {
  std::string id;    ///< "programs", "memory-files", "move"
  Bytes atMost = 0;  ///< all of it together; what overlaps counts once
  std::size_t finds = 0;
};

/// A plan worked out.
struct Proposal {
  Plan plan;
  Regret ceiling = Regret::none;
  bool reached = false;
  Bytes shortBy = 0;                    ///< of the hardest target, if not reached
  Ladder ladder;                        ///< what each rung adds, whatever is needed
  std::vector<std::string> advice;      ///< ids of finds that others would have to see to, the biggest first
  std::vector<LastResort> lastResorts;  ///< only where nothing else reaches
  bool optimal = false;                 ///< no plan under this ceiling has fewer bytes of regret
  double boundGap =
      0;  ///< (bytes of regret − lower bound) ÷ lower bound; the bound is the linear relaxation's
  std::vector<LeftOut> left;        ///< the largest first, no more than twenty
  std::vector<Decision> decisions;  ///< the likeliest first; only where nothing else reaches
};

/// Whether the program may put a find on a plan by itself: what is known to rebuild or to be spent, and what
/// somebody said may go (of what is kept by what is known, only the very thing that was marked). Nothing
/// unjudged and nothing personal otherwise, and nothing that somebody keeps.
bool mayPropose(const Find& find, const Marks& marks);

/// Reaches the hardest chosen target with the lowest regret ceiling that can, then the least regret
/// (`regretOf` in regret_weight.h), then the least effort; by bytes that are sure. Overlapping finds are not
/// used twice. `need` is the shortfall of the hardest target that lasts. Pure; any thread.
Proposal propose(std::span<const Find> finds, Bytes need, const FindContext& context, const StepTable& steps,
                 const Marks& marks, const ProposeOptions& options);

}  // namespace zt
