// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/workshop.h"

#include "core/reclaim/steps/steps.h"

namespace zt {

std::vector<std::string> findKinds(const Craft& craft) {
  std::vector<std::string> kinds{std::string(pickedKind)};
  for (const auto& detector : craft.detectors.all()) kinds.emplace_back(detector->id());
  const auto& further = craft.detectors.furtherKinds();
  kinds.insert(kinds.end(), further.begin(), further.end());
  return kinds;
}

std::shared_ptr<const Craft> builtInCraft() {
  return std::make_shared<const Craft>(Craft{builtInDetectors(), builtInSteps()});
}

}  // namespace zt
