// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/line_conditions.h"

#include <algorithm>
#include <set>

#include "core/finds/conditions.h"

namespace zt {

std::vector<std::string> conditionsOf(const PlanLine& line, const FindContext& context, std::uint32_t self) {
  std::set<std::string> all;
  std::set<const Sighting*> seen;  // many things of a line are of one place
  if (!line.step->touches) all.insert("its-own-system");
  for (const Subject& item : line.items) {
    if (item.node == noNode) continue;
    const Sighting& sighting = context.sightings.all[context.sightings.of[item.node]];
    if (line.step->touches && self != 0 && context.tree.owner(context.tree.parent(item.node)) != self)
      all.insert("needs-rights");
    if (sighting.place == nullptr || !seen.insert(&sighting).second) continue;
    const auto& needs = sighting.place->needs;
    if (std::find(needs.begin(), needs.end(), "restart") != needs.end()) all.insert("restart");
    if (!line.step->touches) continue;
    for (const UnmetNeed& need : unmetNeeds(context, *sighting.place, sighting.node))
      all.insert("not-" + need.need);
  }
  if (line.step->touches && !context.openIn(line.items).empty()) all.insert("open");
  return {all.begin(), all.end()};
}

}  // namespace zt
