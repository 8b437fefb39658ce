// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/find.h"

#include <algorithm>

#include <array>

namespace zt {

std::string_view name(GainTime time) {
  static constexpr std::array<std::string_view, gainTimes> names{"now", "on-release", "at-restart",
                                                                 "until-next-start", "later"};
  return names[static_cast<std::size_t>(time)];
}

bool hasFact(const Find& find, std::string_view factId) {
  return std::any_of(find.facts.begin(), find.facts.end(),
                     [&](const Fact& fact) { return fact.id == factId; });
}

std::uint64_t numberIn(const Find& find, std::string_view factId) {
  for (const Fact& fact : find.facts)
    if (const auto* number = std::get_if<std::uint64_t>(&fact.value); number != nullptr && fact.id == factId)
      return *number;
  return 0;
}

std::string textIn(const Find& find, std::string_view factId) {
  for (const Fact& fact : find.facts)
    if (const auto* text = std::get_if<std::string>(&fact.value); text != nullptr && fact.id == factId)
      return *text;
  return {};
}

PathBytes whereIs(const Find& find) {
  return find.items.size() == 1 ? find.items.front().path : find.place;
}

bool isOfKind(const Find& find, std::string_view kind) {
  return find.kind == kind || std::any_of(find.facts.begin(), find.facts.end(), [&](const Fact& f) {
           return f.id == "also" && std::get_if<std::string>(&f.value) != nullptr &&
                  std::get<std::string>(f.value) == kind;
         });
}

}  // namespace zt
