// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/job_file.h"

#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>

#include "core/job/job.h"
#include "support/code_of.h"
#include "support/fakes.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

JournalRecord record(std::int64_t seq, ItemState state) {
  JournalRecord r;
  r.run = 1;
  r.seq = seq;
  r.line = "large-1";
  r.path = "d/odd\xFF\nname";
  r.holdFolder = ".zip-tally-hold/run-1";
  r.identity = {EntryKind::file, 42, 9000, -5, 7, 8};
  r.state = state;
  r.promised = {9000, 9000};
  r.action = "hold";
  return r;
}

TEST(JobFile, KeepsTheLastWordOnEveryItem) {
  TempFolder t;
  {
    auto file = JobFile::create(t / "a.ztjob").value();
    const JournalRecord first[] = {record(1, ItemState::intended), record(2, ItemState::intended)};
    ASSERT_TRUE(file->write(first));
    const JournalRecord later[] = {record(1, ItemState::held)};
    ASSERT_TRUE(file->write(later));
  }
  auto file = JobFile::open(t / "a.ztjob").value();
  const auto all = file->records(1, {}).value();
  ASSERT_EQ(all.size(), 2u);
  EXPECT_EQ(all[0].state, ItemState::held);
  EXPECT_EQ(all[0].path, "d/odd\xFF\nname");
  EXPECT_EQ(all[0].identity, record(1, ItemState::held).identity);
  const ItemState wanted[] = {ItemState::intended};
  EXPECT_EQ(file->records(0, wanted)->size(), 1u);
}

TEST(JobFile, RefusesWhatIsNotOurs) {
  TempFolder t;
  t.file("text.ztjob", std::string("just some text that is long enough to have a header, if it were a "
                                   "database at all, which it is not"));
  t.file("empty.ztjob", std::string());
  EXPECT_EQ(codeOf(JobFile::open(t / "text.ztjob")), Errc::notOurs);
  EXPECT_EQ(codeOf(JobFile::open(t / "empty.ztjob")), Errc::notOurs);
  EXPECT_EQ(codeOf(JobFile::open(t / "none.ztjob")), Errc::notThere);
  EXPECT_EQ(codeOf(JobFile::create(t / "text.ztjob")), Errc::taken);
}

TEST(JobFile, RefusesANewerVersion) {
  TempFolder t;
  JobFile::create(t / "a.ztjob").value();
  // The user version lies at byte 60 of an SQLite header, big-endian.
  std::fstream raw(t / "a.ztjob", std::ios::in | std::ios::out | std::ios::binary);
  raw.seekp(63);
  raw.put(9);
  raw.close();
  EXPECT_EQ(codeOf(JobFile::open(t / "a.ztjob")), Errc::tooNew);
}

TEST(JobFile, SaysSoWhenItsDiskIsFull) {
  TempFolder t;
  auto file = JobFile::create(t / "a.ztjob").value();
  file->limitPages(12);
  EXPECT_EQ(codeOf(file->put({{"big", std::string(200'000, 'x')}})), Errc::noSpace);
  EXPECT_FALSE(file->get("big")->has_value());
}

TEST(JobFile, IsForOneProcessAtATime) {
  TempFolder t;
  auto file = JobFile::create(t / "a.ztjob").value();
  ASSERT_TRUE(file->put({{"k", "v"}}));
  EXPECT_EQ(codeOf(JobFile::open(t / "a.ztjob")), Errc::busy);
}

/// A whole job, cut at every length: it opens whole or says what is wrong, and never crashes.
TEST(Job, BearsATruncationAtAnyLength) {
  TempFolder t;
  t.file("drive/a/big", 70'000);
  t.file("drive/b", 9'000);
  const Workshop real = realWorkshop();
  {
    auto job = Job::create(real, t / "drive", false, {t / "a.ztjob", true}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    ASSERT_TRUE(job->planBook().addPaths({"b"}, "hold"));
  }
  std::string whole = t.read("a.ztjob");
  int opened = 0;
  for (std::size_t size = 0; size < whole.size(); size += size < 1100 ? 13 : 509) {
    t.file("cut.ztjob", whole.substr(0, size));
    const bool whole_again = Job::open(real, t / "cut.ztjob").has_value();
    EXPECT_FALSE(whole_again) << size << " of " << whole.size();
    opened += whole_again;
    for (const char* rest : {"cut.ztjob-wal", "cut.ztjob-shm"}) std::filesystem::remove(t / rest);
  }
  EXPECT_EQ(opened, 0);
  EXPECT_TRUE(Job::open(real, t / "a.ztjob"));
}

TEST(Job, KeepsItsFileOffTheMeasuredDriveUnlessTold) {
  TempFolder t;
  t.file("drive/a", 100);
  const Workshop real = realWorkshop();
  EXPECT_EQ(codeOf(Job::create(real, t / "drive", false, {t / "a.ztjob", false})), Errc::onDrive);
  EXPECT_FALSE(t.has("a.ztjob"));
}

TEST(Job, ComesBackAsItWasLeft) {
  TempFolder t;
  t.file("drive/a/big", 3'000'000);
  t.file("drive/b", 9'000);
  const Workshop real = realWorkshop();
  std::string token;
  {
    auto job = Job::create(real, t / "drive", false, {t / "a.ztjob", true}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    ASSERT_TRUE(job->planBook().addTarget("upgrade", "1GB"));
    ASSERT_TRUE(job->planBook().addPaths({"a"}, "discard"));
    ASSERT_TRUE(job->planBook().mark({"b"}, Mark::keep));
    token = job->planBook().consent().token;
  }
  auto job = Job::open(real, t / "a.ztjob").value();
  EXPECT_EQ(job->planBook().targets()[0].label, "upgrade");
  EXPECT_EQ(job->planBook().consent().token, token);
  EXPECT_EQ(job->planBook().marks().of("b"), Mark::keep);
  const auto report = job->reclaim(token, {});
  ASSERT_TRUE(report);
  EXPECT_EQ(report->lines[0].state, LineOutcome::State::done);
  EXPECT_FALSE(t.has("drive/a"));
  EXPECT_TRUE(t.has("drive/b"));
  EXPECT_EQ(job->prove()->lines[0].promised.sure, report->lines[0].promised.sure);
}

}  // namespace
}  // namespace zt::test
