// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/register.h"

#include <gtest/gtest.h>

#include <thread>

#include "core/job/job.h"
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

TEST(Register, KeepsVisitsOldestFirstAndOneAJob) {
  TempFolder t;
  {
    const auto r = Register::open(t / "deep/er/register.sqlite").value();
    ASSERT_TRUE(r->noteVisit(visit("b", 20, 300)));
    ASSERT_TRUE(r->noteVisit(visit("a", 10, 200)));
    ASSERT_TRUE(r->noteVisit(visit("a", 30, 400)));
  }
  const auto visits = Register::open(t / "deep/er/register.sqlite").value()->visits("d-1").value();
  ASSERT_EQ(visits.size(), 2u) << "a later visit of a job takes the place of the earlier";
  EXPECT_EQ(visits[0].job, "b");
  EXPECT_EQ(visits[1].free, 400u);
  EXPECT_EQ(visits[1].file, "/jobs/odd\xFF.ztjob");
  EXPECT_TRUE(visits[1].wholeDrive);
  EXPECT_TRUE(Register::open(t / "deep/er/register.sqlite").value()->visits("none")->empty());
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
