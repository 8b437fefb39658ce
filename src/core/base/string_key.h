// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/strings/string_view.h>

#include <string_view>

namespace zt {

/// A key for asking a table of texts without making a text of it.
inline absl::string_view keyOf(std::string_view text) {
  return {text.data(), text.size()};
}

}  // namespace zt
