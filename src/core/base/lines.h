// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <string_view>

namespace zt {

/// Calls `each` with every line of a text, without its end; what follows the last end is a line if it is not
/// empty.
template <class Each>
void eachLine(std::string_view text, Each each) {
  while (!text.empty()) {
    const auto end = std::min(text.find('\n'), text.size());
    each(text.substr(0, end));
    text.remove_prefix(std::min(text.size(), end + 1));
  }
}

}  // namespace zt
