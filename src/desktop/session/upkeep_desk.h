// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/upkeep/run_rule.h"
#include "desktop/session/session.h"

namespace zt::desktop {

/// The rules that run by themselves: tried, kept, dropped. GUI thread.
class UpkeepDesk final {
public:
  explicit UpkeepDesk(Session& session) : session_(session) {}

  /// Nothing where there is no register.
  std::vector<UpkeepRule> rules() const;
  /// What a rule would do now; nothing is changed.
  void tryOut(const UpkeepRule& rule, std::function<void(const UpkeepOutcome&)> then);
  Result<void> keep(UpkeepRule rule);
  Result<void> drop(const std::string& id);
  /// A new rule for the drive that is open.
  UpkeepRule blank() const;

private:
  Session& session_;
};

}  // namespace zt::desktop
