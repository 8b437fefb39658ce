// SPDX-License-Identifier: GPL-3.0-or-later
// What others wrote on a drive: holds and journals that say what is not so. Nothing of it may give anybody
// more than he had, with root's hands least of all.
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>

#include "core/job/drive_holds.h"
#include "core/job/job.h"
#include "core/reclaim/held_things.h"
#include "support/fakes.h"
#include "support/loop_drive.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;

constexpr unsigned kim = 4711;
constexpr const char* jobName = "00112233aabbccdd";

void put(const std::string& path, const std::string& text = "harmless\n") {
  fs::create_directories(fs::path(path).parent_path());
  std::ofstream(path, std::ios::binary) << text;
}

struct Claims : ::testing::Test {
  void SetUp() override {
    ZT_NEEDS(drive);
    for (const char* path : {"etc/os-release", "etc/fstab", "etc/profile.d/own.sh", "var/lib/dpkg/status",
                             "usr/bin/sh", "home/kim/letters/one.odt", "home/ann/diary.odt"})
      put(drive / path);
    give("home/kim", kim);
    give("home/ann", 4712);
  }
  void give(const std::string& path, unsigned owner) {
    ASSERT_EQ(::chown((drive / path).c_str(), owner, owner), 0);
    for (const auto& e : fs::recursive_directory_iterator(drive / path))
      ASSERT_EQ(::lchown(e.path().c_str(), owner, owner), 0);
  }
  /// A hold in a folder that says of its thing that it came from `path`.
  void forge(const std::string& base, const std::string& path, unsigned owner) {
    const std::string top = base.empty() ? std::string(holdName) : base + "/" + std::string(holdName);
    const std::string hold = top + "/" + jobName + "/run-1";
    put(drive / hold + "/1", "#!/bin/sh\nevil\n");
    give(top, owner);
    const auto folder = real.files->openRoot(drive / hold).value();
    JournalRecord r;
    r.run = 1;
    r.seq = 1;
    r.line = "x";
    r.action = "hold";
    r.path = path;
    r.holdFolder = hold;
    r.identity = identityOf(real.files->stat(*folder, "1").value());
    put(drive / top + "/" + jobName + "/run-1.jsonl", heldLine(r));
    give(top, owner);
  }
  std::vector<JournalRecord> putBack() {
    const auto holds = DriveHolds::open(real, drive.path(), false).value();
    EXPECT_EQ(holds->things().size(), 1u);
    return holds->putBack({}).value();
  }
  LoopDrive drive{"ext4", Bytes{64} << 20};
  TempFolder t;
  Workshop real = realWorkshop();
};

TEST_F(Claims, AUsersHoldPutsNothingWhereTheUserCouldNot) {
  fs::permissions(drive.path(), fs::perms::all);  // anybody may make a hold at the top
  for (const char* path : {"etc/profile.d/evil.sh", "home/ann/evil.sh", "usr/bin/evil"}) {
    ASSERT_NO_FATAL_FAILURE(forge("", path, kim));
    const auto records = putBack();
    ASSERT_EQ(records.size(), 1u);
    EXPECT_TRUE(records[0].problem) << path;
    EXPECT_FALSE(fs::exists(drive / path)) << path;
    fs::remove_all(drive / std::string(holdName));
  }
}

TEST_F(Claims, NothingLeavesTheFolderThatItsHoldLiesIn) {
  for (const char* path : {"etc/profile.d/evil.sh", "home/ann/evil.sh", "evil.sh"}) {
    ASSERT_NO_FATAL_FAILURE(forge("home/kim", path, kim));
    EXPECT_TRUE(putBack().at(0).problem) << path;
    EXPECT_FALSE(fs::exists(drive / path)) << path;
    EXPECT_FALSE(fs::exists(drive / "home/kim/" + path)) << path;
    fs::remove_all(drive / ("home/kim/" + std::string(holdName)));
  }
}

/// Without job and register, and deeper than the top: a user's own hold is found and goes where it came from.
TEST_F(Claims, AnHonestHoldIsFoundWhereverItLies) {
  ASSERT_NO_FATAL_FAILURE(forge("home/kim/letters", "home/kim/letters/two.odt", kim));
  const auto records = putBack();
  ASSERT_EQ(records.size(), 1u);
  EXPECT_FALSE(records[0].problem) << name(*records[0].problem);
  EXPECT_TRUE(fs::exists(drive / "home/kim/letters/two.odt"));
  struct stat st;
  ASSERT_EQ(::stat((drive / "home/kim/letters/two.odt").c_str(), &st), 0);
  EXPECT_EQ(st.st_uid, kim);
}

