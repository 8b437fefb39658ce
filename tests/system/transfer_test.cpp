// SPDX-License-Identifier: GPL-3.0-or-later
// Things go to another drive, on real ones: what arrives, what the counter says, what stays where a copy is
// not what it should be, and the way back. `ZT_SOAK=10` runs ten times as many.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <sys/xattr.h>
#include <unistd.h>

#include <csignal>
#include <filesystem>
#include <fstream>
#include <random>

#include "core/job/job.h"
#include "support/drive_files.h"
#include "support/fakes.h"
#include "support/fault_file_system.h"
#include "support/flipping_file_system.h"
#include "support/loop_drive.h"
#include "support/run_program.h"
#include "support/seed.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;
constexpr Bytes drive48 = 48u << 20;

/// Every entry with what is to survive a move, by plain programs.
std::string factsOf(const std::string& folder) {
  const std::string ask =
      "cd \"$1\" && find . -type d -printf '%P %y %m %U:%G %T@\\n' -o -printf '%P %y %m %U:%G %s %T@ %l\\n' "
      "| sort && find . -type f -print0 | sort -z "
      "| "
      "xargs -0 sha256sum";
  return runProgram({"/bin/bash", "-c", ask, "facts", folder}).out;
}

struct Moving {
  std::unique_ptr<Job> job;
  Bytes sure = 0;
  Result<RunReport> report = fail(Errc::io, "not-run");
};

Moving move(const std::string& from, const std::vector<PathBytes>& paths, const PathBytes& to,
            const PathBytes& second = {}, Workshop w = realWorkshop()) {
  Moving m;
  m.job = Job::create(w, from, false, {}).value();
  EXPECT_TRUE(m.job->measurer().measure({}, {}, nullptr));
  StepParameters told;
  told.set("to", StepParameters::Place{to});
  if (!second.empty()) told.set("second", StepParameters::Place{second});
  EXPECT_TRUE(m.job->planBook().addPaths(paths, "transfer", told));
  m.sure = m.job->planBook().planned().sure;
  m.report = m.job->reclaim(m.job->consent().token, {});
  EXPECT_TRUE(m.report);
  return m;
}

std::optional<Errc> problemOf(const Moving& m) {
  const auto& problems = m.report->lines.at(0).problems;
  return problems.empty() ? std::nullopt : problems[0].problem;
}

void makeLuggage(const LoopDrive& from) {
  putOn(from / "season/nest.mkv", noise(3'000'000, 1));
  putOn(from / "season/a\\b\nline", "odd name");
  putOn(from / "season/deep/er/note", "");
  ::chmod((from / "season/deep").c_str(), 0750);
  fs::create_hard_link(from / "season/nest.mkv", from / "season/deep/again.mkv");
  fs::create_symlink("../nowhere/\xff", from / "season/deep/link");
  std::ofstream(from / "season/sparse", std::ios::binary) << "head";
  fs::resize_file(from / "season/sparse", 20'000'000);
  ::setxattr((from / "season/nest.mkv").c_str(), "user.origin", "camera 4", 8, 0);
  EXPECT_EQ(::lchown((from / "season/deep/er/note").c_str(), 1234, 4321), 0);
  EXPECT_EQ(
      runProgram({"/usr/bin/touch", "-d", "2019-05-05 05:05:05.123456789", from / "season/nest.mkv"}).status,
      0);
  EXPECT_EQ(runProgram({"/usr/bin/touch", "-hd", "2011-01-01 01:01:01", from / "season/deep/link"}).status,
            0);
}

