// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>

#include "core/plan/step_parameters.h"
#include "desktop/prompter.h"

namespace zt::desktop {

/// Asks where things are to be moved to: the folder that was chosen last, or another one, and whether a
/// second copy goes to a third drive. What was chosen is remembered. nullopt where nobody chose. GUI thread.
std::optional<StepParameters> askDestination(QWidget* parent, Prompter& prompter);

}  // namespace zt::desktop