TEST_F(Claims, RootsHoldReturnsToBedrockNeitherWay) {
  ASSERT_NO_FATAL_FAILURE(forge("", "etc/fstab.evil", 0));
  EXPECT_EQ(putBack().at(0).problem, Errc::bedrock);
  EXPECT_FALSE(fs::exists(drive / "etc/fstab.evil"));
}

/// A journal in a job's file: whatever it says, opening and reading change nothing, and what it says is held
/// or under way is believed by where it lies alone.
TEST_F(Claims, AForgedJournalMovesAndUnlinksNothing) {
  const std::string file = t / "a.ztjob";
  {
    auto job = Job::create(real, drive.path(), false, {file, false}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    put(drive / "usr/bin/1", "a program with a number for a name\n");
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    const NodeId node = *job->surveys().survey()->tree.find("usr/bin/1");
    ASSERT_GT(job->store().beginRun(1, 1, "{\"lines\":[]}").value(), 0);
    std::vector<JournalRecord> records;
    std::int64_t seq = 1;
    for (const ItemState state :
         {ItemState::discarding, ItemState::returning, ItemState::intended, ItemState::held}) {
      JournalRecord r;
      r.run = 1;
      r.seq = seq++;
      r.line = "x";
      r.action = "discard";
      r.path = "home/kim/1-" + std::to_string(r.seq);
      r.identity = job->surveys().survey()->tree.identity(node);
      r.holdFolder = "usr/bin";
      r.state = state;
      records.push_back(r);
    }
    records[0].seq = 1;
    ASSERT_TRUE(job->store().write(records));
  }
  const auto untouched = [&] {
    return fs::exists(drive / "usr/bin/1") && fs::is_empty(drive / "home/kim") == false &&
           !fs::exists(drive / "home/kim/1-1") && !fs::exists(drive / "home/kim/1-2");
  };
  auto job = Job::open(real, file).value();
  EXPECT_EQ(job->cutShort().size(), 3u);
  EXPECT_TRUE(untouched()) << "opening";
  EXPECT_TRUE(job->prove());
  EXPECT_TRUE(untouched()) << "proving";
  (void)job->undo(0, {});
  EXPECT_TRUE(untouched()) << "putting back";
  const auto consent = job->runs().releaseConsent().value();
  (void)job->release(consent.token, {});
  EXPECT_TRUE(untouched()) << "releasing";
  (void)job->reclaim(job->consent().token, {});
  EXPECT_TRUE(untouched()) << "reclaiming";
}

/// What one job says is kept, no other deletes, though it was planned before.
TEST_F(Claims, KeepReachesEveryJobOfTheDrive) {
  real.visits = Register::open(t / "register.sqlite").value();
  auto first = Job::create(real, drive.path(), false, {}).value();
  ASSERT_TRUE(first->measurer().measure({}, {}, nullptr));
  ASSERT_TRUE(first->planBook().addPaths({"home/kim/letters/one.odt"}, "discard"));
  auto second = Job::create(real, drive.path() + "/home", false, {}).value();
  ASSERT_TRUE(second->measurer().measure({}, {}, nullptr));
  ASSERT_TRUE(second->planBook().mark({"kim/letters"}, Mark::keep));
  const auto report = first->reclaim(first->consent().token, {});
  ASSERT_TRUE(report);
  ASSERT_EQ(report->lines.at(0).problems.size(), 1u);
  EXPECT_EQ(report->lines[0].problems[0].problem, Errc::kept);
  EXPECT_TRUE(fs::exists(drive / "home/kim/letters/one.odt"));
}

/// Of a file with two names one goes, and the other is written to: that line stops. Our own letting go of the
/// first name does not stop the second.
TEST_F(Claims, AFileWithTwoNamesIsLookedAtLikeAnyOther) {
  put(drive / "srv/a", std::string(50'000, 'a'));
  fs::create_hard_link(drive / "srv/a", drive / "srv/b");
  put(drive / "srv/c", std::string(50'000, 'c'));
  fs::create_hard_link(drive / "srv/c", drive / "srv/d");
  auto job = Job::create(real, drive.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  ASSERT_TRUE(job->planBook().addPaths({"srv/a", "srv/b"}, "discard"));
  auto report = job->reclaim(job->consent().token, {});
  ASSERT_TRUE(report);
  for (const auto& line : report->lines) EXPECT_EQ(line.state, LineOutcome::State::done);
  ASSERT_TRUE(job->planBook().addPaths({"srv/c"}, "discard"));
  ASSERT_EQ(::chmod((drive / "srv/d").c_str(), 0600), 0);  // only the change time tells
  report = job->reclaim(job->consent().token, {});
  ASSERT_TRUE(report);
  ASSERT_EQ(report->lines.at(0).problems.size(), 1u);
  EXPECT_EQ(report->lines[0].problems[0].problem, Errc::changed);
  EXPECT_TRUE(fs::exists(drive / "srv/c"));
}

}  // namespace
}  // namespace zt::test
