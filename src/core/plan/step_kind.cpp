// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/step_kind.h"

#include <algorithm>

namespace zt {

void StepTable::add(StepKind kind) {
  auto step = std::make_shared<const StepKind>(std::move(kind));
  const auto same =
      std::find_if(all_.begin(), all_.end(), [&](const StepPtr& s) { return s->id == step->id; });
  if (same == all_.end())
    all_.push_back(std::move(step));
  else
    *same = std::move(step);
}

StepPtr StepTable::find(std::string_view id) const {
  const auto at = std::find_if(all_.begin(), all_.end(), [&](const StepPtr& s) { return s->id == id; });
  return at == all_.end() ? nullptr : *at;
}

void priceOffers(Find& find, const StepTable& steps) {
  std::erase_if(find.offers, [&](Offer& offer) {
    const StepPtr step = steps.find(offer.action);
    if (step == nullptr || (find.standing == Standing::bedrock && step->touches)) return true;
    offer.regret = step->regretOf(find.regret);
    offer.gain = step->gainOf(find.gain.sure, find.gain.atMost);
    return false;
  });
  if (!find.offers.empty()) find.gain = find.offers.front().gain;
}

}  // namespace zt
