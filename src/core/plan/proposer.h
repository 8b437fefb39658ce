// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <optional>
#include <span>

#include "core/plan/plan.h"

namespace zt {

/// What the proposer may do.
struct ProposeOptions {
  std::optional<Regret> ceiling;     ///< not above this; none given: the lowest that reaches the target
  std::vector<PathBytes> keep;       ///< nothing at, in or above these paths
  std::vector<std::string> without;  ///< ids of finds that are not to be used
};

/// A plan worked out.
struct Proposal {
  Plan plan;
  Regret ceiling = Regret::none;
  bool reached = false;
  Bytes shortBy = 0;                      ///< of the hardest target, if not reached
  bool usesUnjudged = false;              ///< nothing else would have reached it
  std::array<Bytes, regrets> possible{};  ///< most that each ceiling could give, unjudged things left alone
  bool optimal = false;                   ///< no plan under this ceiling has fewer bytes of regret
  double boundGap =
      0;  ///< (bytes of regret − lower bound) ÷ lower bound; the bound is the linear relaxation's
};

/// Reaches the hardest chosen target with the lowest regret ceiling that can, then the fewest bytes of
/// regret, then the fewest steps. Overlapping finds are not used twice. `need` is the shortfall of the
/// hardest target. Pure; any thread.
Proposal propose(std::span<const Find> finds, Bytes need, const SurveyTree& tree, const SetGain& gain,
                 const ProposeOptions& options);

/// Picks amounts whose sum is at least `need` and as little above it as can be found. Amounts must be sorted
/// downwards. Gives the indices; empty if all together do not reach. Exact where the search stays within its
/// budget.
std::vector<std::size_t> coverTightly(std::span<const Bytes> amounts, Bytes need);

}  // namespace zt
