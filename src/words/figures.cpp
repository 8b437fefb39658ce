// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <array>
#include <chrono>
#include <cstdio>

#include "words/words.h"

namespace zt {

Figures::Figures(NumberStyle style, Translate translate)
    : style_(std::move(style)), translate_(std::move(translate)) {}

Words::Words(NumberStyle style, Translate translate) : UpkeepWords(std::move(style), std::move(translate)) {}

std::string Figures::t(const char* text, std::initializer_list<std::string> values) const {
  return filled(t(text), std::span(values.begin(), values.size()));
}

std::string Figures::filled(const std::string& pattern, std::span<const std::string> values) {
  std::string out;
  for (std::size_t i = 0; i < pattern.size(); ++i) {
    const std::size_t index =
        pattern[i] == '%' && i + 1 < pattern.size() && pattern[i + 1] >= '1' && pattern[i + 1] <= '9'
            ? static_cast<std::size_t>(pattern[i + 1] - '1')
            : values.size();
    if (index < values.size())
      out += values[index], ++i;
    else
      out += pattern[i];
  }
  return out;
}

std::string Figures::counted(std::uint64_t count, const char* one, const char* many,
                             std::initializer_list<std::string> values) const {
  const std::string pattern =
      translate_ ? translate_(one, many, count) : std::string(count == 1 ? one : many);
  std::vector<std::string> all{number(count)};
  all.insert(all.end(), values);
  return filled(pattern, all);
}

namespace {
std::string withPoint(std::string text, const std::string& point) {
  if (const auto at = text.find('.'); at != std::string::npos) text.replace(at, 1, point);
  return text;
}
}  // namespace

std::string Figures::bytes(Bytes amount) const {
  return withPoint(formatBytes(amount, style_.base), style_.point);
}

std::string Figures::signedBytes(SignedBytes amount) const {
  return withPoint(formatSigned(amount, style_.base), style_.point);
}

std::string Figures::number(std::uint64_t count) const {
  std::string digits = std::to_string(count);
  for (std::size_t at = digits.size(); at > 3; at -= 3) digits.insert(at - 3, style_.group);
  return digits;
}

std::string Figures::exact(Bytes amount) const {
  return number(amount) + " B";
}

std::string Figures::decimal(double value, int decimals) const {
  char text[64];
  std::snprintf(text, sizeof text, "%.*f", decimals, value);
  // The C library's own point may be another one.
  for (char& c : text)
    if (c == ',') c = '.';
  return withPoint(text, style_.point);
}

std::string Figures::baseNote() const {
  return style_.base == UnitBase::decimal ? "1 GB = 10\u2079 B" : "1 GiB = 2\u00B3\u2070 B";
}

std::string Figures::date(TimeNs when) const {
  const TimeNs day = (when - (when % nsPerDay + nsPerDay) % nsPerDay) / nsPerDay;
  const std::chrono::year_month_day is{std::chrono::sys_days{std::chrono::days{day}}};
  std::array<char, 40> text{};
  std::snprintf(text.data(), text.size(), "%04d-%02u-%02u", int{is.year()}, unsigned{is.month()},
                unsigned{is.day()});
  return text.data();
}

std::string Figures::ago(TimeNs then, TimeNs now) const {
  const std::string span = age(then, now);
  const bool counted = then != 0 && then <= now && now - then >= 2 * nsPerDay;
  return counted ? t("%1 ago", {span}) : span;
}

std::string Figures::age(TimeNs then, TimeNs now) const {
  TimeNs span = 0;
  if (then == 0) return t("unknown");
  if (__builtin_sub_overflow(now, then, &span)) return t("unknown");
  const auto days = span / nsPerDay;
  if (span < 0) return t("in the future");
  if (days < 1) return t("today");
  if (days < 2) return t("yesterday");
  if (days < 60) return t("%1 days", {std::to_string(days)});
  if (days < 730) return t("%1 months", {std::to_string(std::max<std::int64_t>(2, days * 12 / 365))});
  return t("%1 years", {std::to_string(days / 365)});
}

std::string Figures::things(std::uint64_t count) const {
  return counted(count, "1 thing", "%1 things");
}

std::string Figures::entries(std::uint64_t count) const {
  return counted(count, "1 entry", "%1 entries");
}

std::string Figures::rows(std::uint64_t count) const {
  return counted(count, "1 row", "%1 rows");
}

std::string Figures::groups(std::uint64_t count) const {
  return counted(count, "1 group", "%1 groups");
}

std::string Figures::files(std::uint64_t count) const {
  return counted(count, "1 file", "%1 files");
}

std::string Figures::path(std::string_view bytes) const {
  return bytes.empty() ? "/" : escapePath(bytes);
}

}  // namespace zt
