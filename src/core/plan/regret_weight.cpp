// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/regret_weight.h"

#include <algorithm>

namespace zt {

namespace {

constexpr std::uint64_t mostOfOne = std::uint64_t{1}
                                    << 43;  // of one find, so that ten thousand stay below 2^60

/// In quarters: what lay untouched for years is missed less.
std::uint64_t ageWeight(TimeNs untouched, TimeNs now) {
  const TimeNs age = now - untouched;
  if (age > 3 * 365 * nsPerDay) return 2;
  return age > 365 * nsPerDay ? 3 : 4;
}

std::uint64_t troubleOf(const std::string& condition) {
  if (condition == "restart") return 20;
  return condition == "live" || condition == "needs-rights" ? 5 : 1;
}

}  // namespace

ChoiceCost costOf(const Find& find, const StepKind& step, const Evidence& known, TimeNs now) {
  ChoiceCost cost;
  if (step.regretOf(find.regret) != Regret::none) {
    const std::uint64_t kind = 10 + (100 - std::min<std::uint32_t>(find.likelihood, 100));  // 10 to 110
    const bool elsewhere = find.items.size() == 1 && (!known.namesakes.empty() || !known.elsewhere.empty());
    const std::uint64_t kib = std::max<Bytes>(1, find.gain.sure / 1024);
    cost.regret =
        std::min(mostOfOne, kib / 8 * kind * ageWeight(find.newest, now) / (elsewhere ? 8u : 4u) + 1);
  }
  cost.effort = 1 + find.items.size() / 1000;
  if (!step.otherDrives().empty()) cost.effort += 1 + find.gain.sure / 100'000'000;
  for (const Offer& offer : find.offers)
    if (offer.action == step.id)
      for (const std::string& condition : offer.conditions) cost.effort += troubleOf(condition);
  return cost;
}

}  // namespace zt
