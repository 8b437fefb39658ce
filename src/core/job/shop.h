// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <set>

#include "core/drive/target.h"
#include "core/job/workshop.h"

namespace zt {

/// What the shop has decided once for all. Its one home is the register; nothing is decided where there is
/// none. Any thread.

/// The headroom rules that every new job takes for targets.
std::set<TargetOrigin> followedRules(const Workshop& workshop);
/// Fails with notThere without a register.
Result<void> followRules(const Workshop& workshop, const std::set<TargetOrigin>& rules);
/// Chooses, of the targets that are rules, those that the shop follows.
void chooseRules(std::vector<Target>& targets, const std::set<TargetOrigin>& rules);

/// By which rules one of equal files stays; as usual where nothing else was said.
KeeperOrder shopKeepers(const Workshop& workshop);
Result<void> sayShopKeepers(const Workshop& workshop, const KeeperOrder& order);

}  // namespace zt
