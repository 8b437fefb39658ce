// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/upkeep/rule.h"

#include <array>
#include <ctime>

namespace zt {

namespace {

constexpr int ruleVersion = 1;
constexpr std::size_t mostRules = 200, mostRan = 10;

/// The latest time of a rule's clock that is not after `now`, moved by `periods`.
TimeNs clockTime(const UpkeepRule& rule, TimeNs now, int periods) {
  std::time_t seconds = now / nsPerSecond;
  std::tm day{};
  ::localtime_r(&seconds, &day);
  day.tm_hour = rule.minuteOfDay / 60;
  day.tm_min = rule.minuteOfDay % 60;
  day.tm_sec = 0;
  day.tm_isdst = -1;
  if (rule.when == UpkeepWhen::weekly) day.tm_mday -= (day.tm_wday + 6) % 7;
  if (rule.when == UpkeepWhen::monthly) day.tm_mday = 1;
  const auto at = [&](int period) {
    std::tm t = day;
    if (rule.when == UpkeepWhen::daily) t.tm_mday += period;
    if (rule.when == UpkeepWhen::weekly) t.tm_mday += 7 * period;
    if (rule.when == UpkeepWhen::monthly) t.tm_mon += period;
    return static_cast<TimeNs>(::mktime(&t)) * nsPerSecond;
  };
  return at(0) <= now ? at(periods) : at(periods - 1);
}

bool byClock(UpkeepWhen when) {
  return when == UpkeepWhen::daily || when == UpkeepWhen::weekly || when == UpkeepWhen::monthly;
}

Json toJson(const UpkeepRan& ran) {
  Json j{{"when_ns", ran.when},          {"end", name(ran.end)},       {"things", ran.things},
         {"planned_bytes", ran.planned}, {"gained_bytes", ran.gained}, {"why", ran.why}};
  putPath(j, "job", ran.job);
  return j;
}

UpkeepRan readRan(JsonReader& in) {
  UpkeepRan ran;
  ran.when = in.number<TimeNs>("when_ns");
  ran.end = in.choice<UpkeepEnd>("end", upkeepEnds);
  ran.things = in.number<std::uint64_t>("things");
  ran.planned = in.number<Bytes>("planned_bytes");
  ran.gained = in.number<SignedBytes>("gained_bytes");
  ran.why = in.textOr("why");
  ran.job = in.pathOr("job");
  return ran;
}

UpkeepRule readRule(JsonReader& in) {
  UpkeepRule rule;
  rule.id = in.text("id", 32);
  rule.on = in.path("on");
  rule.drive = in.textOr("drive");
  rule.action = in.text("action", 64);
  rule.question = in.text("question");
  rule.olderDays = in.numberOr<int>("older_days", 0);
  rule.newestStay = in.numberOr<std::size_t>("newest_stay", 0);
  rule.capTo = in.numberOr<Bytes>("cap_to_bytes", 0);
  rule.when = in.choice<UpkeepWhen>("when", upkeepWhens);
  rule.minuteOfDay = in.numberOr<int>("minute_of_day", rule.minuteOfDay);
  rule.below = in.numberOr<Bytes>("below_bytes", 0);
  rule.mostBytes = in.numberOr<Bytes>("most_bytes", rule.mostBytes);
  rule.mostThings = in.numberOr<std::uint64_t>("most_things", rule.mostThings);
  rule.personal = in.flagOr("personal", false);
  in.eachOr("ran", mostRan, [&](JsonReader& ran) { rule.ran.push_back(readRan(ran)); });
  if (rule.minuteOfDay < 0 || rule.minuteOfDay >= 24 * 60) in.wrong("minute_of_day");
  return rule;
}

}  // namespace

std::string_view name(UpkeepWhen when) {
  static constexpr std::array<std::string_view, upkeepWhens> names{"daily", "weekly", "monthly", "upgrade",
                                                                   "below"};
  return names[static_cast<std::size_t>(when)];
}

std::string_view name(UpkeepEnd end) {
  static constexpr std::array<std::string_view, upkeepEnds> names{
      "done", "nothing", "partly", "too-much", "unusual", "place-changed", "whole-home", "busy", "failed"};
  return names[static_cast<std::size_t>(end)];
}

Json toJson(const std::vector<UpkeepRule>& rules) {
  Json list = Json::array();
  for (const UpkeepRule& r : rules) {
    Json j{{"id", r.id},
           {"drive", r.drive},
           {"action", r.action},
           {"question", r.question},
           {"older_days", r.olderDays},
           {"newest_stay", r.newestStay},
           {"cap_to_bytes", r.capTo},
           {"when", name(r.when)},
           {"minute_of_day", r.minuteOfDay},
           {"below_bytes", r.below},
           {"most_bytes", r.mostBytes},
           {"most_things", r.mostThings},
           {"personal", r.personal}};
    putPath(j, "on", r.on);
    j["ran"] = Json::array();
    const std::size_t from = r.ran.size() > mostRan ? r.ran.size() - mostRan : 0;
    for (std::size_t i = from; i < r.ran.size(); ++i) j["ran"].push_back(toJson(r.ran[i]));
    list.push_back(std::move(j));
  }
  return {{"version", ruleVersion}, {"rules", std::move(list)}};
}

Result<std::vector<UpkeepRule>> rulesFrom(const Json& json) {
  JsonReader in(json);
  std::vector<UpkeepRule> rules;
  if (in.number<int>("version") > ruleVersion) return fail(Errc::tooNew, "upkeep");
  in.each("rules", mostRules, [&](JsonReader& rule) { rules.push_back(readRule(rule)); });
  if (!in.ok()) return fail(Errc::corrupt, "upkeep", {}, in.fault());
  return rules;
}

bool isDue(const UpkeepRule& rule, TimeNs now, Bytes free, bool upgraded) {
  TimeNs last = 0;
  for (const UpkeepRan& ran : rule.ran)
    if (ran.end != UpkeepEnd::busy)
      last = ran.when;  // who found somebody else at work waits, and comes again
  // A clock that was ahead when it last ran does not keep it from running ever after.
  const TimeNs since = last > now ? 0 : last;
  if (rule.when == UpkeepWhen::upgrade) return upgraded;
  if (rule.when == UpkeepWhen::below) return free < rule.below && now - since >= nsPerDay / 24;
  return since < clockTime(rule, now, 0);
}

std::optional<TimeNs> nextTime(const UpkeepRule& rule, TimeNs now) {
  if (!byClock(rule.when)) return std::nullopt;
  return clockTime(rule, now, 1);
}

}  // namespace zt
