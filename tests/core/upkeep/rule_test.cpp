// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/upkeep/rule.h"

#include <gtest/gtest.h>

#include <cstdlib>
#include <ctime>

#include "core/upkeep/units.h"

namespace zt::test {
namespace {

/// 2026-11-25 12:00 UTC, a Wednesday.
constexpr TimeNs noon = 1'795'608'000LL * nsPerSecond;

class Rules : public ::testing::Test {
protected:
  void SetUp() override {
    ::setenv("TZ", "UTC", 1);
    ::tzset();
  }
  static UpkeepRule rule(UpkeepWhen when, TimeNs last) {
    UpkeepRule r;
    r.id = "r1";
    r.action = "empty";
    r.question = "trash";
    r.when = when;
    r.minuteOfDay = 3 * 60;
    if (last != 0) r.ran.emplace_back().when = last;
    return r;
  }
  static bool due(UpkeepWhen when, TimeNs last, TimeNs now = noon) {
    return isDue(rule(when, last), now, 100, false);
  }
};

TEST_F(Rules, AreDueOnceAPeriod) {
  constexpr TimeNs hour = nsPerDay / 24;
  EXPECT_TRUE(due(UpkeepWhen::daily, 0));
  EXPECT_TRUE(due(UpkeepWhen::daily, noon - 10 * hour)) << "last at 02:00, before today's 03:00";
  EXPECT_FALSE(due(UpkeepWhen::daily, noon - 8 * hour));
  EXPECT_FALSE(due(UpkeepWhen::daily, noon - 11 * hour, noon - 10 * hour)) << "03:00 is still to come";
  EXPECT_TRUE(due(UpkeepWhen::weekly, noon - 3 * nsPerDay)) << "Sunday; Monday was since";
  EXPECT_FALSE(due(UpkeepWhen::weekly, noon - 2 * nsPerDay));
  EXPECT_TRUE(due(UpkeepWhen::monthly, noon - 25 * nsPerDay)) << "on October 31";
  EXPECT_FALSE(due(UpkeepWhen::monthly, noon - 23 * nsPerDay));
  EXPECT_TRUE(due(UpkeepWhen::daily, noon + 400 * nsPerDay))
      << "a clock that was ahead does not keep it for ever";
}

TEST_F(Rules, WaitForLittleRoomOrAnUpgrade) {
  UpkeepRule below = rule(UpkeepWhen::below, noon - nsPerDay);
  below.below = 200;
  EXPECT_TRUE(isDue(below, noon, 199, false));
  EXPECT_FALSE(isDue(below, noon, 200, false));
  below.ran.emplace_back().when = noon - nsPerDay / 48;
  EXPECT_FALSE(isDue(below, noon, 1, false)) << "once an hour at most";
  EXPECT_FALSE(isDue(rule(UpkeepWhen::upgrade, 0), noon, 1, false));
  EXPECT_TRUE(isDue(rule(UpkeepWhen::upgrade, noon), noon, 1, true));
  EXPECT_FALSE(nextTime(below, noon));
}

TEST_F(Rules, ComeNextByTheClock) {
  const auto at = [](UpkeepWhen when) { return *nextTime(rule(when, 0), noon) / nsPerSecond; };
  EXPECT_EQ(at(UpkeepWhen::daily), 1'795'608'000 + 15 * 3600);
  EXPECT_EQ(at(UpkeepWhen::weekly), 1'795'608'000 - 9 * 3600 + 5 * 86400);
  EXPECT_EQ(at(UpkeepWhen::monthly), 1'795'608'000 - 9 * 3600 + 6 * 86400);
}

TEST_F(Rules, AreReadAsTheyWereWrittenAndNothingElse) {
  UpkeepRule r = rule(UpkeepWhen::below, noon);
  r.on = "/odd\xFF";
  r.below = 7;
  r.personal = true;
  r.ran.back().end = UpkeepEnd::unusual;
  r.ran.back().gained = -5;
  const Json written = toJson(std::vector<UpkeepRule>{r});
  const auto back = rulesFrom(written);
  ASSERT_TRUE(back);
  EXPECT_EQ(toJson(*back), written);
  EXPECT_EQ(back->at(0).on, r.on);
  Json bad = written;
  bad["rules"][0]["minute_of_day"] = 5000;
  EXPECT_EQ(rulesFrom(bad).error().code, Errc::corrupt);
  bad = written;
  bad["version"] = 9;
  EXPECT_EQ(rulesFrom(bad).error().code, Errc::tooNew);
  EXPECT_FALSE(rulesFrom(Json()));
  for (const auto& [key, value] : written["rules"][0].items()) {
    bad = written;
    bad["rules"][0].erase("on_b64");
    bad["rules"][0][key] = Json::object();
    EXPECT_FALSE(rulesFrom(bad)) << key;
  }
}

TEST_F(Rules, UnitsTakeEveryPathLiterally) {
  const auto units = upkeepUnits({rule(UpkeepWhen::upgrade, 0)}, "/odd %h \"$x\"/ztally", true);
  ASSERT_EQ(units.size(), 4u);
  EXPECT_NE(units[0].text.find("ExecStart=\"/odd %%h \\\"$$x\\\"/ztally\" upkeep run --due\n"),
            std::string::npos)
      << units[0].text;
  EXPECT_EQ(crontabLine("/it's/z%"), "17 * * * * '/it'\\''s/z\\%' upkeep run --due");
}

}  // namespace
}  // namespace zt::test
