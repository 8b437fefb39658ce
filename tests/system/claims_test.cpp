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
#include "core/job/own_places.h"
#include "core/job/register.h"
#include "core/os/paths.h"
#include "core/plan/plan_json.h"
#include "core/reclaim/held_things.h"
#include "support/code_of.h"
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
  std::vector<JournalRecord> records;
  {
    auto job = Job::create(real, drive.path(), false, {file, false}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    put(drive / "usr/bin/1", "a program with a number for a name\n");
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    const NodeId node = *job->surveys().survey()->tree.find("usr/bin/1");
    ASSERT_GT(job->store().beginRun(1, 1, "{\"lines\":[]}").value(), 0);
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
    // Two that would go where they stand: what the system needs, and what nobody measured.
    for (const char* path : {"usr/bin/1", "etc/fstab"}) {
      JournalRecord r = records[0];
      r.seq = seq++;
      r.path = path;
      const SurveyTree& tree = job->surveys().survey()->tree;
      r.identity = tree.identity(tree.find(path).value_or(node));
      r.holdFolder.clear();
      r.payload = inPlace;
      records.push_back(r);
    }
    ASSERT_TRUE(job->store().write(records));
  }
  const auto untouched = [&] {
    return fs::exists(drive / "etc/fstab") && fs::exists(drive / "usr/bin/1") &&
           fs::is_empty(drive / "home/kim") == false && !fs::exists(drive / "home/kim/1-1") &&
           !fs::exists(drive / "home/kim/1-2");
  };
  auto job = Job::open(real, file).value();
  EXPECT_EQ(job->cutShort().size(), 5u);
  EXPECT_TRUE(untouched()) << "opening";
  EXPECT_TRUE(job->prove());
  EXPECT_TRUE(untouched()) << "proving";
  (void)job->undo(0, {});
  EXPECT_TRUE(untouched()) << "putting back";
  const auto consent = job->runs().releaseConsent().value();
  (void)job->release(consent.token, {});
  EXPECT_TRUE(untouched()) << "releasing";
  // Whatever came of them by now: as if nobody had settled them before.
  ASSERT_TRUE(job->store().write(records));
  (void)job->reclaim(job->consent().token, {});
  EXPECT_TRUE(untouched()) << "reclaiming";
}

