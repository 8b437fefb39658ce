// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/workshop.h"

#include "core/reclaim/steps/steps.h"

namespace zt {

std::vector<std::string> findKinds(const Craft& craft) {
  std::vector<std::string> kinds{std::string(pickedKind)};
  for (const auto& detector : craft.detectors.all()) kinds.emplace_back(detector->id());
  for (const auto& content : craft.contents.all())
    for (const std::string& kind : content->findKinds()) kinds.push_back(kind);
  return kinds;
}

KnownKinds knownKinds(const Craft& craft) {
  return {craft.steps, findKinds(craft)};
}

std::shared_ptr<const Craft> builtInCraft() {
  return std::make_shared<const Craft>(Craft{builtInDetectors(), builtInSteps(), builtInContents()});
}

}  // namespace zt
