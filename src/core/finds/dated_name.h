// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string_view>

namespace zt {

/// Whether so many digits stand at a place in a text.
bool hasDigits(std::string_view text, std::size_t from, std::size_t count);
/// Whether a date stands in a name: 2019-11-30, 2019_11_30, 20191130, with a year of 1900 to 2099.
bool holdsDate(std::string_view name);

}  // namespace zt