/// Letting held things go needs the consent that fits them; putting back one run leaves the others' things
/// alone.
TEST_F(Claims, HeldThingsGoByConsentAndComeBackRunByRun) {
  put(drive / "srv/a");
  put(drive / "srv/b");
  auto job = Job::create(real, drive.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  std::vector<std::int64_t> runs;
  for (const char* path : {"srv/a", "srv/b"}) {
    ASSERT_TRUE(job->planBook().addPaths({path}, "hold"));
    runs.push_back(job->reclaim(job->consent().token, {}).value().run);
  }
  const auto holds = DriveHolds::open(real, drive.path(), false).value();
  ASSERT_EQ(holds->things().size(), 2u);
  EXPECT_EQ(codeOf(holds->release("0123", {})), Errc::noConsent);
  EXPECT_EQ(codeOf(holds->release("", {})), Errc::noConsent);
  EXPECT_EQ(DriveHolds::open(real, drive.path(), false).value()->things().size(), 2u);
  ASSERT_TRUE(job->undo(runs[0], {}));
  EXPECT_TRUE(fs::exists(drive / "srv/a"));
  EXPECT_FALSE(fs::exists(drive / "srv/b"));
  ASSERT_TRUE(job->undo(runs[1], {}));
  EXPECT_TRUE(fs::exists(drive / "srv/b"));
}

/// Somebody prepared a hold: root's things are not put there, for it would not be believed when they come
/// back.
TEST_F(Claims, RootsThingsAreHeldInNobodyElsesHold) {
  put(drive / "srv/a");
  auto job = Job::create(real, drive.path(), false, {}).value();
  fs::create_directories(drive / std::string(holdName));
  fs::permissions(drive / std::string(holdName), fs::perms::owner_all);
  ASSERT_EQ(::chown((drive / std::string(holdName)).c_str(), kim, kim), 0);
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  ASSERT_TRUE(job->planBook().addPaths({"srv/a"}, "hold"));
  const auto run = job->reclaim(job->consent().token, {}).value();
  ASSERT_EQ(run.lines.at(0).state, LineOutcome::State::done);
  EXPECT_TRUE(fs::exists(drive / "srv/" + std::string(holdName)));
  ASSERT_TRUE(job->undo(run.run, {}));
  EXPECT_TRUE(fs::exists(drive / "srv/a"));
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
  // Nor one that lies in a folder which goes after it.
  put(drive / "srv/e", std::string(50'000, 'e'));
  fs::create_directories(drive / "srv/folder");
  fs::create_hard_link(drive / "srv/e", drive / "srv/folder/f");
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  ASSERT_TRUE(job->planBook().addPaths({"srv/e", "srv/folder"}, "discard"));
  report = job->reclaim(job->consent().token, {});
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

/// A job whose plan and marks were written by hand: what the system needs stays, whatever they say.
TEST_F(Claims, AForgedPlanAndForgedMarksTakeNoBedrock) {
  const std::string file = t / "a.ztjob";
  {
    auto job = Job::create(real, drive.path(), false, {file, false}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    ASSERT_TRUE(job->planBook().addPaths({"home/kim/letters/one.odt"}, "discard"));
    const SurveyTree& tree = job->surveys().survey()->tree;
    Plan forged = job->planBook().plan();
    Marks said;
    PlanLine line = forged.lines.at(0);
    forged.lines.clear();
    for (const char* path :
         {"usr/bin/sh", "etc/fstab", "var/lib/dpkg", "../outside", "/etc/fstab", "home/../etc/fstab"}) {
      const auto node = tree.find(path);
      line.id = "line-" + std::to_string(forged.lines.size());
      line.items[0].path = path;
      line.items[0].identity = tree.identity(node.value_or(*tree.find("etc/fstab")));
      forged.lines.push_back(line);
      said.set(path, Mark::mayGo);
    }
    ASSERT_TRUE(job->store().put({{"plan", toJson(forged).dump()}, {"marks", toJson(said).dump()}}));
  }
  if (auto job = Job::open(real, file)) {
    const auto report = (*job)->reclaim((*job)->consent().token, {});
    if (report) {
      for (const LineOutcome& outcome : report->lines) EXPECT_EQ(outcome.itemsDone, 0u) << outcome.line;
    }
  }
  for (const char* path : {"usr/bin/sh", "etc/fstab", "var/lib/dpkg/status"})
    EXPECT_TRUE(fs::exists(drive / path));
}

/// Records of a trash name places: they are words about what lies in the trash, and lead nowhere.
TEST_F(Claims, ForgedRecordsOfATrashTakeNothingOutsideIt) {
  const std::string trash = "home/kim/.local/share/Trash";
  for (const auto& [name, place] : {std::pair("a", "/etc/fstab"), std::pair("b", "../../../../../etc/fstab"),
                                    std::pair("..", "/home/ann/diary.odt"), std::pair("etc", "/etc")})
    put(drive / trash + "/info/" + name + ".trashinfo",
        std::string("[Trash Info]\nPath=") + place + "\nDeletionDate=2020-01-01T00:00:00\n");
  put(drive / trash + "/files/a", std::string(9000, 'a'));
  fs::create_directory_symlink(drive / "etc", drive / trash + "/files/etc");
  give(trash, kim);
  auto job = Job::create(real, drive.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  std::vector<std::string> ids;
  for (const Find& find : *job->surveys().finds()) {
    if (find.kind != "trash") continue;
    ids.push_back(find.id);
    for (const Subject& item : find.items) EXPECT_TRUE(item.path.starts_with(trash + "/")) << item.path;
  }
  ASSERT_FALSE(ids.empty());
  ASSERT_TRUE(job->planBook().add(ids, {}));
  const auto report = job->reclaim(job->consent().token, {});
  ASSERT_TRUE(report);
  EXPECT_FALSE(fs::exists(drive / trash + "/files/a"));
  for (const char* path : {"etc/fstab", "etc/os-release", "home/ann/diary.odt"})
    EXPECT_TRUE(fs::exists(drive / path)) << path;
}

/// The register and a user's own places are believed only where nobody else can have written them. Without
/// the register nobody knows what is kept: nothing is reclaimed.
TEST_F(Claims, WhatSomebodyElseCouldHaveWrittenOfOursIsNotBelieved) {
  const std::string file = t / "own/register.sqlite";
  ASSERT_TRUE(Register::open(file));
  ASSERT_EQ(::chown(file.c_str(), kim, kim), 0);
  EXPECT_EQ(codeOf(Register::open(file)), Errc::someoneElses);
  ASSERT_EQ(::chown(file.c_str(), 0, 0), 0);
  ASSERT_TRUE(Register::open(file));
  ASSERT_EQ(::chmod((t / "own").c_str(), 0777), 0);
  EXPECT_EQ(codeOf(Register::open(file)), Errc::someoneElses);
  ASSERT_EQ(::chmod((t / "own").c_str(), 0755), 0);
  put(t / "own/places.toml", "");
  ASSERT_TRUE(placesWithOwn(t / "own/places.toml"));
  ASSERT_EQ(::chown((t / "own/places.toml").c_str(), kim, kim), 0);
  EXPECT_EQ(codeOf(placesWithOwn(t / "own/places.toml")), Errc::someoneElses);
  // A link that somebody else made leads where he wants.
  ASSERT_EQ(::chown((t / "own/places.toml").c_str(), 0, 0), 0);
  fs::create_symlink(t / "own/places.toml", t / "own/link.toml");
  ASSERT_TRUE(placesWithOwn(t / "own/link.toml"));
  ASSERT_EQ(::lchown((t / "own/link.toml").c_str(), kim, kim), 0);
  EXPECT_EQ(codeOf(placesWithOwn(t / "own/link.toml")), Errc::someoneElses);

  const std::string earlier = t / "earlier.ztjob";
  {
    auto job = Job::create(real, drive.path(), false, {earlier, false}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    ASSERT_TRUE(job->planBook().addPaths({"home/ann/diary.odt"}, "hold"));
    ASSERT_TRUE(job->reclaim(job->consent().token, {}));
    EXPECT_FALSE(fs::exists(drive / "home/ann/diary.odt"));
  }
  real.visitsProblem = Error{Errc::someoneElses, "register", file, 0, {}};
  ASSERT_TRUE(Job::open(real, earlier).value()->undo(0, {}));
  EXPECT_TRUE(fs::exists(drive / "home/ann/diary.odt")) << "what was set aside comes back all the same";
  auto job = Job::create(real, drive.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  ASSERT_TRUE(job->planBook().addPaths({"home/kim/letters/one.odt"}, "discard"));
  EXPECT_EQ(codeOf(job->reclaim(job->consent().token, {})), Errc::someoneElses);
  EXPECT_TRUE(fs::exists(drive / "home/kim/letters/one.odt"));
}

/// The home that was left in the environment when somebody became root is not root's.
TEST_F(Claims, OurOwnFilesAreNotLookedForInSomebodyElsesHome) {
  fs::create_directories(t / "kim");
  ASSERT_EQ(::chown((t / "kim").c_str(), kim, kim), 0);
  const std::string home = std::getenv("HOME") == nullptr ? "" : std::getenv("HOME");
  const char* data = std::getenv("XDG_DATA_HOME");
  const std::string before = data == nullptr ? "" : data;
  ::setenv("HOME", (t / "kim").c_str(), 1);
  ::unsetenv("XDG_DATA_HOME");
  const PathBytes base = ownBase("XDG_DATA_HOME", ".local/share");
  ::setenv("XDG_DATA_HOME", (t / "kim").c_str(), 1);
  const PathBytes said = ownBase("XDG_DATA_HOME", ".local/share");
  ::setenv("HOME", home.c_str(), 1);
  data == nullptr ? ::unsetenv("XDG_DATA_HOME") : ::setenv("XDG_DATA_HOME", before.c_str(), 1);
  EXPECT_FALSE(base.starts_with(t.path())) << base;
  EXPECT_FALSE(said.starts_with(t.path())) << said;
}

}  // namespace
}  // namespace zt::test
