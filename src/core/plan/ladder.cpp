// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/ladder.h"

#include <algorithm>

#include "core/plan/disjoint.h"
#include "core/plan/proposer.h"

namespace zt {

Ladder ladderOf(std::span<const Find* const> finds, const FindContext& context, const Marks& marks) {
  Ladder ladder;
  std::vector<const Find*> takes, asks;
  for (const Find* f : finds) {
    if (f->offers.empty()) continue;
    const bool may = mayPropose(*f, marks);
    const Gain& gain = f->offers.front().gain;
    if (may && gain.sure > 0) {
      takes.push_back(f);
    } else if (may && gain.when == GainTime::later) {
      ladder.later += gain.atMost;
      ++ladder.laterSteps;
    } else if (!may && f->standing >= Standing::unjudged && !marks.locks(*f)) {
      ++ladder.decisions;
      asks.push_back(f);
    }
  }
  // The gentlest first, so that what two finds share counts on the lower rung.
  std::stable_sort(takes.begin(), takes.end(), [](const Find* a, const Find* b) {
    return a->regret != b->regret ? a->regret < b->regret : a->gain.sure > b->gain.sure;
  });
  Disjoint disjoint(context.tree);
  for (const Find* f : takes) {
    if (!disjoint.take(*f)) continue;
    Ladder::Rung& rung = ladder.rungs[static_cast<std::size_t>(f->regret)];
    rung.adds += f->offers.front().gain.sure;
    ++rung.steps;
  }
  std::stable_sort(asks.begin(), asks.end(),
                   [](const Find* a, const Find* b) { return a->gain.atMost > b->gain.atMost; });
  for (const Find* f : asks)
    if (disjoint.take(*f)) ladder.decisionBytes += f->gain.atMost;
  return ladder;
}

}  // namespace zt
