// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/rights/live_rights.h"

#include "core/base/token.h"

namespace zt {

bool RightsOrder::names(std::string_view action, std::string_view path, std::string_view told) const {
  for (const RightsThing& thing : things)
    if (thing.action == action && thing.path == path && thing.told == told) return true;
  return false;
}

std::string RightsOrder::digest() const {
  std::string all = consent;
  // Each with its length, so that no two orders are one text.
  for (const RightsThing& t : things)
    for (const std::string& part : {t.action, t.path, t.told})
      all += ' ' + std::to_string(part.size()) + ' ' + part;
  return tokenOf(all);
}

Result<void> LiveRights::begin(const PathBytes& root, const RightsOrder& order) {
  end();
  auto session = privileged_->startLive(root, order);
  if (!session) return tl::unexpected(session.error());
  session_ = std::move(*session);
  return {};
}

Result<std::string> LiveRights::carryOut(const std::string& phase, const std::string& record,
                                         const std::function<void()>& alive) {
  if (!session_) return fail(Errc::notPermitted, "rights");
  return session_->carryOut(phase, record, alive);
}

}  // namespace zt
