// SPDX-License-Identifier: GPL-3.0-or-later
// What is still to be seen to, and how the desktop is told of it.
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <fstream>

#include "support/run_program.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

using Json = nlohmann::json;

class Reminding : public ::testing::Test {
protected:
  void SetUp() override {
    t.file("drive/films/one.mp4", 2'000'000);
    t.file("drive/films/two.mp4", 1'500'000);
    t.file(spent, 1'000'000);
    t.file("drive/.Trash-0/info/old.trashinfo", "[Trash Info]\nPath=old\nDeletionDate=2020-01-01T00:00:00\n");
  }
  Ran ztally(std::vector<std::string> words) const {
    words.insert(words.begin(), {"/usr/bin/env", "XDG_DATA_HOME=" + (t / "data"), ZTALLY});
    return runProgram(words);
  }
  void hold() const {
    ASSERT_EQ(ztally({"measure", t / "drive", "--job", job(), "--job-on-drive"}).status, 0);
    ASSERT_EQ(ztally({"plan", "--job", job(), "add", "--action", "hold", "films/one.mp4"}).status, 0);
    const std::string token = ztally({"reclaim", "--job", job(), "--json"}).json()["consent"]["token"];
    ASSERT_EQ(ztally({"reclaim", "--job", job(), "--consent", token}).status, 0);
  }
  Json reminders() const { return ztally({"upkeep", "--json"}).json()["reminders"]; }
  std::string job() const { return t / "a.ztjob"; }
  static constexpr const char* spent = "drive/.Trash-0/files/old";
  TempFolder t;
};

TEST_F(Reminding, AHoldIsToldUntilItIsReleasedOrPutBack) {
  EXPECT_TRUE(reminders().empty());
  hold();
  const Json told = reminders();
  ASSERT_EQ(told.size(), 1u) << told.dump();
  EXPECT_EQ(told[0]["kind"], "hold");
  EXPECT_GE(told[0]["bytes"], 2'000'000);
  EXPECT_EQ(told[0]["pressing"], false) << "it was set aside just now";
  EXPECT_NE(ztally({"upkeep"}).out.find("let it go or put it back"), std::string::npos);
  ASSERT_EQ(ztally({"undo", "--job", job()}).status, 0);
  EXPECT_TRUE(reminders().empty());
}

TEST_F(Reminding, TheDesktopIsToldAndLeadsToTheWindow) {
  if (::access("/usr/bin/dbus-run-session", X_OK) != 0) {
    ASSERT_EQ(std::getenv("CI"), nullptr) << "dbus is among the packages";
    GTEST_SKIP() << "SKIPPED, no session bus";
  }
  ASSERT_EQ(ztally({"upkeep", "add", "empty", "trash", "--on", t / "drive"}).status, 0);
  t.file("window", "#!/bin/sh\necho \"$1\" > " + (t / "opened") + "\n");
  ASSERT_EQ(::chmod((t / "window").c_str(), 0755), 0);
  const std::string session =
      "/usr/bin/python3 \"$0\" \"$1\" & sleep 1; \"$2\" upkeep run r1 --notify; kill %1";
  const Ran ran =
      runProgram({"/usr/bin/env", "XDG_DATA_HOME=" + (t / "data"), "XDG_RUNTIME_DIR=" + t.path(),
                  "ZTALLY_WINDOW=" + (t / "window"), "/usr/bin/dbus-run-session", "--", "/bin/bash", "-c",
                  "set -m; " + session, ZT_NOTIFICATION_SERVICE, t / "told", ZTALLY});
  ASSERT_TRUE(t.has("told")) << ran.out << ran.err;
  const std::string told = t.read("told");
  EXPECT_NE(told.find("Zip Tally\nUpkeep of drives\nr1: "), std::string::npos) << told;
  EXPECT_NE(told.find("default\nOpen the window"), std::string::npos) << told;
  for (int i = 0; i < 50 && !t.has("opened"); ++i) ::usleep(100'000);
  EXPECT_NE(t.read("opened").find(t / "drive"), std::string::npos) << ran.err;
}

TEST_F(Reminding, ADesktopThatShowsNothingKeepsNobodyFromAnything) {
  ASSERT_EQ(ztally({"upkeep", "add", "empty", "trash", "--on", t / "drive"}).status, 0);
  const Ran ran =
      runProgram({"/usr/bin/env", "-u", "DBUS_SESSION_BUS_ADDRESS", "XDG_DATA_HOME=" + (t / "data"),
                  "XDG_RUNTIME_DIR=" + (t / "nowhere"), ZTALLY, "upkeep", "run", "r1", "--notify"});
  EXPECT_EQ(ran.status, 0) << ran.out << ran.err;
  EXPECT_NE(ran.err.find("no notification could be shown"), std::string::npos) << ran.err;
  EXPECT_FALSE(t.has(spent)) << "the rule ran";
}

TEST_F(Reminding, ARuleIsSaidAnewInItsPlace) {
  ASSERT_EQ(ztally({"upkeep", "add", "empty", "trash", "--on", t / "drive"}).status, 0);
  ASSERT_EQ(
      ztally({"upkeep", "add", "empty", "trash", "--on", t / "drive", "--every", "daily", "--instead", "r1"})
          .status,
      0);
  const Json rules = ztally({"upkeep", "--json"}).json()["rules"];
  ASSERT_EQ(rules.size(), 1u);
  EXPECT_EQ(rules[0]["id"], "r1");
  EXPECT_EQ(rules[0]["when"], "daily");
  EXPECT_NE(ztally({"upkeep", "add", "empty", "trash", "--on", t / "drive", "--instead", "r9"}).status, 0);
  EXPECT_NE(ztally({"upkeep", "add", "limit", "logs", "--on", t / "drive"}).status, 0) << "without a size";
}

}  // namespace
}  // namespace zt::test
