// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/register.h"

#include <gtest/gtest.h>

#include <thread>

#include "core/job/job.h"
#include "core/job/shop.h"
#include "core/job/sqlite.h"
#include "support/code_of.h"
#include "support/fakes.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

Visit visit(const std::string& job, TimeNs when, Bytes free) {
  Visit v;
  v.drive = "d-1";
  v.job = job;
  v.file = "/jobs/odd\xFF.ztjob";
  v.root = "/mnt/pc";
  v.when = when;
  v.capacity = 1000;
  v.free = free;
  v.entries = 7;
  v.wholeDrive = true;
  return v;
}

TEST(Register, KeepsEveryVisitOldestFirst) {
  TempFolder t;
  {
    const auto r = Register::open(t / "deep/er/register.sqlite").value();
    ASSERT_TRUE(r->noteVisit(visit("b", 20, 300)));
    ASSERT_TRUE(r->noteVisit(visit("a", 10, 200)));
    ASSERT_TRUE(r->noteVisit(visit("a", 30, 400)));
    ASSERT_TRUE(r->noteVisit(visit("a", 30, 410))) << "told twice";
    Visit run = visit("a", 30, 900);
    run.kind = VisitKind::ran;
    run.promised = 500;
    run.rose = -20;
    ASSERT_TRUE(r->noteVisit(run));
  }
  const auto visits = Register::open(t / "deep/er/register.sqlite").value()->visits("d-1").value();
  ASSERT_EQ(visits.size(), 4u) << "three measurements and a run are four rows";
  EXPECT_EQ(visits[0].when, 10);
  EXPECT_EQ(visits[1].job, "b");
  EXPECT_EQ(visits[2].free, 410u);
  EXPECT_EQ(visits[2].file, "/jobs/odd\xFF.ztjob");
  EXPECT_TRUE(visits[2].wholeDrive);
  EXPECT_EQ(visits[3].kind, VisitKind::ran);
  EXPECT_EQ(visits[3].promised, 500u);
  EXPECT_EQ(visits[3].rose, -20);
  EXPECT_TRUE(Register::open(t / "deep/er/register.sqlite").value()->visits("none")->empty());
}

TEST(Register, KeepsTheDrivesThemselvesAndWhenTheyWereSeen) {
  TempFolder t;
  const auto r = Register::open(t / "r.sqlite").value();
  ASSERT_TRUE(r->noteDrive({"d-1", "office", "ext4", 1000, 0, 50}));
  ASSERT_TRUE(r->noteDrive({"d-2", "", "ntfs", 2000, 0, 60}));
  ASSERT_TRUE(r->noteDrive({"d-1", "office pc", "ext4", 1001, 0, 70}));
  const auto drives = r->drives().value();
  ASSERT_EQ(drives.size(), 2u);
  EXPECT_EQ(drives[0].title, "office pc") << "the latest seen first";
  EXPECT_EQ(drives[0].first, 50);
  EXPECT_EQ(drives[0].last, 70);
  EXPECT_EQ(drives[1].id, "d-2");
}

/// Of a drive that is visited without end the latest thousand visits stay.
TEST(Register, ForgetsTheOldestOfVeryManyVisits) {
  TempFolder t;
  const auto r = Register::open(t / "r.sqlite").value();
  for (int i = 1; i <= 1010; ++i) ASSERT_TRUE(r->noteVisit(visit("a", i, 1)));
  const auto visits = r->visits("d-1").value();
  EXPECT_EQ(visits.size(), 1000u);
  EXPECT_EQ(visits.front().when, 11);
}

