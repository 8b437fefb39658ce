// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/upkeep_desk.h"

#include <algorithm>

namespace zt::desktop {

std::vector<UpkeepRule> UpkeepDesk::rules() const {
  const auto& visits = session_.workshop().visits;
  if (!visits) return {};
  return rulesOf(*visits).value_or(std::vector<UpkeepRule>{});
}

UpkeepRule UpkeepDesk::blank() const {
  UpkeepRule rule;
  rule.on = session_.view().drive.target;
  rule.drive = session_.view().drive.id;
  return rule;
}

void UpkeepDesk::tryOut(const UpkeepRule& rule, std::function<void(const UpkeepOutcome&)> then) {
  auto outcome = std::make_shared<UpkeepOutcome>();
  session_.post(
      Session::Work::opening,
      [outcome, rule, workshop = session_.workshop()](std::unique_ptr<Job>&,
                                                      std::stop_token stop) -> Result<void> {
        UpkeepOptions options;
        options.dry = true;
        options.stop = stop;
        auto tried = runRule(workshop, rule, options);
        if (!tried) return tl::unexpected(tried.error());
        *outcome = std::move(*tried);
        return {};
      },
      [outcome, then = std::move(then)] { then(*outcome); });
}

Result<void> UpkeepDesk::keep(UpkeepRule rule) {
  const auto& visits = session_.workshop().visits;
  if (!visits) return fail(Errc::unsupported, "upkeep", {}, "no register");
  const auto id = keepRule(*visits, std::move(rule));
  return id ? Result<void>{} : Result<void>(tl::unexpected(id.error()));
}

Result<void> UpkeepDesk::drop(const std::string& id) {
  const auto& visits = session_.workshop().visits;
  if (!visits) return fail(Errc::unsupported, "upkeep", {}, "no register");
  return changeRules(*visits, [&](std::vector<UpkeepRule>& all) -> Result<void> {
    std::erase_if(all, [&](const UpkeepRule& r) { return r.id == id; });
    return {};
  });
}

}  // namespace zt::desktop
