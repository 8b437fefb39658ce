// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/dated_name.h"

#include <algorithm>

namespace zt {

bool hasDigits(std::string_view text, std::size_t from, std::size_t count) {
  if (from + count > text.size()) return false;
  return std::all_of(text.begin() + static_cast<std::ptrdiff_t>(from),
                     text.begin() + static_cast<std::ptrdiff_t>(from + count),
                     [](char c) { return c >= '0' && c <= '9'; });
}

bool holdsDate(std::string_view name) {
  for (std::size_t i = 0; i + 8 <= name.size(); ++i) {
    if (!hasDigits(name, i, 4) || !(name.substr(i, 2) == "19" || name.substr(i, 2) == "20")) continue;
    const bool apart = name.size() >= i + 10 &&
                       (name[i + 4] == '-' || name[i + 4] == '_' || name[i + 4] == '.') &&
                       name[i + 7] == name[i + 4] && hasDigits(name, i + 5, 2) && hasDigits(name, i + 8, 2);
    const std::size_t month = apart ? i + 5 : i + 4;
    if (!apart && !hasDigits(name, i, 8)) continue;
    const int m = (name[month] - '0') * 10 + name[month + 1] - '0';
    if (m >= 1 && m <= 12) return true;
  }
  return false;
}

}  // namespace zt
