// SPDX-License-Identifier: GPL-3.0-or-later
// Twelve weeks of a household on a real drive, from a seed: it works, throws away, fetches packages, and
// upgrades once. Rules run as their timers would have them: the headroom stays, and nothing personal is
// touched.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/stat.h>

#include <ctime>
#include <map>
#include <mutex>

#include "core/upkeep/run_rule.h"
#include "support/drive_files.h"
#include "support/fakes.h"
#include "support/loop_drive.h"
#include "support/seed.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;

class Household {
public:
  Household(const LoopDrive& drive, unsigned seed) : drive_(drive), random_(seed) {
    putOn(drive / "etc/os-release", "ID=debian\n");
    putOn(drive / "usr/bin/env", "x");
    putOn(drive / "var/lib/dpkg/status", "");
  }
  void week(int number, TimeNs now) {
    for (int i = 0; i < 3; ++i)
      personal("home/warden/work/" + std::to_string(number) + "-" + std::to_string(i),
               100'000 + draw(400'000));
    personal("home/warden/Downloads/map-" + std::to_string(number) + ".zip", 500'000 + draw(500'000));
    for (int i = 0; i < 3; ++i) throwAway(std::to_string(number) + "-" + std::to_string(i), now);
    const int packages = number == 6 ? 25 : 4;  // the upgrade
    for (int i = 0; i < packages; ++i)
      putOn(drive_ / ("var/cache/apt/archives/lib" + std::to_string(number) + "-" + std::to_string(i) +
                      "_1.0_amd64.deb"),
            noise(400'000 + draw(300'000), random_()));
    ::sync();
  }
  std::string lost() const {
    std::string all;
    for (const auto& [path, sum] : sums_)
      if (sha256sumOf(drive_ / path) != sum) all += path + " ";
    return all;
  }

private:
  std::size_t draw(std::size_t below) { return random_() % below; }
  void personal(const std::string& path, std::size_t size) {
    putOn(drive_ / path, noise(size, random_()));
    sums_[path] = sha256sumOf(drive_ / path);
  }
  void throwAway(const std::string& name, TimeNs now) {
    putOn(drive_ / (".Trash-0/files/" + name), noise(600'000 + draw(900'000), random_()));
    const std::time_t seconds = now / nsPerSecond;
    char when[32];
    std::strftime(when, sizeof when, "%Y-%m-%dT%H:%M:%S", std::gmtime(&seconds));
    putOn(drive_ / (".Trash-0/info/" + name + ".trashinfo"),
          "[Trash Info]\nPath=" + name + "\nDeletionDate=" + when + "\n");
  }
  const LoopDrive& drive_;
  std::mt19937 random_;
  std::map<std::string, std::string> sums_;
};

TEST(TwelveWeeks, RulesKeepTheHeadroomAndNothingPersonalIsTouched) {
  const LoopDrive drive("ext4", Bytes{128} << 20);
  ZT_NEEDS(drive);
  const unsigned seed = drawSeed();
  SCOPED_TRACE("seed " + std::to_string(seed));
  Workshop w = realWorkshop();
  auto clock = std::make_shared<FakeClock>();
  clock->time = w.clock->now();
  w.clock = clock;
  const TempFolder t;
  Household household(drive, seed);
  std::vector<UpkeepRule> rules(2);
  for (UpkeepRule& rule : rules) {
    rule.on = drive.path();
    rule.action = "empty";
  }
  rules[0].id = "r1";
  rules[0].question = "trash";
  rules[0].olderDays = 14;
  rules[1].id = "r2";
  rules[1].question = "packages";
  rules[1].when = UpkeepWhen::upgrade;
  const Bytes headroom = Bytes{50} << 20;
  std::uint64_t gone = 0;
  int job = 0;
  for (int week = 0; week < 12; ++week) {
    clock->time += 7 * nsPerDay;
    household.week(week, clock->time);
    for (UpkeepRule& rule : rules) {
      ASSERT_TRUE(isDue(rule, clock->time, freeOn(drive.path()), true)) << rule.id;
      const auto ran = runRule(w, rule, {t / (std::to_string(job++) + ".ztjob"), false, {}});
      ASSERT_TRUE(ran);
      EXPECT_TRUE(ran->ran.end == UpkeepEnd::done || ran->ran.end == UpkeepEnd::nothing)
          << rule.id << " week " << week << ": " << name(ran->ran.end) << " " << ran->ran.why;
      gone += ran->ran.things;
      rule.ran.push_back(ran->ran);
    }
    EXPECT_FALSE(isDue(rules[0], clock->time, 0, false));
    EXPECT_GE(freeOn(drive.path()), headroom) << "week " << week;
    ASSERT_EQ(household.lost(), "") << "week " << week;
  }
  EXPECT_GT(gone, 60u);
  EXPECT_FALSE(fs::exists(drive / ".Trash-0/files/1-0"));
  EXPECT_TRUE(fs::exists(drive / ".Trash-0/files/11-0")) << "thrown away this week";
}

