// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/points/series_name.h"

#include <charconv>
#include <chrono>
#include <vector>

namespace zt {

namespace {

bool isDigit(char c) {
  return c >= '0' && c <= '9';
}

/// All digits of a name, and the places of its runs.
struct Runs {
  explicit Runs(std::string_view name) {
    bool within = false;
    for (const char c : name) {
      if (isDigit(c) && !within) all.emplace_back();
      if (isDigit(c)) all.back() += c;
      if (!isDigit(c) || !within) shape += isDigit(c) ? '#' : c;
      within = isDigit(c);
    }
  }
  std::vector<std::string> all;
  std::string shape;
};

unsigned numberOf(std::string_view digits) {
  unsigned n = 0;
  std::from_chars(digits.data(), digits.data() + digits.size(), n);
  return n;
}

/// A date of 1970 to 2099 at the front of digits, and a time of day if they go on; nothing if no such day is.
std::optional<TimeNs> dateOf(std::string_view digits) {
  using namespace std::chrono;
  if (digits.size() < 8) return std::nullopt;
  const unsigned y = numberOf(digits.substr(0, 4));
  const year_month_day date{year{static_cast<int>(y)}, month{numberOf(digits.substr(4, 2))},
                            day{numberOf(digits.substr(6, 2))}};
  if (y < 1970 || y > 2099 || !date.ok()) return std::nullopt;
  const auto part = [&](std::size_t at, unsigned most) {
    const unsigned n = digits.size() >= at + 2 ? numberOf(digits.substr(at, 2)) : 0;
    return n <= most ? n : 0;
  };
  const std::int64_t seconds = std::int64_t{part(8, 23)} * 3600 + part(10, 59) * 60 + part(12, 59);
  return std::int64_t{sys_days{date}.time_since_epoch().count()} * nsPerDay + seconds * nsPerSecond;
}

}  // namespace

std::optional<SeriesName> seriesName(std::string_view name) {
  Runs runs(name);
  if (runs.all.empty()) return std::nullopt;
  SeriesName found;
  found.shape = std::move(runs.shape);
  // A date begins with its year, and what follows belongs to it.
  for (std::size_t i = 0; i < runs.all.size() && !found.date; ++i) {
    if (runs.all[i].size() < 4) continue;
    std::string digits;
    for (std::size_t k = i; k < runs.all.size(); ++k) digits += runs.all[k];
    found.date = dateOf(digits);
  }
  if (found.date) return found;
  constexpr std::size_t longest = 9;
  if (runs.all.size() != 1 || runs.all[0].size() > longest) return std::nullopt;
  found.number = numberOf(runs.all[0]);
  return found;
}

}  // namespace zt
