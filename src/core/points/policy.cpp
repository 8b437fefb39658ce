// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <charconv>
#include <chrono>
#include <limits>
#include <set>

#include "core/points/points.h"

namespace zt {

namespace {

using Rule = PointPolicy::Rule;

/// A number for the day, week or month that a time lies in.
std::int64_t period(TimeNs time, Rule rule) {
  const std::int64_t day = (time - (time % nsPerDay + nsPerDay) % nsPerDay) / nsPerDay;
  if (rule == Rule::daily) return day;
  if (rule == Rule::weekly) return (day + 3 - ((day + 3) % 7 + 7) % 7) / 7;  // 1970 began on a Thursday
  const std::chrono::year_month_day date{std::chrono::sys_days{std::chrono::days{day}}};
  return std::int64_t{int{date.year()}} * 12 + static_cast<std::int64_t>(unsigned{date.month()});
}

/// As many of the oldest as it takes until those that stay hold no more than a share.
void keepShare(const PointModel& model, const PointSeries& series, Bytes most, GainModel::Points& go) {
  GainModel::Points all(model.size(), false);
  for (const std::uint32_t p : series.points) all[p] = true;
  const Bytes whole = model.of(all).frees;
  if (whole <= most) return;
  // What goes first frees least: how many have to go is found by halving.
  const auto freed = [&](std::size_t count) {
    GainModel::Points some(model.size(), false);
    for (std::size_t i = 0; i < count; ++i)
      if (const std::uint32_t p = series.points[i];
          model.mayGoByRule(p) || model.lock(p) == PointLock::foreign)
        some[p] = true;
    return model.of(some).frees;
  };
  std::size_t low = 0, high = series.points.size();
  while (low < high) {
    const std::size_t middle = (low + high) / 2;
    if (whole - freed(middle) <= most)
      high = middle;
    else
      low = middle + 1;
  }
  for (std::size_t i = 0; i < low; ++i) go[series.points[i]] = true;
}

/// Whether dates grow with the series at each of its points: where an earlier one is dated later, or a later
/// one earlier, a clock was wrong, and nobody knows which.
std::vector<bool> datesAgree(const PointModel& model, const PointSeries& series) {
  const std::size_t count = series.points.size();
  std::vector<bool> agree(count, true);
  TimeNs latest = std::numeric_limits<TimeNs>::min();
  for (std::size_t i = 0; i < count; ++i) {
    const TimeNs taken = model[series.points[i]].taken;
    agree[i] = taken >= latest;
    latest = std::max(latest, taken);
  }
  TimeNs earliest = std::numeric_limits<TimeNs>::max();
  for (std::size_t i = count; i-- > 0;) {
    const TimeNs taken = model[series.points[i]].taken;
    agree[i] = agree[i] && taken <= earliest;
    earliest = std::min(earliest, taken);
  }
  return agree;
}

}  // namespace

std::optional<PointPolicy> parsePolicy(std::string_view words) {
  if (words == "daily") return PointPolicy{Rule::daily, 0};
  if (words == "weekly") return PointPolicy{Rule::weekly, 0};
  if (words == "monthly") return PointPolicy{Rule::monthly, 0};
  const auto after = [&](std::string_view start, std::string_view end) -> std::optional<std::uint64_t> {
    if (!words.starts_with(start) || !words.ends_with(end) || words.size() <= start.size() + end.size())
      return std::nullopt;
    const std::string_view text = words.substr(start.size(), words.size() - start.size() - end.size());
    std::uint64_t n = 0;
    const auto [at, problem] = std::from_chars(text.data(), text.data() + text.size(), n);
    return problem == std::errc{} && at == text.data() + text.size() ? std::optional(n) : std::nullopt;
  };
  if (const auto n = after("newest ", ""); n && *n > 0) return PointPolicy{Rule::newest, *n};
  if (const auto n = after("younger ", "d"); n && *n < 36'500) return PointPolicy{Rule::youngerThan, *n};
  if (const auto n = after("share ", "%"); n && *n <= 100) return PointPolicy{Rule::share, *n};
  return std::nullopt;
}

GainModel::Points pointsToGo(const PointModel& model, const PointPolicy& policy, Bytes capacity, TimeNs now) {
  GainModel::Points go(model.size(), false);
  for (const PointSeries& s : model.series()) {
    const std::size_t count = s.points.size();
    std::set<std::int64_t> seen;
    const std::vector<bool> dated = datesAgree(model, s);
    if (policy.rule == Rule::share) keepShare(model, s, capacity / 100 * policy.amount, go);
    for (std::size_t i = count; i-- > 0;) {
      const TimeNs taken = model[s.points[i]].taken;
      bool stays = true;
      if (policy.rule == Rule::newest)
        stays = count - i <= policy.amount;
      else if (policy.rule == Rule::share)
        continue;
      else if (!dated[i])
        stays = true;
      else if (policy.rule == Rule::youngerThan)
        stays = now - taken < static_cast<TimeNs>(policy.amount) * nsPerDay;
      else
        stays = seen.insert(period(taken, policy.rule)).second;
      if (!stays) go[s.points[i]] = true;
    }
  }
  for (std::uint32_t i = 0; i < model.size(); ++i)
    if (!model.mayGoByRule(i) && model.lock(i) != PointLock::foreign) go[i] = false;
  return go;
}

}  // namespace zt
