// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <vector>

#include "core/base/bytes.h"
#include "core/base/clock.h"

namespace zt {

/// Free bytes of a drive at one time.
struct FreeReading {
  TimeNs when = 0;
  Bytes free = 0;
  SignedBytes given = 0;  ///< of that, what we ourselves made free since the reading before
};

/// How a drive's free bytes go, without what we ourselves made free: the median of the slopes between all
/// pairs of days (Theil 1950, Sen 1968), and the interval that holds it in 19 of 20 cases (Hollander and
/// Wolfe, Nonparametric Statistical Methods, 9.3; by the normal approximation of Kendall's statistic).
struct Trend {
  enum class Lacks : std::uint8_t {
    nothing,
    visits,  ///< on fewer than three days
    time     ///< less than a week from first to last
  };
  Lacks lacks = Lacks::nothing;
  double perDay = 0;               ///< bytes; below zero: it fills up
  double lowest = 0, highest = 0;  ///< of `perDay`
  double step = 0;          ///< bytes: how far one day strays from the slope, by the median; days stray apart
  double spread = 0;        ///< bytes: half of the readings lie nearer to the line than that
  std::size_t days = 0;     ///< on which it was read
  std::size_t leftOut = 0;  ///< readings of a time that has not come yet
  TimeNs first = 0, last = 0;
  Bytes free = 0;  ///< at the last reading
};

/// Readings in any order; of each day the last counts. Those after `now` are left out: some clock was wrong.
Trend trendOf(std::vector<FreeReading> readings, TimeNs now);

/// When free bytes fall to a line, if all goes on as it did. The interval holds the day in 19 of 20 cases:
/// the wider of two, by the interval of the slope and the spread, and by days that stray at random, each from
/// where the one before ended (a walk with a drift, its error from Student's distribution).
struct Forecast {
  bool below = false;            ///< they are there already
  std::optional<TimeNs> likely;  ///< nothing where it does not fill up, or not within a hundred years
  std::optional<TimeNs> earliest;
  std::optional<TimeNs> latest;  ///< nothing where that may be never
};
/// Of a trend that lacks nothing.
Forecast whenAt(const Trend& trend, Bytes line);

}  // namespace zt
