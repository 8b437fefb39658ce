// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/finds/evidence.h"
#include "core/plan/choose.h"
#include "core/plan/step_kind.h"

namespace zt {

/// What it costs to use a find by its first offer, within one rung of regret; docs/proposals.md has the
/// table. Regret: KiB that go, weighed by kind (how seldom such things are let go), age and copies elsewhere;
/// nothing where there is nothing to regret. Effort: one a line, one more per thousand things, per 100 MB
/// that have to be copied, and for what has to be restarted or needs rights. Pure; any thread.
ChoiceCost costOf(const Find& find, const StepKind& step, const Evidence& known, TimeNs now);

}  // namespace zt
