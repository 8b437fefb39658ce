// SPDX-License-Identifier: GPL-3.0-or-later
// Drives with no room, and things that will not go.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <linux/fs.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>

#include "core/job/job.h"
#include "support/code_of.h"
#include "support/fakes.h"
#include "support/loop_drive.h"
#include "support/run_program.h"

namespace zt::test {
namespace {

void write(const std::string& path, std::size_t size) {
  std::filesystem::create_directories(std::filesystem::path(path).parent_path());
  std::ofstream(path, std::ios::binary) << std::string(size, 'x');
  const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
  ::fsync(fd);
  ::close(fd);
}

struct statvfs countersOf(const std::string& path) {
  struct statvfs v {};
  must(::statvfs(path.c_str(), &v) == 0, path);
  return v;
}

std::unique_ptr<Job> measured(const std::string& path) {
  auto job = Job::create(realWorkshop(), path, false, {}).value();
  must(job->measurer().measure({}, {}, nullptr).has_value(), "measure");
  return job;
}

/// Runs the program as an ordinary user, whose own files lie in `home`.
Ran asNobody(const std::string& home, const std::vector<std::string>& arguments) {
  std::vector<std::string> words{"/usr/bin/env", "ZTALLY_HELPER="};  // nobody who could be asked for rights
  for (const char* base : {"HOME", "XDG_STATE_HOME", "XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"})
    words.push_back(base + ("=" + home));
  words.insert(words.end(), {"/usr/bin/setpriv", "--reuid=65534", "--regid=65534", "--clear-groups", ZTALLY});
  words.insert(words.end(), arguments.begin(), arguments.end());
  return runProgram(words);
}

/// A drive that an ordinary user may reach, and a place for his own files.
class OrdinaryUser {
public:
  explicit OrdinaryUser(const LoopDrive& drive) : drive_(drive) {
    must(::chmod(std::string(parentPath(drive.path())).c_str(), 0755) == 0, "chmod");
    must(::chown(home_.path().c_str(), 65534, 65534) == 0, "chown");
  }
  void owns(std::initializer_list<const char*> paths) const {
    for (const char* path : paths) must(::chown((drive_ / path).c_str(), 65534, 65534) == 0, path);
  }
  std::string job() const { return home_ / "a.ztjob"; }
  Ran measure() const { return asNobody(home_.path(), {"measure", drive_.path(), "--job", job()}); }
  Ran add(const std::string& path) const {
    return asNobody(home_.path(), {"plan", "--job", job(), "--json", "add", path});
  }

private:
  const LoopDrive& drive_;
  TempFolder home_;
};

/// Free for an ordinary user is 0, and half of what is kept back for root is used up.
class ReserveUsedUp : public ::testing::Test {
protected:
  void SetUp() override {
    ZT_NEEDS(drive);
    write(drive / "home/kim/large.bin", 15'000'000);
    write(drive / "home/kim/small.bin", 500'000);
    for (int i = 0; countersOf(drive.path()).f_bfree * 4096 > 5'000'000; ++i)
      write(drive / ("srv/filling" + std::to_string(i)), 400'000);
    ASSERT_EQ(countersOf(drive.path()).f_bavail, 0u);
  }
  LoopDrive drive{"ext4", Bytes{200} << 20, "", {"-b", "4096", "-m", "5"}};
};

TEST_F(ReserveUsedUp, SureIsWhatIsLeftOfAGainWhenItIsFull) {
  auto job = measured(drive.path());
  Target target;
  target.bytes = 12'000'000;
  ASSERT_TRUE(job->planBook().setTargets({target}));
  ASSERT_TRUE(job->planBook().addPaths({"home/kim/large.bin"}, "discard"));
  const PlannedGain planned = job->planBook().planned();
  ASSERT_TRUE(planned.refillKnown);
  EXPECT_GT(planned.refills, 4'000'000u);
  EXPECT_EQ(planned.sure + planned.refills, Bytes{15'003'648});
  EXPECT_FALSE(outlook({target}, job->reading().free, planned)[0].met);
  const auto& parts = job->surveys().survey()->statement.parts;
  EXPECT_TRUE(std::any_of(parts.begin(), parts.end(), [&](const StatementPart& p) {
    return p.id == "refilled-first" && static_cast<Bytes>(p.bytes) == planned.refills;
  })) << "the gap is told";
  ASSERT_TRUE(job->reclaim(job->planBook().consent().token, {}));
  EXPECT_EQ(freeOn(drive.path()), planned.sure) << "of which nothing was free before";
  const Proof proof = job->prove().value();
  EXPECT_EQ(proof.promised, planned.sure);
  ASSERT_EQ(proof.lines.size(), 1u);
  ASSERT_EQ(proof.lines[0].reasons.size(), 1u);
  EXPECT_EQ(proof.lines[0].reasons[0].kind, ProofReason::Kind::refilled);
  EXPECT_EQ(proof.lines[0].reasons[0].bytes, -static_cast<SignedBytes>(planned.refills));
}

TEST_F(ReserveUsedUp, AGainThatItSwallowsReachesNothing) {
  auto job = measured(drive.path());
  ASSERT_TRUE(job->planBook().addPaths({"home/kim/small.bin"}, "discard"));
  EXPECT_EQ(job->planBook().planned().sure, 0u);
  EXPECT_EQ(job->planBook().planned().atMost, 0u);
  ASSERT_TRUE(job->reclaim(job->planBook().consent().token, {}));
  EXPECT_EQ(freeOn(drive.path()), 0u);
}

TEST_F(ReserveUsedUp, WhoMayNotAskPromisesNothing) {
  const OrdinaryUser user(drive);
  user.owns({"home/kim", "home/kim/large.bin"});
  ASSERT_EQ(user.measure().status, 0);
  const auto planned = user.add("home/kim/large.bin").json()["planned"];
  EXPECT_TRUE(planned["refills_bytes"].is_null()) << planned.dump();
  EXPECT_EQ(planned["sure_bytes"], 0);
  EXPECT_GE(planned["at_most_bytes"], 15'000'000);
}

/// A thing that nobody may remove is refused when it is planned, with all that it lies in.
TEST(ThatWillNotGo, ImmutableIsRefusedWhenPlanned) {
  LoopDrive drive("ext4", Bytes{64} << 20);
  ZT_NEEDS(drive);
  write(drive / "a/deep/fixed.bin", 2'000'000);
  write(drive / "a/free.bin", 3'000'000);
  write(drive / "b/log.bin", 1'000'000);
  const auto setFlags = [&](const std::string& path, int flags) {
    const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
    must(::ioctl(fd, FS_IOC_SETFLAGS, &flags) == 0, path);
    ::close(fd);
  };
  setFlags(drive / "a/deep/fixed.bin", FS_IMMUTABLE_FL | FS_EXTENT_FL);
  setFlags(drive / "b/log.bin", FS_APPEND_FL | FS_EXTENT_FL);
  auto job = measured(drive.path());
  for (const char* path : {"a", "a/deep", "a/deep/fixed.bin", "b", "b/log.bin"})
    for (const char* step : {"discard", "hold"})
      EXPECT_EQ(codeOf(job->planBook().addPaths({path}, step)), Errc::notPermitted) << path;
  EXPECT_TRUE(job->planBook().addPaths({"a/free.bin"}, "discard"));
  setFlags(drive / "a/deep/fixed.bin", FS_EXTENT_FL);
  setFlags(drive / "b/log.bin", FS_EXTENT_FL);
}

/// So is what lies in somebody else's folder; what is somebody's own goes, in a folder of everybody's too.
TEST(ThatWillNotGo, WhatLiesInAnothersFolderIsRefusedWhenPlanned) {
  LoopDrive drive("ext4", Bytes{64} << 20);
  ZT_NEEDS(drive);
  write(drive / "home/kim/cache/roots/x.bin", 2'000'000);
  write(drive / "home/kim/cache/own.bin", 3'000'000);
  write(drive / "shared/own.bin", 1'000'000);
  write(drive / "shared/others.bin", 1'000'000);
  const OrdinaryUser user(drive);
  user.owns({"home/kim", "home/kim/cache", "home/kim/cache/own.bin", "shared/own.bin"});
  must(::chmod((drive / "shared").c_str(), 01777) == 0, "chmod");
  ASSERT_EQ(user.measure().status, 0);
  for (const char* path : {"home/kim", "home/kim/cache", "home/kim/cache/roots/x.bin", "shared/others.bin"}) {
    const Ran refused = user.add(path);
    EXPECT_NE(refused.status, 0) << path << refused.out;
  }
  for (const char* path : {"home/kim/cache/own.bin", "shared/own.bin"}) {
    const Ran added = user.add(path);
    EXPECT_EQ(added.status, 0) << path << added.err;
  }
}

/// Half of the data lies twice, half once: nobody says which file is which.
TEST(HalfConverted, SureIsByTheFewestCopies) {
  LoopDrive drive("btrfs", Bytes{2} << 30);
  ZT_NEEDS(drive);
  for (int i = 0; i < 30; ++i) write(drive / ("d/f" + std::to_string(i)), 20'000'000);
  ::sync();
  const auto btrfs = [&](std::vector<std::string> words) {
    words.insert(words.begin(), "/usr/bin/btrfs");
    const Ran ran = runProgram(words);
    must(ran.status == 0, words[1] + ": " + ran.err);
    return ran.out;
  };
  btrfs({"balance", "start", "-dconvert=dup,limit=1", drive.path()});
  const std::string profiles = btrfs({"filesystem", "df", drive.path()});
  ASSERT_NE(profiles.find("Data, DUP"), std::string::npos) << profiles;
  ASSERT_NE(profiles.find("Data, single"), std::string::npos) << profiles;
  for (const int step : {0, 1}) {
    auto job = Job::create(realWorkshop(), drive.path(), false, {}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    for (int i = step; i < 30; i += 3)
      ASSERT_TRUE(job->planBook().addPaths({"d/f" + std::to_string(i)}, "discard"));
    const PlannedGain gain = job->planBook().planned();
    EXPECT_GT(gain.atMost, gain.sure);
    const Bytes before = freeOn(drive.path());
    ASSERT_TRUE(job->reclaim(job->consent().token, {}));
    btrfs({"filesystem", "sync", drive.path()});
    const Bytes rose = freeOn(drive.path()) - before;
    EXPECT_LE(gain.sure, rose + 65'536);
    EXPECT_GE(gain.atMost + 65'536, rose);
    std::printf("sure %.1f MB, rose %.1f MB, at most %.1f MB\n", static_cast<double>(gain.sure) / 1e6,
                static_cast<double>(rose) / 1e6, static_cast<double>(gain.atMost) / 1e6);
  }
}

/// What came since the survey and holds the bytes of what is planned: nothing would come free, so nothing
/// goes, and who holds them is said.
class HeldSince : public ::testing::TestWithParam<const char*> {};

TEST_P(HeldSince, NothingGoesThatWouldFreeNothing) {
  const bool btrfs = GetParam() == std::string("btrfs");
  LoopDrive drive(GetParam(), Bytes{400} << 20);
  ZT_NEEDS(drive);
  if (btrfs)
    must(runProgram({"/usr/bin/btrfs", "-q", "subvolume", "create", drive / "vol"}).status == 0, "create");
  write(drive / "vol/one", 6'000'000);
  write(drive / "vol/in/two", 6'000'000);
  write(drive / "vol/three", 6'000'000);
  ::sync();
  auto job = Job::create(realWorkshop(), drive.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  for (const char* path : {"vol/one", "vol/in", "vol/three"})
    ASSERT_TRUE(job->planBook().addPaths({path}, "discard"));
  EXPECT_GE(job->planBook().planned().sure, 18'000'000u);
  if (btrfs)
    must(runProgram({"/usr/bin/btrfs", "-q", "subvolume", "snapshot", "-r", drive / "vol", drive / "hourly"})
                 .status == 0,
         "snapshot");
  else
    for (const char* path : {"one", "in/two"})
      must(runProgram({"/bin/cp", "--reflink=always", drive / "vol/" + path, drive / "vol/c"}).status == 0 &&
               ::rename((drive / "vol/c").c_str(), (drive / "copy-of-").append(1, path[0]).c_str()) == 0,
           "cp");
  ::sync();
  const auto report = job->reclaim(job->consent().token, {});
  ASSERT_TRUE(report);
  ASSERT_EQ(report->lines.size(), 3u);
  for (const LineOutcome& line : report->lines) {
    const bool alone = !btrfs && line.problems.empty();
    EXPECT_EQ(line.state, alone ? LineOutcome::State::done : LineOutcome::State::refused);
    for (const JournalRecord& r : line.problems) {
      EXPECT_EQ(r.problem, Errc::pinned);
      if (btrfs) {
        EXPECT_EQ(r.detail, "snapshot hourly");
      }
    }
  }
  EXPECT_EQ(std::count_if(report->lines.begin(), report->lines.end(),
                          [](const auto& l) { return l.state == LineOutcome::State::done; }),
            btrfs ? 0 : 1);
  EXPECT_TRUE(std::filesystem::exists(drive / "vol/one") && std::filesystem::exists(drive / "vol/in/two"));
  // Measured again it is known, and promised no more than comes.
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  EXPECT_LE(job->planBook().planned().sure, 100'000u);
}

INSTANTIATE_TEST_SUITE_P(Loop, HeldSince, ::testing::Values("xfs", "btrfs"),
                         [](const auto& one) { return std::string(one.param); });

/// Two lines that hold bytes together: each line's proof is what it was promised, in the order of the plan.
TEST(SharedByTwoLines, TheProofTellsNothingThatDidNotHappen) {
  LoopDrive drive("xfs", Bytes{400} << 20);
  ZT_NEEDS(drive);
  write(drive / "one", 6'000'000);
  must(runProgram({"/bin/cp", "--reflink=always", drive / "one", drive / "two"}).status == 0, "cp");
  std::ofstream(drive / "two", std::ios::binary | std::ios::app) << std::string(2'000'000, 'z');
  ::sync();
  auto job = Job::create(realWorkshop(), drive.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  for (const char* path : {"one", "two"}) ASSERT_TRUE(job->planBook().addPaths({path}, "discard"));
  ASSERT_TRUE(job->reclaim(job->consent().token, {}));
  const auto proof = job->prove();
  ASSERT_TRUE(proof);
  ASSERT_EQ(proof->lines.size(), 2u);
  for (const ProofLine& line : proof->lines) {
    EXPECT_NEAR(static_cast<double>(line.actual), static_cast<double>(line.promised.sure), 65'536);
    for (const ProofReason& r : line.reasons) EXPECT_LT(std::abs(r.bytes), 65'536) << name(r.kind);
  }
}

/// Tiny files that lie among the records of the file system free nothing, whatever their block count says.
class TinyFiles : public ::testing::TestWithParam<const char*> {};

TEST_P(TinyFiles, FreeNothingWhereTheyLieInRecords) {
  const bool ext4 = GetParam() == std::string("ext4");
  LoopDrive drive(GetParam(), Bytes{100} << 20, {},
                  ext4 ? std::vector<std::string>{"-O", "inline_data"} : std::vector<std::string>{});
  ZT_NEEDS(drive);
  std::filesystem::create_directory(drive / "tiny");
  std::filesystem::create_directory(drive / "tiny/in");
  for (int i = 0; i < 2000; ++i)
    std::ofstream(drive / ("tiny/in/f" + std::to_string(i)))
        << std::string(20 + static_cast<std::size_t>(i) % 40, 'x');
  std::ofstream(drive / "tiny/large") << std::string(40'000, 'y');
  ::sync();
  auto job = Job::create(realWorkshop(), drive.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  ASSERT_TRUE(job->planBook().addPaths({"tiny/in", "tiny/large"}, "discard"));
  const PlannedGain gain = job->planBook().planned();
  const Bytes before = freeOn(drive.path());
  const auto report = job->reclaim(job->consent().token, {});
  ASSERT_TRUE(report);
  for (const LineOutcome& line : report->lines) EXPECT_EQ(line.state, LineOutcome::State::done);
  const Bytes rose = freeOn(drive.path()) - before;
  EXPECT_LE(gain.sure, rose);
  EXPECT_GE(gain.sure, 40'000u);
  if (ext4) {
    EXPECT_GE(gain.atMost, rose);
  }
  std::printf("%s: sure %llu, rose %llu\n", GetParam(), static_cast<unsigned long long>(gain.sure),
              static_cast<unsigned long long>(rose));
}

INSTANTIATE_TEST_SUITE_P(Loop, TinyFiles, ::testing::Values("ext4", "ntfs"),
                         [](const auto& one) { return std::string(one.param); });

}  // namespace
}  // namespace zt::test
