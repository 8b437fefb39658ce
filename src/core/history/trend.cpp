// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/history/trend.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace zt {

namespace {

constexpr std::size_t leastDays = 3;
constexpr TimeNs leastTime = 7 * nsPerDay;
constexpr double longest = 36'525;  ///< days
constexpr double in19of20 = 1.959964;

struct DayPoint {
  double day = 0;
  double free = 0;
};

double median(std::vector<double> values) {
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  if (values.size() % 2 == 1) return *middle;
  return (*middle + *std::max_element(values.begin(), middle)) / 2;
}

/// What would be free if nothing had been made free by us.
std::vector<DayPoint> pointsOf(std::vector<FreeReading>& readings) {
  std::stable_sort(readings.begin(), readings.end(),
                   [](const auto& a, const auto& b) { return a.when < b.when; });
  std::map<TimeNs, DayPoint> days;
  double given = 0;
  for (const FreeReading& r : readings) {
    given += static_cast<double>(r.given);
    days[r.when / nsPerDay] = {static_cast<double>(r.when) / static_cast<double>(nsPerDay),
                               static_cast<double>(r.free) - given};
  }
  std::vector<DayPoint> points;
  points.reserve(days.size());
  for (const auto& [day, point] : days) points.push_back(point);
  return points;
}

void takeSlopes(const std::vector<DayPoint>& points, Trend& trend) {
  std::vector<double> slopes;
  slopes.reserve(points.size() * (points.size() - 1) / 2);
  for (std::size_t i = 0; i < points.size(); ++i)
    for (std::size_t k = i + 1; k < points.size(); ++k)
      slopes.push_back((points[k].free - points[i].free) / (points[k].day - points[i].day));
  trend.perDay = median(slopes);
  std::sort(slopes.begin(), slopes.end());
  const auto n = static_cast<double>(points.size());
  const double c = in19of20 * std::sqrt(n * (n - 1) * (2 * n + 5) / 18);
  const auto all = static_cast<double>(slopes.size());
  const auto at = [&](double rank) {
    return slopes[static_cast<std::size_t>(std::clamp(std::round(rank), 0.0, all - 1))];
  };
  trend.lowest = at((all - c) / 2 - 1);
  trend.highest = at((all + c) / 2);
  std::vector<double> rest;
  rest.reserve(points.size());
  for (const DayPoint& p : points) rest.push_back(p.free - trend.perDay * p.day);
  const double line = median(rest);
  for (double& r : rest) r = std::abs(r - line);
  trend.spread = median(std::move(rest));
  std::vector<double> strays;
  for (std::size_t i = 1; i < points.size(); ++i) {
    const double days = points[i].day - points[i - 1].day;
    strays.push_back(std::abs(points[i].free - points[i - 1].free - trend.perDay * days) / std::sqrt(days));
  }
  constexpr double ofNormal = 1.4826;  // a standard deviation, of the median of what is beside it
  trend.step = ofNormal * median(std::move(strays));
}

/// The first day on which `room` is used up; more than `longest` for none.
template <class Left>
double firstDay(Left left) {
  // What is left may rise again in the end: gone through by steps that grow, then between two of them.
  double before = 0;
  if (left(0.0) <= 0) return 0;
  for (double day = 0.25; day <= longest; day *= 1.02) {
    if (left(day) > 0) {
      before = day;
      continue;
    }
    for (int i = 0; i < 40; ++i) (left((before + day) / 2) > 0 ? before : day) = (before + day) / 2;
    return day;
  }
  return longest + 1;
}

}  // namespace

Trend trendOf(std::vector<FreeReading> readings, TimeNs now) {
  Trend trend;
  trend.leftOut = std::erase_if(readings, [&](const FreeReading& r) { return r.when > now; });
  const std::vector<DayPoint> points = pointsOf(readings);
  trend.days = points.size();
  if (!readings.empty())
    trend.first = readings.front().when, trend.last = readings.back().when, trend.free = readings.back().free;
  if (points.size() < leastDays)
    trend.lacks = Trend::Lacks::visits;
  else if (trend.last - trend.first < leastTime)
    trend.lacks = Trend::Lacks::time;
  else
    takeSlopes(points, trend);
  return trend;
}

Forecast whenAt(const Trend& trend, Bytes line) {
  Forecast forecast;
  forecast.below = trend.free <= line;
  const double room = static_cast<double>(trend.free) - static_cast<double>(line);
  const double time = static_cast<double>(trend.last - trend.first) / static_cast<double>(nsPerDay);
  // Student's factor, near enough: 4.3 for three days, 2.2 for twelve.
  const double sure = in19of20 + 2.4 / std::max(1.0, static_cast<double>(trend.days) - 2);
  const auto strays = [&](double days) { return sure * trend.step * std::sqrt(days + days * days / time); };
  const auto at = [&](double day) -> std::optional<TimeNs> {
    if (day > longest) return std::nullopt;
    return trend.last + static_cast<TimeNs>(day * static_cast<double>(nsPerDay));
  };
  const double early =
      std::min(firstDay([&](double d) { return room + trend.perDay * d - strays(d); }),
               firstDay([&](double d) { return room - 3 * trend.spread + trend.lowest * d; }));
  const double late =
      std::max(firstDay([&](double d) { return room + trend.perDay * d + strays(d); }),
               firstDay([&](double d) { return room + 3 * trend.spread + trend.highest * d; }));
  forecast.likely = at(firstDay([&](double d) { return room + trend.perDay * d; }));
  forecast.earliest = at(early);
  forecast.latest = at(late);
  return forecast;
}

}  // namespace zt
