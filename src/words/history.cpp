// SPDX-License-Identifier: GPL-3.0-or-later
// The words for visits: what changed between two, and where it leads.
#include <array>
#include <cmath>
#include <utility>

#include "words/words.h"

namespace zt {

namespace {
SignedBytes aWeek(double perDay) {
  return static_cast<SignedBytes>(std::llround(perDay * 7));
}
}  // namespace

std::string HistoryWords::change(Change change) const {
  static constexpr std::array<const char*, changes> texts{"changed within", "grew", "shrank",
                                                          "rewritten",      "came", "went"};
  return t(texts[static_cast<std::size_t>(change)]);
}

std::string HistoryWords::visitKind(VisitKind kind) const {
  static constexpr std::array<const char*, visitKinds> texts{"measured", "reclaimed", "proved"};
  return t(texts[static_cast<std::size_t>(kind)]);
}

std::string HistoryWords::grouping(GroupBy by) const {
  static constexpr std::array<const char*, groupings> texts{"by kind", "by standing", "by owner"};
  return t(texts[static_cast<std::size_t>(by)]);
}

std::string HistoryWords::changeLine(const Comparison& comparison) const {
  const ChangeRow& all = comparison.rows.front();
  if (all.sums.entries == 0) return t("nothing changed");
  std::string text = t("%1 in all", {(all.delta() > 0 ? "+" : "") + signedBytes(all.delta())});
  const std::pair<const char*, Bytes> parts[] = {{"came %1", all.sums.came},
                                                 {"went %1", all.sums.went},
                                                 {"grew %1", all.sums.grew},
                                                 {"shrank %1", all.sums.shrank}};
  const char* before = ": ";
  for (const auto& [part, amount] : parts)
    if (amount > 0) text += std::exchange(before, ", ") + t(part, {bytes(amount)});
  if (all.sums.movedIn > 0)
    text += "; " + t("of what came, %1 was elsewhere before", {bytes(all.sums.movedIn)});
  return text;
}

std::string HistoryWords::trend(const Trend& trend) const {
  if (trend.lacks == Trend::Lacks::visits)
    return t("no trend yet: it takes visits on three days; there are %1", {number(trend.days)});
  if (trend.lacks == Trend::Lacks::time)
    return t("no trend yet: it takes a week from the first visit to the last");
  const std::string likely = signedBytes(aWeek(trend.perDay)), low = signedBytes(aWeek(trend.lowest)),
                    high = signedBytes(aWeek(trend.highest));
  if (low == high) return t("free space changes by %1 a week", {likely});
  return t("free space changes by %1 a week (between %2 and %3)", {likely, low, high});
}

std::string HistoryWords::forecast(const Trend& trend, const Forecast& forecast, const std::string& line,
                                   TimeNs now) const {
  if (forecast.below) return t("%1: now", {line});
  if (trend.lacks != Trend::Lacks::nothing) return {};
  if (!forecast.earliest) return t("%1: not foreseen", {line});
  const std::string early = date(*forecast.earliest);
  if (!forecast.likely) return t("%1: perhaps never, at the earliest %2", {line, early});
  // A forecast that has passed is one that did not come true.
  const std::string likely = *forecast.likely < now ? t("any day") : t("about %1", {date(*forecast.likely)});
  if (!forecast.latest) return t("%1: %2, at the earliest %3, perhaps never", {line, likely, early});
  const std::string late = date(*forecast.latest);
  if (early == late) return t("%1: %2", {line, likely});
  return t("%1: %2, between %3 and %4", {line, likely, early, late});
}

}  // namespace zt
