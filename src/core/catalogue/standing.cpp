// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/standing.h"

#include <array>

#include "core/catalogue/place.h"

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

std::string_view name(LetGo how) {
  static constexpr std::array<std::string_view, letGoKinds> names{"never", "here", "owner", "system"};
  return names[static_cast<std::size_t>(how)];
}

std::optional<LetGo> letGoNamed(std::string_view wanted) {
  for (int i = 0; i < letGoKinds; ++i)
    if (name(static_cast<LetGo>(i)) == wanted) return static_cast<LetGo>(i);
  return std::nullopt;
}

std::string_view name(Lasts lasts) {
  static constexpr std::array<std::string_view, lastsKinds> names{"unsaid", "lasts", "refills", "next-start"};
  return names[static_cast<std::size_t>(lasts)];
}

std::optional<Lasts> lastsNamed(std::string_view wanted) {
  for (int i = 0; i < lastsKinds; ++i)
    if (name(static_cast<Lasts>(i)) == wanted) return static_cast<Lasts>(i);
  return std::nullopt;
}

}  // namespace zt
