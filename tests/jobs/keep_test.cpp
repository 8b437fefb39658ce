// SPDX-License-Identifier: GPL-3.0-or-later
// Jobs that keep it so, as a technician would type them: measured again and compared, rules, what is handed
// over.
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>

#include "jobs/visit.h"
#include "support/drive_files.h"
#include "support/loop_drive.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;

struct Keep : Visit {
  /// The command line of a user with a register of their own.
  Ran own(std::vector<std::string> words) {
    words.insert(words.begin(), {"/usr/bin/env", "XDG_DATA_HOME=" + (t / "data"), ZTALLY});
    return runProgram(words);
  }
  void trash(const std::string& top, const std::string& name, const std::string& when) {
    putOn(top + "/.Trash-0/files/" + name, noise(1'000'000, 3));
    putOn(top + "/.Trash-0/info/" + name + ".trashinfo",
          "[Trash Info]\nPath=" + name + "\nDeletionDate=" + when + "\n");
  }
};

/// Job 2, its end: the component store is measured again later and compared; there was nothing to do.
TEST_F(Keep, TheComponentStoreIsMeasuredAgainAndCompared) {
  visit("ferry", "22GB");
  const std::string earlier = t / "earlier.ztjob";
  fs::copy_file(job, earlier);
  ASSERT_EQ(runProgram({ZTALLY, "measure", drive, "--stand-in", "--job", job, "--job-on-drive", "--folder",
                        "Windows/WinSxS"})
                .status,
            0);
  const Json same = runProgram({ZTALLY, "compare", earlier, job, "--json"}).json();
  EXPECT_EQ(same["delta_bytes"], 0);
  EXPECT_EQ(same["sums"]["changed_entries"], 0);
  putOn(drive + "/drive/Windows/WinSxS/amd64_new-part/new.dll", noise(600'000, 5));
  ASSERT_EQ(runProgram({ZTALLY, "measure", drive, "--stand-in", "--job", job, "--job-on-drive", "--folder",
                        "Windows/WinSxS"})
                .status,
            0);
  const Json grown = runProgram({ZTALLY, "compare", earlier, job, "--depth", "3", "--json"}).json();
  EXPECT_GE(grown["delta_bytes"].get<std::int64_t>(), 600'000);
  bool named = false;
  for (const Json& row : grown["rows"]) named = named || row["path"] == "Windows/WinSxS/amd64_new-part";
  EXPECT_TRUE(named) << grown["rows"].dump(1);
}

/// Jobs 4 and 13, their end: trash older than 30 days by a rule, arrivals and what is personal never; its dry
/// run, its run, its log; and the sheet.
TEST_F(Keep, TrashByARuleAndArrivalsNever) {
  const LoopDrive disk("ext4", 96u << 20);
  ZT_NEEDS(disk);
  trash(disk.path(), "old", "2020-01-01T00:00:00");
  trash(disk.path(), "yesterday", "2099-01-01T00:00:00");
  putOn(disk / "home/warden/Downloads/setup.iso", noise(3'000'000, 1));
  putOn(disk / "home/warden/letters/last.odt", noise(30'000, 2));
  putOn(disk / "etc/os-release", "ID=debian\n");
  putOn(disk / "usr/bin/env", "x");
  const Json added = own({"upkeep", "add", "empty", "trash", "--on", disk.path(), "--older", "30 d",
                          "--every", "weekly", "--json"})
                         .json();
  EXPECT_TRUE(added["kept"]) << added.dump(1);
  for (const Json& thing : added["would_go"])
    EXPECT_NE(thing["path"].get<std::string>().find("/old"), std::string::npos);
  // One that names arrivals is shown what it would take: nothing.
  EXPECT_EQ(
      own({"upkeep", "add", "discard", "arrivals", "--on", disk.path(), "--json"}).json()["would_go"].size(),
      0u);
  const Bytes before = freeOn(disk.path());
  const Json ran = own({"upkeep", "run", "r1", "--json"}).json()["runs"][0];
  EXPECT_EQ(ran["end"], "done");
  const auto rose = static_cast<double>(freeOn(disk.path()) - before);
  EXPECT_NEAR(rose, ran["planned_bytes"].get<double>(), 65'536.0);
  EXPECT_NEAR(ran["gained_bytes"].get<double>(), rose, 65'536.0);
  EXPECT_FALSE(fs::exists(disk / ".Trash-0/files/old"));
  for (const char* stays :
       {".Trash-0/files/yesterday", "home/warden/Downloads/setup.iso", "home/warden/letters/last.odt"})
    EXPECT_TRUE(fs::exists(disk / stays)) << stays;
  const Json log = own({"upkeep", "list", "--json"}).json()["rules"][0];
  EXPECT_EQ(log["ran"].back()["end"], "done");
  EXPECT_TRUE(log["next_ns"].is_number());
  const std::string kept = log["ran"].back()["job"];
  ASSERT_EQ(own({"sheet", "--job", kept, "-o", t / "sheet.json"}).status, 0);
  std::ifstream in(t / "sheet.json");
  EXPECT_EQ(Json::parse(in)["gained_bytes"], ran["gained_bytes"]);
}

/// Job 9, its end: a trim small drive: free stays above the line by a rule that waits for little room.
TEST_F(Keep, FreeStaysAboveTheLine) {
  const LoopDrive disk("ext4", 96u << 20);
  ZT_NEEDS(disk);
  for (int i = 0; i < 20; ++i) trash(disk.path(), "t" + std::to_string(i), "2020-01-01T00:00:00");
  const std::string line = std::to_string(freeOn(disk.path()) + 1'000'000) + "B";
  const Ran added = own({"upkeep", "add", "empty", "trash", "--on", disk.path(), "--below", line, "--json"});
  ASSERT_EQ(added.status, 0) << added.err << added.out;
  EXPECT_EQ(own({"upkeep", "run", "--due", "--json"}).json()["runs"].size(), 1u);
  EXPECT_TRUE(own({"upkeep", "run", "--due", "--json"}).json()["runs"].empty()) << "there is room again";
}

}  // namespace
}  // namespace zt::test
