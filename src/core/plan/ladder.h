// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <span>

#include "core/finds/find_context.h"
#include "core/finds/marks.h"
#include "core/plan/step_kind.h"

namespace zt {

/// What each rung of regret adds to those below it, by what the program may propose by itself and for
/// certain; what others would have to do; and what is left for a person to decide.
struct Ladder {
  struct Rung {
    Bytes adds = 0;
    std::size_t steps = 0;
  };
  std::array<Rung, regrets> rungs{};  ///< by regret
  Bytes later = 0;                    ///< at most, by somebody else's hand
  std::size_t laterSteps = 0;
  std::size_t decisions = 0;  ///< finds that only a person may judge
  Bytes decisionBytes = 0;    ///< what these would give at most; what overlaps counts once
};

/// Pure; any thread. Overlapping finds count once.
Ladder ladderOf(std::span<const Find* const> finds, const FindContext& context, const Marks& marks);

}  // namespace zt
