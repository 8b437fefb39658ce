// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/plan.h"

namespace zt {

/// What has to be so when a line is carried out, by ids that docs/formats/json.md lists: `not-idle`,
/// `not-live`, `not-off` (what its place needs is not so now), `open` (somebody has something of it open),
/// `needs-rights` (another user's), `restart` (what it gives comes only with one), `its-own-system` (somebody
/// else does it). Sorted, each once. `self`: who would carry it out; 0 may do all.
std::vector<std::string> conditionsOf(const PlanLine& line, const FindContext& context, std::uint32_t self);

}  // namespace zt