/// A register of the version before, in which a drive and a job had one row.
TEST(Register, TakesOverWhatAnEarlierVersionKept) {
  TempFolder t;
  {
    SQLite::Database db(t / "r.sqlite", SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
    db.exec("PRAGMA application_id=1515475527");
    db.exec("PRAGMA user_version=4");
    db.exec(
        "CREATE TABLE visit(drive TEXT NOT NULL, job TEXT NOT NULL, file BLOB NOT NULL, root BLOB NOT NULL, "
        "at INTEGER "
        "NOT NULL, capacity INTEGER NOT NULL, free INTEGER NOT NULL, entries INTEGER NOT NULL, whole INTEGER "
        "NOT "
        "NULL, PRIMARY KEY(drive, job)) WITHOUT ROWID");
    db.exec("CREATE TABLE overrule(drive TEXT PRIMARY KEY, kind TEXT, size TEXT) WITHOUT ROWID");
    db.exec(
        "CREATE TABLE hold(drive TEXT NOT NULL, folder BLOB NOT NULL, PRIMARY KEY(drive, folder)) WITHOUT "
        "ROWID");
    db.exec("INSERT INTO visit VALUES('d-1','a',X'2F61',X'2F62',40,1000,300,7,1)");
  }
  const auto opened = Register::open(t / "r.sqlite");
  ASSERT_TRUE(opened) << name(opened.error().code) << opened.error().detail;
  const auto visits = (*opened)->visits("d-1").value();
  ASSERT_EQ(visits.size(), 1u);
  EXPECT_EQ(visits[0].free, 300u);
  EXPECT_EQ(visits[0].kind, VisitKind::measured);
  EXPECT_EQ((*opened)->drives()->at(0).id, "d-1");
}

/// What the shop has decided has one home, and every new job follows it.
TEST(Register, WhatTheShopFollowsIsChosenInEveryNewJob) {
  TempFolder t;
  t.file("drive/one", 5'000);
  Workshop w = realWorkshop();
  EXPECT_EQ(codeOf(followRules(w, {})), Errc::notThere) << "nobody keeps it";
  w.visits = Register::open(t / "r.sqlite").value();
  EXPECT_TRUE(followedRules(w).empty());
  const auto before = Job::create(w, t / "drive", false, {}).value();
  ASSERT_FALSE(before->planBook().targets().empty());
  const TargetOrigin rule = before->planBook().targets().front().origin;
  EXPECT_FALSE(before->planBook().targets().front().chosen);
  ASSERT_TRUE(followRules(w, {rule}));
  EXPECT_EQ(followedRules(w), (std::set{rule}));
  const auto after = Job::create(w, t / "drive", false, {}).value();
  for (const Target& target : after->planBook().targets()) EXPECT_EQ(target.chosen, target.origin == rule);
}

TEST(Register, KeepsWhatSomebodySaysOfADrive) {
  TempFolder t;
  const auto r = Register::open(t / "r.sqlite").value();
  EXPECT_FALSE(r->overrule("d").kind);
  ASSERT_TRUE(r->setOverrule("d", {DriveKind::rotating, SizeClass::large}));
  EXPECT_EQ(r->overrule("d").kind, DriveKind::rotating);
  ASSERT_TRUE(r->setOverrule("d", {std::nullopt, SizeClass::small}));
  EXPECT_FALSE(r->overrule("d").kind);
  EXPECT_EQ(r->overrule("d").size, SizeClass::small);
  ASSERT_TRUE(r->noteHold("d", "a/b\xFF"));
  ASSERT_TRUE(r->noteHold("d", "a/b\xFF"));
  EXPECT_EQ(r->holds("d"), (std::vector<PathBytes>{"a/b\xFF"}));
}

TEST(Register, KeepsMarksByDrive) {
  TempFolder t;
  const auto r = Register::open(t / "r.sqlite").value();
  Marks said;
  said.put("odd\xFF/a", {Mark::mayGo, ~std::uint64_t{0}, true});
  said.put("b", {Mark::keep, 7, false});
  ASSERT_TRUE(r->noteMarks("d", said, {}));
  EXPECT_EQ(Register::open(t / "r.sqlite").value()->marks("d"), said);
  EXPECT_TRUE(r->marks("other").all().empty());
  ASSERT_TRUE(r->noteMarks("d", {}, {"b"}));
  EXPECT_EQ(r->marks("d").all().size(), 1u);
}

TEST(Register, RefusesWhatIsNotOurs) {
  TempFolder t;
  t.file("text", std::string(4000, 'x'));
  EXPECT_FALSE(Register::open(t / "text"));
  EXPECT_EQ(t.read("text"), std::string(4000, 'x')) << "and leaves it alone";
}

TEST(Register, TakesWordsFromSeveralAtOnce) {
  TempFolder t;
  std::vector<std::thread> all;
  for (int i = 0; i < 4; ++i)
    all.emplace_back([&, i] {
      const auto r = Register::open(t / "r.sqlite");
      ASSERT_TRUE(r);
      for (int k = 0; k < 10; ++k)
        EXPECT_TRUE((*r)->noteVisit(visit("job-" + std::to_string(i) + "-" + std::to_string(k), k, 1)));
    });
  for (auto& one : all) one.join();
  EXPECT_EQ(Register::open(t / "r.sqlite").value()->visits("d-1")->size(), 40u);
}

TEST(Register, WhatSeveralAmendAtOnceIsLostOfNone) {
  TempFolder t;
  std::vector<std::thread> all;
  for (int i = 0; i < 4; ++i)
    all.emplace_back([&] {
      const auto r = Register::open(t / "r.sqlite");
      ASSERT_TRUE(r);
      for (int k = 0; k < 25; ++k)
        EXPECT_TRUE(
            (*r)->amend("sum", [](const std::string& was) -> Result<std::string> { return was + "x"; }));
    });
  for (auto& one : all) one.join();
  const auto r = Register::open(t / "r.sqlite").value();
  EXPECT_EQ(r->said("sum").size(), 100u);
  EXPECT_EQ(codeOf(r->amend(
                "sum", [](const std::string&) -> Result<std::string> { return fail(Errc::notThere, "x"); })),
            Errc::notThere);
  EXPECT_EQ(r->said("sum").size(), 100u);
}

TEST(Register, IsToldOfVisitsAndHoldsByJobs) {
  TempFolder t;
  t.file("drive/a/one", 50'000);
  Workshop w = realWorkshop();
  w.visits = Register::open(t / "r.sqlite").value();
  auto job = Job::create(w, t / "drive", false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  const auto visits = w.visits->visits(job->site().drive().id).value();
  ASSERT_EQ(visits.size(), 1u);
  EXPECT_EQ(visits[0].job, job->identity());
  EXPECT_EQ(visits[0].entries, 3u);
  EXPECT_EQ(visits[0].free, job->reading().free);
}

/// Nothing depends on it: without a register, and with one that has gone, all goes on.
TEST(Register, IsMissedByNobody) {
  TempFolder t;
  t.file("drive/one", 5'000);
  Workshop w = realWorkshop();
  w.visits = nullptr;
  auto job = Job::create(w, t / "drive", false, {}).value();
  EXPECT_TRUE(job->measurer().measure({}, {}, nullptr));
}

}  // namespace
}  // namespace zt::test