TEST(Transfer, ArrivesWholeAndTheFirstDriveHasItsBytesAgain) {
  for (const char* type : {"ext4", "xfs", "btrfs"}) {
    const Bytes size = type == std::string("xfs")     ? 320u << 20
                       : type == std::string("btrfs") ? 128u << 20
                                                      : drive48;
    const LoopDrive from(type, size), to("ext4", drive48);
    ZT_NEEDS(from);
    ZT_NEEDS(to);
    makeLuggage(from);
    putOn(from / "stays", noise(100'000, 2));
    const std::string facts = factsOf(from / "season");
    const Bytes before = freeOn(from.path());
    Moving m = move(from.path(), {"season"}, to.path());
    ASSERT_EQ(m.report->lines.at(0).state, LineOutcome::State::done) << type;
    const auto rose = static_cast<double>(freeOn(from.path()) - before);
    EXPECT_NEAR(rose, static_cast<double>(m.sure), 262'144.0) << type;
    EXPECT_FALSE(fs::exists(from / "season")) << type;
    EXPECT_TRUE(fs::exists(from / "stays")) << type;
    EXPECT_EQ(factsOf(movedIn(to.path()) + "/season"), facts) << type;
    EXPECT_TRUE(sumsFit(movedIn(to.path()))) << type;
    EXPECT_EQ(inodeAt(movedIn(to.path()) + "/season/nest.mkv"),
              inodeAt(movedIn(to.path()) + "/season/deep/again.mkv"))
        << "one file";
    char origin[16]{};
    EXPECT_EQ(
        ::getxattr((movedIn(to.path()) + "/season/nest.mkv").c_str(), "user.origin", origin, sizeof origin),
        8);
    EXPECT_EQ(std::string(origin), "camera 4");
    struct stat sparse {};
    ASSERT_EQ(::stat((movedIn(to.path()) + "/season/sparse").c_str(), &sparse), 0);
    EXPECT_LT(sparse.st_blocks * 512, 1'000'000) << "holes stay holes";
    const auto proof = m.job->prove();
    ASSERT_TRUE(proof);
    EXPECT_EQ(proof->lines.at(0).action, "transfer");
    // And back, as long as the job lives; the copy stays.
    const auto back = m.job->undo(0, {});
    ASSERT_TRUE(back && back->size() == 1) << type;
    EXPECT_EQ(back->at(0).state, ItemState::returned) << name(back->at(0).problem.value_or(Errc::cancelled));
    EXPECT_EQ(factsOf(from / "season"), facts) << type;
    EXPECT_EQ(factsOf(movedIn(to.path()) + "/season"), facts) << type;
    const auto again = m.job->undo(0, {});
    EXPECT_TRUE(again && again->empty()) << "once is enough" << name(again->at(0).state) << again->at(0).path;
  }
}

TEST(Transfer, GoesToTwoDrivesAndTwiceToOneIsRefused) {
  const LoopDrive from("ext4", drive48), one("ext4", drive48), two("xfs", 320u << 20);
  ZT_NEEDS(from);
  ZT_NEEDS(one);
  ZT_NEEDS(two);
  makeLuggage(from);
  const std::string facts = factsOf(from / "season");
  fs::create_directory(one / "sub");
  Moving twice = move(from.path(), {"season"}, one.path(), one / "sub");
  EXPECT_EQ(problemOf(twice), Errc::onDrive);
  EXPECT_EQ(factsOf(from / "season"), facts);
  Moving m = move(from.path(), {"season"}, one.path(), two.path());
  ASSERT_EQ(m.report->lines.at(0).state, LineOutcome::State::done);
  EXPECT_EQ(factsOf(movedIn(one.path()) + "/season"), facts);
  EXPECT_EQ(factsOf(movedIn(two.path()) + "/season"), facts);
  EXPECT_TRUE(sumsFit(movedIn(one.path())) && sumsFit(movedIn(two.path())));
  // The first one is lost: it comes back from the second.
  fs::remove_all(movedIn(one.path()));
  const auto back = m.job->undo(0, {});
  ASSERT_TRUE(back && back->size() == 1);
  EXPECT_EQ(back->at(0).state, ItemState::returned);
  EXPECT_EQ(factsOf(from / "season"), facts);
}

TEST(Transfer, WhatTheOtherDriveCannotKeepIsSaidAndStays) {
  const LoopDrive from("ext4", drive48), fat("exfat", drive48);
  ZT_NEEDS(from);
  ZT_NEEDS(fat);
  putOn(from / "plain/letter.txt", "dear all");
  putOn(from / "odd/what?.txt", "x");
  putOn(from / "linked/a", "x");
  fs::create_symlink("a", from / "linked/b");
  putOn(from / "cased/a.txt", "x");
  putOn(from / "cased/A.txt", "y");
  Moving m = move(from.path(), {"odd", "linked", "cased"}, fat.path());
  std::map<PathBytes, std::string> why;
  for (const auto& line : m.report->lines)
    for (const auto& r : line.problems) {
      EXPECT_EQ(r.problem, Errc::cannotKeep) << r.path;
      why[r.path] = r.detail;
    }
  EXPECT_EQ(why, (std::map<PathBytes, std::string>{{"odd", "name"}, {"linked", "link"}, {"cased", "case"}}));
  EXPECT_TRUE(fs::is_empty(fat.path()));
  m = move(from.path(), {"plain"}, fat.path());
  ASSERT_EQ(m.report->lines.at(0).state, LineOutcome::State::done)
      << static_cast<int>(problemOf(m).value_or(Errc::io)) << m.report->lines[0].problems.at(0).detail;
  EXPECT_TRUE(sumsFit(movedIn(fat.path())));
  ASSERT_EQ(m.job->undo(0, {})->at(0).state, ItemState::returned);
  EXPECT_TRUE(fs::exists(from / "plain/letter.txt"));
}

TEST(Transfer, ADriveWithoutRoomBesideItsHeadroomTakesNothing) {
  const LoopDrive from("ext4", drive48), to("ext4", drive48);
  ZT_NEEDS(from);
  ZT_NEEDS(to);
  putOn(from / "film", noise(12'000'000, 3));
  putOn(to / "theirs", noise(26'000'000, 4));  // room for the film, but not beside a tenth of the drive
  ASSERT_GT(freeOn(to.path()), 12'000'000u);
  Moving m = move(from.path(), {"film"}, to.path());
  EXPECT_EQ(problemOf(m), Errc::noSpace);
  EXPECT_EQ(fs::file_size(from / "film"), 12'000'000u);
  EXPECT_TRUE(movedIn(to.path()).empty());
}

TEST(Transfer, WhatWasAlteredThereIsNotBroughtBackAndWhatIsNoFileDoesNotGo) {
  const LoopDrive from("ext4", drive48), to("ext4", drive48);
  ZT_NEEDS(from);
  ZT_NEEDS(to);
  putOn(from / "box/letter", noise(10'000, 3));
  putOn(from / "queue/file", "x");
  ASSERT_EQ(::mkfifo((from / "queue/pipe").c_str(), 0600), 0);
  Moving m = move(from.path(), {"queue"}, to.path());
  EXPECT_EQ(problemOf(m), Errc::cannotKeep);
  m = move(from.path(), {"box"}, to.path());
  ASSERT_EQ(m.report->lines.at(0).state, LineOutcome::State::done);
  // The same length and time, one byte else.
  const std::string copy = movedIn(to.path()) + "/box/letter";
  struct stat was {};
  ::stat(copy.c_str(), &was);
  {
    std::fstream file(copy, std::ios::in | std::ios::out | std::ios::binary);
    file.seekp(5'000);
    const char other = static_cast<char>(~noise(10'000, 3)[5'000]);
    file.write(&other, 1);
  }
  const timespec times[2] = {was.st_atim, was.st_mtim};
  ::utimensat(AT_FDCWD, copy.c_str(), times, 0);
  const auto back = m.job->undo(0, {});
  ASSERT_TRUE(back && back->size() == 1);
  EXPECT_EQ(back->at(0).state, ItemState::gone);
  EXPECT_EQ(back->at(0).problem, Errc::changed);
  EXPECT_FALSE(fs::exists(from / "box"));
  for (const auto& e : fs::directory_iterator(from.path()))
    EXPECT_FALSE(e.path().filename().string().starts_with(".returning")) << "nothing half is left";
}

TEST(Transfer, WhatStandsThereByThatNameIsNeverWrittenOver) {
  const LoopDrive from("ext4", drive48), to("ext4", drive48);
  ZT_NEEDS(from);
  ZT_NEEDS(to);
  putOn(from / "box/letter", "the first letter");
  Moving m = move(from.path(), {"box"}, to.path());
  ASSERT_EQ(m.report->lines.at(0).state, LineOutcome::State::done);
  putOn(from / "box/letter", "another one, of another length");
  ASSERT_TRUE(m.job->measurer().measure({}, {}, nullptr));
  StepParameters told;
  told.set("to", StepParameters::Place{to.path()});
  ASSERT_TRUE(m.job->planBook().addPaths({"box"}, "transfer", told));
  m.report = m.job->reclaim(m.job->consent().token, {});
  ASSERT_TRUE(m.report);
  EXPECT_EQ(problemOf(m), Errc::taken);
  EXPECT_EQ(fs::file_size(from / "box/letter"), 30u);
  EXPECT_EQ(fs::file_size(movedIn(to.path()) + "/box/letter"), 16u);
}

TEST(Transfer, TheListNamesOnlyWhatIsThere) {
  const LoopDrive from("ext4", drive48), to("ext4", drive48);
  ZT_NEEDS(from);
  ZT_NEEDS(to);
  Workshop w = realWorkshop();
  // The third thing is written to when all three were copied.
  int copied = 0;
  w.files = std::make_shared<FaultFileSystem>(w.files, [&](std::string_view call, std::string_view name) {
    if (call == "times" && name == ".zip-tally-part" && ++copied == 3)
      putOn(from / "b", "written to meanwhile");
    return Result<void>{};
  });
  for (const char* name : {"a", "b", "c"})
    putOn(from / name, noise(5'000, static_cast<unsigned char>(name[0])));
  Moving m = move(from.path(), {"a", "b", "c"}, to.path(), {}, w);
  ASSERT_EQ(copied, 3);
  EXPECT_FALSE(fs::exists(from / "a") || fs::exists(from / "c"));
  EXPECT_EQ(fs::file_size(from / "b"), 20u) << "what changed stays";
  EXPECT_FALSE(fs::exists(movedIn(to.path()) + "/b")) << "and its copy, which is none any more, goes";
  EXPECT_TRUE(sumsFit(movedIn(to.path())));
}

/// Numbers of entries are used again at once: what stands at the old place now is somebody's else.
TEST(Transfer, WhatCameToTheOldPlaceSinceStays) {
  const LoopDrive from("ext4", drive48), to("ext4", drive48);
  ZT_NEEDS(from);
  ZT_NEEDS(to);
  putOn(from / "letter", "the first letter");
  const std::uint64_t number = inodeAt(from / "letter");
  Moving m = move(from.path(), {"letter"}, to.path());
  ASSERT_EQ(m.report->lines.at(0).state, LineOutcome::State::done);
  putOn(from / "letter", "the second one");
  for (int i = 0; i < 2000 && inodeAt(from / "letter") != number; ++i) {
    fs::rename(from / "letter", from / ("other" + std::to_string(i)));
    putOn(from / "letter", "the second one");
  }
  ASSERT_EQ(inodeAt(from / "letter"), number) << "the number did not come back";
  const auto back = m.job->undo(0, {});
  ASSERT_TRUE(back && back->size() == 1);
  EXPECT_EQ(back->at(0).state, ItemState::returned);
  EXPECT_EQ(back->at(0).putAt, "letter.put-back-1");
  EXPECT_EQ(fs::file_size(from / "letter"), 14u);
  EXPECT_EQ(fs::file_size(from / "letter.put-back-1"), 16u);
}

TEST(Transfer, WhatIsOpenedWhileItsCopyIsReadBackStays) {
  const LoopDrive from("ext4", drive48), to("ext4", drive48);
  ZT_NEEDS(from);
  ZT_NEEDS(to);
  putOn(from / "letter", noise(5'000, 1));
  Workshop w = realWorkshop();
  pid_t writer = -1;
  // The list is written when the copy was read back.
  w.files = std::make_shared<FaultFileSystem>(w.files, [&](std::string_view call, std::string_view name) {
    if (call != "rename" || name != "letter" || writer > 0) return Result<void>{};
    writer = ::fork();
    if (writer == 0) {
      if (::open((from / "letter").c_str(), O_WRONLY) < 0) ::_exit(1);
      for (;;) ::pause();
    }
    ::usleep(300'000);
    return Result<void>{};
  });
  Moving m = move(from.path(), {"letter"}, to.path(), {}, w);
  ::kill(writer, SIGKILL);
  ::waitpid(writer, nullptr, 0);
  EXPECT_EQ(problemOf(m), Errc::inUse);
  EXPECT_EQ(fs::file_size(from / "letter"), 5'000u);
}

TEST(Transfer, EveryBitThatFlipsInACopyIsSeenAndTheThingStays) {
  const LoopDrive from("ext4", drive48), to("ext4", drive48);
  ZT_NEEDS(from);
  ZT_NEEDS(to);
  const auto seed = drawSeed();
  std::mt19937 random(seed);
  Workshop w = realWorkshop();
  const auto flipping = std::make_shared<Flipping>(w.files, random);
  w.files = flipping;
  for (int i = 0; i < 5; ++i)
    putOn(from / ("box/" + std::to_string(i)), noise(1 + random() % 5000, random()));
  const std::string facts = factsOf(from / "box");
  auto job = Job::create(w, from.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  StepParameters told;
  told.set("to", StepParameters::Place{to.path()});
  const int wanted = soaked(50);
  for (int i = 0; i < wanted; ++i) {
    SCOPED_TRACE("seed " + std::to_string(seed) + " round " + std::to_string(i));
    ASSERT_TRUE(job->planBook().addPaths({"box"}, "transfer", told));
    flipping->armed = true;
    const auto report = job->reclaim(job->consent().token, {});
    ASSERT_TRUE(report);
    ASSERT_EQ(report->lines.at(0).state, LineOutcome::State::refused);
    ASSERT_EQ(report->lines[0].problems.at(0).problem, Errc::changed);
  }
  EXPECT_EQ(flipping->flips, wanted);
  EXPECT_EQ(factsOf(from / "box"), facts);
  EXPECT_TRUE(movedIn(to.path()).empty()) << "a copy that is none is taken away";
}

/// Whatever was copied before is taken away with what failed.
TEST(Transfer, ACopyThatFailsMidwayLeavesNothingThere) {
  const LoopDrive from("ext4", drive48), to("ext4", drive48);
  ZT_NEEDS(from);
  ZT_NEEDS(to);
  for (const char* file : {"box/a", "box/b", "box/in/c"}) putOn(from / file, noise(5'000, 1));
  const std::string facts = factsOf(from / "box");
  int renames = 0;
  Workshop w = realWorkshop();
  w.files = std::make_shared<FaultFileSystem>(w.files, [&](std::string_view call, std::string_view) {
    const bool third = call == "rename" && ++renames == 3;
    return third ? Result<void>(fail(Errc::io, "rename")) : Result<void>{};
  });
  Moving m = move(from.path(), {"box"}, to.path(), {}, w);
  EXPECT_EQ(problemOf(m), Errc::io);
  EXPECT_EQ(factsOf(from / "box"), facts);
  EXPECT_EQ(runProgram({"/usr/bin/find", to.path(), "-type", "f"}).out, "");
}

TEST(Transfer, AnyCallThatFailsLeavesEachThingWhole) {
  const LoopDrive from("ext4", drive48), to("ext4", drive48);
  ZT_NEEDS(from);
  ZT_NEEDS(to);
  static constexpr std::array<Errc, 8> ways{Errc::notPermitted, Errc::io,          Errc::noSpace,
                                            Errc::notThere,     Errc::otherDevice, Errc::busy,
                                            Errc::tooManyOpen,  Errc::unsupported};
  int failed = 0;
  for (int at = 0, again = 1; again > 0; ++at) {
    SCOPED_TRACE("call " + std::to_string(at));
    fs::remove_all(from / "box");
    putOn(from / "box/a", noise(9000, 5));
    putOn(from / "box/in/b", noise(100, 6));
    ::setxattr((from / "box/a").c_str(), "user.x", "y", 1, 0);
    ::chmod((from / "box/a").c_str(), 0604);
    const std::string facts = factsOf(from / "box");
    Workshop w = realWorkshop();
    bool hit = false;
    int seen = 0;
    w.files =
        std::make_shared<FaultFileSystem>(w.files, [&](std::string_view, std::string_view) -> Result<void> {
          if (seen++ != at) return {};
          hit = true;
          return fail(ways[static_cast<std::size_t>(at) % ways.size()], "planted");
        });
    Moving m = move(from.path(), {"box"}, to.path(), {}, w);
    again = hit ? 1 : 0;
    failed += hit;
    const bool here = fs::exists(from / "box") && factsOf(from / "box") == facts;
    const std::string copy = movedIn(to.path()) + "/box";
    const bool there = !movedIn(to.path()).empty() && fs::exists(copy) && factsOf(copy) == facts &&
                       sumsFit(movedIn(to.path()));
    const auto held = m.job->runs().held();
    ASSERT_TRUE(here || there || (held && !held->empty())) << "nothing is lost";
    if (held && !held->empty()) {
      ASSERT_TRUE(m.job->undo(0, {}));
      ASSERT_EQ(factsOf(from / "box"), facts);
    }
    if (m.report->lines.at(0).state == LineOutcome::State::done) {
      ASSERT_TRUE(there);
      ASSERT_FALSE(fs::exists(from / "box"));
    }
    if (!movedIn(to.path()).empty()) fs::remove_all(movedIn(to.path()));
    fs::remove_all(from / ".zip-tally-hold");
  }
  EXPECT_GT(failed, 30);
}

}  // namespace
}  // namespace zt::test
