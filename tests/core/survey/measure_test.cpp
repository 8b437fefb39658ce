// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/measure.h"

#include <gtest/gtest.h>

#include "core/os/fs_overhead.h"
#include "support/fakes.h"
#include "support/memory_file_system.h"

namespace zt::test {
namespace {

struct Bench {
  Bench() {
    files.add("a/one", std::string(9000, 'x'));
    files.add("b/two", std::string(5000, 'x'));
    drive.target = "/";
    drive.id = "d";
    drive.fsType = "ext4";
    drive.usage = files.usage(*files.openRoot("/").value()).value();
  }
  Result<SurveyPtr> run(const PathBytes& path, KnownBytes known = {}, std::stop_token stop = {}) {
    return measure(files, clock, drive, known, path, {}, stop, nullptr);
  }
  MemoryFileSystem files;
  FakeClock clock;
  Drive drive;
};

TEST(Measure, AddsUpToTheCapacityExactly) {
  Bench b;
  const auto survey = b.run("/", {100, 200, 300, 400}).value();
  const Statement& s = survey->statement;
  EXPECT_EQ(s.sum(), static_cast<SignedBytes>(s.capacity));
  EXPECT_EQ(s[StatementLine::snapshots], 100);
  EXPECT_EQ(s[StatementLine::openDeleted], 200);
  EXPECT_EQ(s[StatementLine::beneathMounts], 300);
  EXPECT_EQ(s[StatementLine::overhead], 400);
  EXPECT_EQ(s[StatementLine::unexplained], -1000)
      << "what is claimed beyond the used bytes shows as a negative remainder";
  EXPECT_TRUE(survey->wholeDrive);
}

TEST(Measure, ExplainsEveryByteOfAQuietDrive) {
  Bench b;
  EXPECT_EQ(b.run("/").value()->statement[StatementLine::unexplained], 0);
}

TEST(Measure, CallsTheRestElsewhereWhenAFolderIsMeasured) {
  Bench b;
  const auto survey = b.run("a").value();
  EXPECT_FALSE(survey->wholeDrive);
  EXPECT_EQ(survey->statement[StatementLine::unexplained], 0);
  EXPECT_GT(survey->statement[StatementLine::elsewhere], 0);
  EXPECT_EQ(survey->statement.sum(), static_cast<SignedBytes>(survey->statement.capacity));
}

TEST(Measure, CallsTheRestElsewhereWhenItWasStopped) {
  Bench b;
  std::stop_source stop;
  stop.request_stop();
  const auto survey = b.run("/", {}, stop.get_token()).value();
  EXPECT_TRUE(survey->partial);
  EXPECT_EQ(survey->statement[StatementLine::unexplained], 0);
}

TEST(Measure, FailsOnWhatIsNoFolderAndOnWhatIsNotThere) {
  Bench b;
  EXPECT_EQ(b.run("a/one").error().code, Errc::notAFolder);
  EXPECT_EQ(b.run("none").error().code, Errc::notThere);
}

/// The drive goes away at any call: an error or a listed exception, never a crash, and the tree stays sound.
TEST(Measure, BearsTheDriveGoingAwayAtAnyCall) {
  for (std::size_t number = 1;; ++number) {
    Bench b;
    const std::size_t before = b.files.calls().size();
    b.files.failCall(before + number, Errc::io);
    const auto survey = b.run("/");
    if (survey) {
      EXPECT_EQ((*survey)->statement.sum(), static_cast<SignedBytes>((*survey)->statement.capacity));
    }
    if (b.files.calls().size() < before + number) break;
  }
}

TEST(KnownBytes, CountsDeletedOpenFilesOfTheDriveOnce) {
  Drive d;
  d.device = 7;
  d.fsType = "ext4";
  FakeOpenFiles open;
  open.files = {{1, "a", 7, 10, true, 4096},
                {2, "b", 7, 10, true, 4096},
                {1, "a", 7, 11, true, 8192},
                {1, "a", 9, 12, true, 999},
                {1, "a", 7, 13, false, 999}};
  EXPECT_EQ(knownBytes(open, d).openDeleted, 12288u);
}

TEST(FileSystemOverhead, IsNothingOnExt4) {
  EXPECT_EQ(fileSystemOverhead("ext4", "/"), 0u);
}

TEST(Names, OfStatementLinesAreThoseOfTheCommandLine) {
  EXPECT_EQ(name(StatementLine::openDeleted), "open_deleted");
  EXPECT_EQ(name(StatementLine::beneathMounts), "beneath_mounts");
  EXPECT_EQ(name(StatementLine::unexplained), "unexplained");
  EXPECT_EQ(name(SurveyException::Kind::mountedOver), "mounted-over");
}

}  // namespace
}  // namespace zt::test
