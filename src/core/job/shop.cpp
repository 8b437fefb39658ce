// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/shop.h"

#include <sstream>

#include "core/job/register.h"

namespace zt {

namespace {
constexpr const char* headroom = "headroom";
constexpr const char* keepers = "keepers";
}  // namespace

std::set<TargetOrigin> followedRules(const Workshop& workshop) {
  std::set<TargetOrigin> rules;
  if (!workshop.visits) return rules;
  std::istringstream words(workshop.visits->said(headroom));
  for (std::string word; words >> word;)
    for (int i = 0; i < targetOrigins; ++i)
      if (name(static_cast<TargetOrigin>(i)) == word) rules.insert(static_cast<TargetOrigin>(i));
  return rules;
}

Result<void> followRules(const Workshop& workshop, const std::set<TargetOrigin>& rules) {
  if (!workshop.visits) return fail(Errc::notThere, "register");
  std::string words;
  for (const TargetOrigin rule : rules) words += (words.empty() ? "" : " ") + std::string(name(rule));
  return workshop.visits->say(headroom, words);
}

void chooseRules(std::vector<Target>& targets, const std::set<TargetOrigin>& rules) {
  for (Target& t : targets)
    if (t.origin != TargetOrigin::task) t.chosen = rules.contains(t.origin);
}

KeeperOrder shopKeepers(const Workshop& workshop) {
  if (!workshop.visits) return usualOrder();
  return parseOrder(workshop.visits->said(keepers)).value_or(usualOrder());
}

Result<void> sayShopKeepers(const Workshop& workshop, const KeeperOrder& order) {
  if (!workshop.visits) return fail(Errc::notThere, "register");
  return workshop.visits->say(keepers, orderText(order));
}

}  // namespace zt
