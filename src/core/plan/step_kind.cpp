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

StepPtr StepTable::settingAside() const {
  const auto at = std::find_if(all_.begin(), all_.end(), [](const StepPtr& s) { return s->setsAside(); });
  return at == all_.end() ? nullptr : *at;
}

std::vector<const ParameterSpec*> StepKind::otherDrives() const {
  std::vector<const ParameterSpec*> all;
  for (const ParameterSpec& spec : takes)
    if (spec.kind == ParameterKind::drive) all.push_back(&spec);
  return all;
}

namespace {
void close(Find& find, Offer offer, const char* reason) {
  offer.regret = find.regret;
  offer.conditions = {reason};
  const bool there = std::any_of(find.closed.begin(), find.closed.end(),
                                 [&](const Offer& o) { return o.action == offer.action; });
  if (!there) find.closed.push_back(std::move(offer));
}
}  // namespace

void priceOffers(Find& find, const StepTable& steps) {
  const bool fixed = std::any_of(find.facts.begin(), find.facts.end(), [&](const Fact& fact) {
    const auto* count = std::get_if<std::uint64_t>(&fact.value);
    return fact.id == "cannot-go" && count != nullptr && *count >= find.items.size();
  });
  const bool foreign = std::any_of(find.facts.begin(), find.facts.end(),
                                   [](const Fact& fact) { return fact.id == "needs-rights"; });
  std::erase_if(find.offers, [&](Offer& offer) {
    const StepPtr step = steps.find(offer.action);
    const bool locked = find.standing == Standing::bedrock && (step == nullptr || step->touches);
    if (step == nullptr || locked) return close(find, offer, locked ? "locked" : "not-yet"), true;
    const bool takes =
        find.items.empty() || std::any_of(find.items.begin(), find.items.end(), [&](const Subject& s) {
          return std::find(step->subjects.begin(), step->subjects.end(), s.kind) != step->subjects.end();
        });
    if (!takes) return close(find, offer, "not-here"), true;
    if (step->liveOnly && !find.live) return close(find, offer, "not-live"), true;
    if (step->touches &&
        ((fixed && step->rights != RightsRule::live) || (foreign && step->rights == RightsRule::none)))
      return close(find, offer, "fixed"), true;
    offer.regret = step->regretOf(find.regret);
    // Of a part only who found it knows how much it is.
    if (step->gives == GainShare::all || offer.gain.atMost == 0)
      offer.gain = step->gainOf(find.gain.sure, find.gain.atMost);
    offer.canReturn = step->undo != UndoRule::none;
    offer.label = step->label;
    return false;
  });
  if (!find.offers.empty())
    find.gain = find.offers.front().gain;
  else
    find.gain.when = GainTime::later;  // nothing can be done about it here and now
}

}  // namespace zt
