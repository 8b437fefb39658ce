// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/standing.h"

#include <array>

namespace zt {

std::string_view name(Standing standing) {
  static constexpr std::array<std::string_view, standings> names{"bedrock",     "kept",     "unjudged",
                                                                 "owners-call", "rebuilds", "spent"};
  return names[static_cast<std::size_t>(standing)];
}

std::string_view name(Regret regret) {
  static constexpr std::array<std::string_view, regrets> names{"none", "time-or-bandwidth", "a-way-back",
                                                               "personal-moved", "personal-gone"};
  return names[static_cast<std::size_t>(regret)];
}

std::optional<Standing> standingNamed(std::string_view wanted) {
  for (int i = 0; i < standings; ++i)
    if (name(static_cast<Standing>(i)) == wanted) return static_cast<Standing>(i);
  return std::nullopt;
}

std::optional<Regret> regretNamed(std::string_view wanted) {
  for (int i = 0; i < regrets; ++i)
    if (name(static_cast<Regret>(i)) == wanted) return static_cast<Regret>(i);
  return std::nullopt;
}

}  // namespace zt
