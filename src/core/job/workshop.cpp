// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/workshop.h"

#include "core/reclaim/steps/steps.h"

namespace zt {

std::shared_ptr<const Craft> builtInCraft() {
  return std::make_shared<const Craft>(Craft{builtInDetectors(), builtInSteps()});
}

}  // namespace zt
