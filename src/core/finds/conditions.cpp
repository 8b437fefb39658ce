// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/conditions.h"

#include <algorithm>

namespace zt {

bool isOneOf(std::string_view program, std::string_view makers) {
  const std::string name = lowered(program);
  const std::string all = lowered(makers);
  for (std::string_view rest = all; !rest.empty();) {
    const auto comma = std::min(rest.find(", "), rest.size());
    const auto maker = rest.substr(0, comma);
    if (!maker.empty() && (name == maker || name.starts_with(std::string(maker) + "-"))) return true;
    rest.remove_prefix(std::min(rest.size(), comma + 2));
  }
  return false;
}

namespace {

bool isIdle(const FindContext& context, const Place& place, NodeId entry) {
  const bool held = std::any_of(context.held.begin(), context.held.end(), [&](NodeId file) {
    return file == entry || context.gain.beneath(file, entry);
  });
  const auto& programs = context.options.programs;
  return !held && (!context.options.live ||
                   std::none_of(programs.begin(), programs.end(),
                                [&](const std::string& program) { return isOneOf(program, place.maker); }));
}

}  // namespace

std::vector<std::string> unmetNeeds(const FindContext& context, const Place& place, NodeId entry) {
  std::vector<std::string> unmet;
  for (const std::string& need : place.needs) {
    const bool met = need == "idle"   ? isIdle(context, place, entry)
                     : need == "live" ? context.options.live
                     : need == "off"  ? !context.options.live
                                      : true;
    if (!met) unmet.push_back(need);
  }
  return unmet;
}

}  // namespace zt
