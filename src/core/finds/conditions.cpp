// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/conditions.h"

#include <algorithm>
#include <optional>

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

/// Whether the entry is free; else who of its maker's programs runs, where nothing of it is open.
std::optional<UnmetNeed> notIdle(const FindContext& context, const Place& place, NodeId entry) {
  const bool held = std::any_of(context.held.begin(), context.held.end(), [&](NodeId file) {
    return file == entry || context.gain.beneath(file, entry);
  });
  if (held) return UnmetNeed{"idle", {}, false};
  const auto& programs = context.options.programs;
  const auto runs = std::find_if(programs.begin(), programs.end(),
                                 [&](const auto& program) { return isOneOf(program, place.maker); });
  if (!context.options.live || runs == programs.end()) return std::nullopt;
  return UnmetNeed{"idle", *runs, true};
}

}  // namespace

std::vector<UnmetNeed> unmetNeeds(const FindContext& context, const Place& place, NodeId entry) {
  std::vector<UnmetNeed> unmet;
  for (const std::string& need : place.needs) {
    if (need == "idle") {
      if (auto busy = notIdle(context, place, entry)) unmet.push_back(std::move(*busy));
    } else if ((need == "live" && !context.options.live) || (need == "off" && context.options.live)) {
      unmet.push_back({need, {}, false});
    }
  }
  return unmet;
}

}  // namespace zt