/// A timer that fires while a window works on the same drive: the rule finds it locked, says so, touches
/// nothing, and is due again.
TEST(TwelveWeeks, SomebodyElseAtWorkIsLeftAlone) {
  const LoopDrive drive("ext4", Bytes{64} << 20);
  ZT_NEEDS(drive);
  const TempFolder t;
  Workshop w = realWorkshop();
  w.visits = Register::open(t / "register.sqlite").value();
  Household household(drive, 1);
  household.week(1, w.clock->now() - 60 * nsPerDay);
  UpkeepRule rule;
  rule.on = drive.path();
  rule.action = "empty";
  rule.question = "trash";
  auto job = Job::create(w, drive.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  ASSERT_TRUE(job->planBook().addPaths({"home/warden/work/1-0"}, "hold"));
  UpkeepEnd end = UpkeepEnd::done;
  std::once_flag once;
  RunControl control;
  control.progress = [&](const RunProgress&) {
    std::call_once(once, [&] {
      const auto ran = runRule(w, rule, {t / "rule.ztjob", false, {}});
      end = ran->ran.end;
      rule.ran.push_back(ran->ran);
    });
  };
  ASSERT_TRUE(job->reclaim(job->consent().token, control));
  EXPECT_EQ(end, UpkeepEnd::busy);
  EXPECT_TRUE(fs::exists(drive / ".Trash-0/files/1-0"));
  EXPECT_TRUE(isDue(rule, w.clock->now(), 0, false)) << "it comes again";
  EXPECT_EQ(runRule(w, rule, {t / "again.ztjob", false, {}})->ran.end, UpkeepEnd::done);
  EXPECT_FALSE(fs::exists(drive / ".Trash-0/files/1-0"));
}

/// A rule that would take a home, or all of them, whichever folder is measured.
TEST(TwelveWeeks, NoRuleTakesAWholeHome) {
  const LoopDrive drive("ext4", Bytes{64} << 20);
  ZT_NEEDS(drive);
  Workshop w = realWorkshop();
  Household household(drive, 1);
  household.week(1, w.clock->now());
  for (const char* old : {"home/warden/work", "home/warden/Downloads", "home/warden", "home"})
    for (const auto& e : fs::recursive_directory_iterator(drive / old)) {
      const timespec times[2] = {{1'000'000'000, 0}, {1'000'000'000, 0}};
      ::utimensat(AT_FDCWD, e.path().c_str(), times, AT_SYMLINK_NOFOLLOW);
    }
  for (const char* on : {"", "home", "home/warden"})
    for (const char* question : {"warden", "folders", "over 1 B", "dormant", "old"}) {
      UpkeepRule rule;
      rule.on = on[0] == '\0' ? drive.path() : drive / on;
      rule.action = "discard";
      rule.question = question;
      const auto without = runRule(w, rule, {{}, true, {}});
      for (const Subject& thing : without->things)
        EXPECT_EQ(thing.path.find("work"), std::string::npos)
            << question << ": personal without being written out";
      rule.personal = true;
      const auto with = runRule(w, rule, {{}, true, {}});
      for (const Subject& thing : with->things) {
        const std::string whole = std::string(on) + (on[0] == '\0' ? "" : "/") + thing.path;
        EXPECT_TRUE(whole != "home" && whole != "home/warden" && !thing.path.empty())
            << on << " " << question;
      }
    }
}

}  // namespace
}  // namespace zt::test
