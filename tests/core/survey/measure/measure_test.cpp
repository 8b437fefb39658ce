// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/measure/measure.h"

#include <gtest/gtest.h>

#include "core/os/forwarding_file_system.h"
#include "core/survey/files/survey_codec.h"
#include "support/code_of.h"
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
    MeasurePorts ports{borrowed(files), borrowed(open), borrowed(insides), borrowed(clock)};
    if (known.overhead != 0) ports.declared = known;
    return measure(ports, drive, path, {}, stop, nullptr);
  }
  const StatementPart* part(const Survey& survey, std::string_view id) {
    for (const auto& p : survey.statement.parts)
      if (p.id == id) return &p;
    return nullptr;
  }
  MemoryFileSystem files;
  FakeOpenFiles open;
  FakeInsides insides;
  FakeClock clock;
  Drive drive;
};

TEST(Measure, AddsUpToTheCapacityExactly) {
  Bench b;
  const auto survey = b.run("/", {100, 200, 300, 400, {}}).value();
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
  EXPECT_EQ(codeOf(b.run("a/one")), Errc::notAFolder);
  EXPECT_EQ(codeOf(b.run("none")), Errc::notThere);
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

/// Under a walk, somebody unmounts the drive: the walk's handles still work, the path leads elsewhere.
TEST(Measure, AsksNothingByThePathOfADriveThatWasUnmounted) {
  Bench b;
  b.insides.structures = {true, {{"pool", 3000}}, 0};
  bool walking = false;
  WalkOptions options;
  options.watch = [&](const auto&) { walking = true; };
  class Unmounting final : public ForwardingFileSystem {
  public:
    Unmounting(FileSystemPtr inner, const bool& walking)
        : ForwardingFileSystem(std::move(inner)), walking_(walking) {}
    Result<FolderPtr> openRoot(const PathBytes& path) override {
      return inner_.openRoot(walking_ ? "/a" : path);
    }
    const bool& walking_;
  } files(borrowed(b.files), walking);
  MeasurePorts ports{borrowed(files), borrowed(b.open), borrowed(b.insides), borrowed(b.clock)};
  const auto survey = measure(ports, b.drive, "/", options, {}, nullptr).value();
  EXPECT_TRUE(survey->partial);
  EXPECT_EQ(survey->exceptions.back().kind, SurveyException::Kind::swapped);
  EXPECT_EQ(survey->exceptions.back().node, 0u);
  EXPECT_EQ(survey->tree.totals(0).files, 2u) << "what was walked is kept";
  EXPECT_EQ(survey->statement[StatementLine::overhead], 0) << "that would be another drive's";
  EXPECT_EQ(survey->statement.source(StatementLine::overhead), LineSource::none);
  EXPECT_EQ(survey->statement[StatementLine::unexplained], 0);
  EXPECT_EQ(survey->statement.sum(), static_cast<SignedBytes>(survey->statement.capacity));
}

TEST(Measure, SaysOnlyWhatWasSeenWhereThereAreNoCounters) {
  Bench b;
  b.files.capacity = 0;
  const auto survey = b.run("/").value();
  const Statement& s = survey->statement;
  EXPECT_EQ(s[StatementLine::unexplained], 0);
  EXPECT_EQ(s.source(StatementLine::unexplained), LineSource::cannotItemise);
  EXPECT_EQ(s.source(StatementLine::free), LineSource::none);
  EXPECT_EQ(s.capacity, survey->tree.totals(0).occupied);
}

/// The clock is set back while a drive is measured, and again before a folder of it is.
TEST(Measure, BearsAClockThatGoesBackwards) {
  class Backwards final : public Clock {
  public:
    TimeNs now() const override { return time -= 3600 * nsPerSecond; }
    mutable TimeNs time = 1'800'000'000 * nsPerSecond;
  } clock;
  Bench b;
  b.files.add("a/fresh", "x")->stat.modified = clock.time;  // in the future, once the clock went back
  MeasurePorts ports{borrowed(b.files), borrowed(b.open), borrowed(b.insides), borrowed(clock)};
  const auto first = measure(ports, b.drive, "/", {}, {}, nullptr).value();
  EXPECT_GE(first->finished, first->started);
  const NodeId fresh = *first->tree.find("a/fresh");
  EXPECT_EQ(ageBand(first->tree.modified(fresh), first->finished), AgeBand::today);
  const auto again = measureAgain(ports, b.drive, first, *first->tree.find("a"), {}, {}, nullptr).value();
  EXPECT_GE(again->finished, first->finished) << "surveys stay in order";
  EXPECT_EQ(again->tree.entries(), first->tree.entries());
  const auto saved = encodeSurvey(*again);
  EXPECT_EQ(decodeSurvey(saved).value()->finished, again->finished);
}

TEST(Measure, CountsDeletedOpenFilesOfTheDriveOnceAndByProgram) {
  Bench b;
  b.drive.device = 7;
  b.open.files = {{1, "writer", 7, 10, true, 4096},
                  {2, "reader", 7, 10, true, 4096},
                  {1, "writer", 7, 11, true, 8192},
                  {1, "writer", 9, 12, true, 999},
                  {1, "writer", 7, 13, false, 999}};
  const auto survey = b.run("/").value();
  EXPECT_EQ(survey->statement[StatementLine::openDeleted], 12288);
  EXPECT_EQ(survey->statement.source(StatementLine::openDeleted), LineSource::openFiles);
  ASSERT_NE(b.part(*survey, "program"), nullptr);
  EXPECT_EQ(b.part(*survey, "program")->subject, "writer");
  EXPECT_EQ(b.part(*survey, "program")->count, 2u);
}

TEST(Measure, ItemisesTheFileSystemsOwn) {
  Bench b;
  b.insides.structures = {true, {{"pool", 3000}, {"inode-chunks", 500}}, b.files.capacity + 777};
  const auto survey = b.run("/").value();
  EXPECT_EQ(survey->statement[StatementLine::overhead], 3500);
  EXPECT_EQ(b.part(*survey, "pool")->bytes, 3000);
  EXPECT_EQ(b.part(*survey, "outside-capacity")->bytes, 777) << "said beside it, not counted in";
  EXPECT_EQ(survey->statement.source(StatementLine::unexplained), LineSource::remainder);
  b.insides.structures = {};
  EXPECT_EQ(b.run("/").value()->statement.source(StatementLine::unexplained), LineSource::cannotItemise);
}

TEST(Measure, LooksBeneathMountPointsOrSaysThatItCouldNot) {
  Bench b;
  b.files.add("mnt/")->stat.mountId = 99;
  const auto blind = b.run("/").value();
  EXPECT_EQ(b.part(*blind, "mount-points-not-seen")->count, 1u);
  EXPECT_EQ(blind->statement.source(StatementLine::beneathMounts), LineSource::none);
  const auto below = std::make_shared<MemoryFileSystem>();
  below->add("mnt/hidden/file", std::string(20'000, 'x'));
  b.insides.below = below;
  const auto survey = b.run("/").value();
  EXPECT_EQ(b.part(*survey, "mount-point")->subject, "mnt");
  EXPECT_EQ(b.part(*survey, "mount-point")->count, 2u);
  const auto size = static_cast<SignedBytes>(surveyOf(below, "/mnt")->tree.totals(0).occupied);
  EXPECT_EQ(survey->statement[StatementLine::beneathMounts], size);
  EXPECT_GE(size, 20'480);
}

TEST(Measure, TakesWhatIsStoredWhereBlockCountsLie) {
  Bench b;
  b.drive.fsType = "btrfs";
  const auto inode = [&](const char* name) {
    return b.files.stat(*b.files.openRoot(std::string("/") + name[0]).value(), name + 2)->inode;
  };
  StoredSizes sizes;
  sizes.trees.resize(2);
  sizes.trees[0] = {{}, 700};
  sizes.trees[0].is.id = 5;
  sizes.trees[1].is.id = 256;
  sizes.files = {{5, inode("a/one"), 500}, {5, inode("b/two"), 200}, {256, inode("a/one"), 1}};
  // 5 reaches 100 and 200, the other 200 and 300: 200 is shared, 300 is the other's own.
  const auto own = sizes.sets.of(0), other = sizes.sets.of(1);
  sizes.held = {{own, 300, 0}, {sizes.sets.join(own, other), 350, 0}, {other, 550, 0}};
  b.insides.stored = sizes;
  const auto survey = b.run("/").value();
  EXPECT_EQ(survey->tree.occupied(*survey->tree.find("a/one")), 512u) << "in whole 512-byte blocks";
  EXPECT_EQ(b.part(*survey, "shared")->bytes, 50) << "700 by files, 650 on the device";
  EXPECT_EQ(survey->statement[StatementLine::snapshots], 550);
  EXPECT_EQ(survey->statement.source(StatementLine::files), LineSource::extents);
  b.insides.stored.reset();
  const auto blind = b.run("/").value();
  EXPECT_EQ(blind->statement.source(StatementLine::files), LineSource::walked);
  EXPECT_EQ(blind->statement.source(StatementLine::unexplained), LineSource::cannotItemise);
}

TEST(Measure, BoundsWhatLiesInClosedFolders) {
  Bench b;
  b.files.failCall(b.files.calls().size() + 6, Errc::notPermitted);  // listing the first folder
  const auto survey = b.run("/").value();
  ASSERT_EQ(survey->exceptions.size(), 1u);
  const auto* bound = b.part(*survey, "unreadable-at-most");
  ASSERT_NE(bound, nullptr);
  EXPECT_EQ(bound->count, 1u);
  EXPECT_EQ(bound->bytes, survey->statement[StatementLine::unexplained]);
  EXPECT_GT(bound->bytes, 0);
}

TEST(Measure, TellsHolesAndPreallocationApart) {
  Bench b;
  const auto sparse = b.files.add("a/sparse", "x");
  sparse->stat.length = 1'000'000;
  sparse->stat.occupied = 4096;
  const auto ahead = b.files.add("a/ahead", "x");
  ahead->stat.occupied = 1'048'576;
  const auto survey = b.run("/").value();
  EXPECT_EQ(b.part(*survey, "holes")->bytes, 1'000'000 - 4096);
  EXPECT_EQ(b.part(*survey, "preallocated")->bytes, 1'048'575);
}

TEST(Names, OfStatementLinesAreThoseOfTheCommandLine) {
  EXPECT_EQ(name(StatementLine::openDeleted), "open_deleted");
  EXPECT_EQ(name(StatementLine::beneathMounts), "beneath_mounts");
  EXPECT_EQ(name(StatementLine::unexplained), "unexplained");
  EXPECT_EQ(name(SurveyException::Kind::mountedOver), "mounted-over");
}

}  // namespace
}  // namespace zt::test
