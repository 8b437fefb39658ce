// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "core/base/clock.h"

namespace zt {

/// What the name of a folder says of its place in a series.
struct SeriesName {
  std::string shape;                    ///< without its digits: names of one series have it in common
  std::optional<TimeNs> date;           ///< that stands in it, with a time of day if one follows; UTC
  std::optional<std::uint64_t> number;  ///< its only run of digits, if that is no date
};
/// Nothing for a name without digits, and for one whose digits are neither a date nor one short number.
std::optional<SeriesName> seriesName(std::string_view name);

}  // namespace zt
