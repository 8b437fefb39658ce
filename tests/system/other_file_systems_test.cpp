// SPDX-License-Identifier: GPL-3.0-or-later
// XFS, Btrfs and small or full drives, on loop devices.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/mount.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>

#include "support/loop_drive.h"
#include "support/run_program.h"

namespace zt::test {
namespace {

void write(const std::string& path, std::size_t size) {
  std::filesystem::create_directories(std::filesystem::path(path).parent_path());
  std::ofstream(path, std::ios::binary) << std::string(size, 'x');
}

std::string consent(const std::string& job) {
  return runProgram({ZTALLY, "reclaim", "--job", job, "--json"}).json()["consent"]["token"];
}

class OtherFileSystems : public ::testing::TestWithParam<std::pair<const char*, Bytes>> {};

TEST_P(OtherFileSystems, MeasureReclaimAndProve) {
  LoopDrive drive(GetParam().first, GetParam().second);
  ZT_NEEDS(drive);
  for (int i = 0; i < 40; ++i)
    write(drive / ("set" + std::to_string(i % 4) + "/file" + std::to_string(i)), 1'000'000);
  ::sync();
  TempFolder t;
  const std::string job = t / "a.ztjob";
  const auto j = runProgram({ZTALLY, "measure", drive.path(), "--job", job, "--json"}).json();
  EXPECT_EQ(j["files"], 40);
  std::int64_t sum = 0;
  for (const auto& line : j["statement"]["lines"]) sum += line["bytes"].get<std::int64_t>();
  EXPECT_EQ(sum, j["statement"]["capacity_bytes"].get<std::int64_t>()) << "it adds up on every file system";
  const auto used = static_cast<double>(sum - j["statement"]["lines"][0]["bytes"].get<std::int64_t>());
  const auto unexplained = std::abs(j["statement"]["unexplained_bytes"].get<double>());
  std::printf("%s: unexplained / used %.6f\n", GetParam().first, unexplained / used);
  // XFS keeps some 170 kB of headers and tree roots that no call itemises; they weigh only on a drive as
  // small as this.
  EXPECT_LE(unexplained / used, GetParam().first == std::string("xfs") ? 0.005 : 0.001);
  ASSERT_EQ(runProgram({ZTALLY, "plan", "--job", job, "add", "set0", "set1"}).status, 0);
  ASSERT_EQ(runProgram({ZTALLY, "plan", "--job", job, "add", "--action", "hold", "set2"}).status, 0);
  ASSERT_EQ(runProgram({ZTALLY, "reclaim", "--job", job, "--consent", consent(job)}).status, 0);
  EXPECT_FALSE(std::filesystem::exists(drive / "set0"));
  const auto proof = runProgram({ZTALLY, "prove", "--job", job, "--json"}).json();
  EXPECT_GE(proof["actual_bytes"].get<Bytes>(), 20'000'000u);
  EXPECT_EQ(runProgram({ZTALLY, "undo", "--job", job}).status, 0);
  EXPECT_TRUE(std::filesystem::exists(drive / "set2/file2"));
}

/// A user's folder that is a mount of its own: not looked into, said, and what holds it cannot go.
TEST(MountedUserFolder, IsNotGoneInto) {
  LoopDrive drive("ext4", Bytes{64} << 20);
  ZT_NEEDS(drive);
  write(drive / "etc/os-release", 10);
  write(drive / "usr/bin/sh", 10);
  write(drive / "var/lib/dpkg/status", 10);
  std::filesystem::create_directories(drive / "home/kim");
  must(::mount("tmpfs", (drive / "home/kim").c_str(), "tmpfs", 0, "size=8m") == 0, "mount a user's folder");
  write(drive / "home/kim/.cache/tool/data", 400'000);
  write(drive / "home/kim/Downloads/setup.exe", 400'000);
  TempFolder t;
  const std::string job = t / "a.ztjob";
  const auto measured = runProgram({ZTALLY, "measure", drive.path(), "--job", job, "--json"});
  const auto found = runProgram({ZTALLY, "finds", "--job", job, "--json"}).json();
  const int whole = runProgram({ZTALLY, "plan", "--job", job, "add", "home"}).status;
  const int inside = runProgram({ZTALLY, "plan", "--job", job, "add", "home/kim/Downloads"}).status;
  must(::umount2((drive / "home/kim").c_str(), MNT_DETACH) == 0, "unmount a user's folder");
  EXPECT_EQ(measured.status, 0);
  for (const auto& f : found["finds"])
    for (const auto& item : f["items"])
      EXPECT_FALSE(item["path"].get<std::string>().starts_with("home/kim/")) << item["path"];
  EXPECT_EQ(whole, 4) << "what holds a mount stays";
  EXPECT_NE(inside, 0);
}

INSTANTIATE_TEST_SUITE_P(Loop, OtherFileSystems,
                         ::testing::Values(std::pair<const char*, Bytes>{"xfs", Bytes{400} << 20},
                                           std::pair<const char*, Bytes>{"btrfs", Bytes{300} << 20}),
                         [](const auto& one) { return std::string(one.param.first); });

TEST(Btrfs, HoldsWithinTheSubvolumeOfTheItem) {
  LoopDrive drive("btrfs", Bytes{300} << 20);
  ZT_NEEDS(drive);
  ASSERT_EQ(runProgram({program("btrfs"), "subvolume", "create", drive / "vol"}).status, 0);
  write(drive / "vol/in/file", 2'000'000);
  TempFolder t;
  const std::string job = t / "a.ztjob";
  const auto j = runProgram({ZTALLY, "measure", drive.path(), "--job", job, "--json"}).json();
  EXPECT_EQ(j["files"], 1) << "subvolumes belong to their mount";
  runProgram({ZTALLY, "plan", "--job", job, "add", "--action", "hold", "vol/in"});
  const Ran ran = runProgram({ZTALLY, "reclaim", "--job", job, "--consent", consent(job), "--json"});
  ASSERT_EQ(ran.status, 0) << ran.out << ran.err;
  EXPECT_TRUE(std::filesystem::exists(drive / "vol/.zip-tally-hold"));
  EXPECT_EQ(runProgram({ZTALLY, "undo", "--job", job}).status, 0);
  EXPECT_TRUE(std::filesystem::exists(drive / "vol/in/file"));
  EXPECT_FALSE(std::filesystem::exists(drive / "vol/.zip-tally-hold"));
}

struct FullDrive : ::testing::TestWithParam<std::pair<const char*, Bytes>> {
  /// Takes the last byte, and then the last entry that can be made: nothing can be made any more, by root
  /// either.
  static void fill(const std::string& top) {
    const int big = ::open((top + "/filler").c_str(), O_WRONLY | O_CREAT | O_CLOEXEC, 0600);
    must(big >= 0, "filler");
    for (std::size_t size : {std::size_t{1} << 20, std::size_t{4096}, std::size_t{512}})
      for (const std::string bytes(size, 'f'); ::write(big, bytes.data(), size) > 0;) continue;
    ::fsync(big);
    ::close(big);
    ::sync();
    for (int i = 0; ::mkdir((top + "/last" + std::to_string(i)).c_str(), 0700) == 0; ++i) ::sync();
  }
};

/// The reserve of root's, which is filled up first, among it.
Bytes allFree(const std::string& path) {
  (void)freeOn(path);  // writes out what waits
  struct statvfs v {};
  must(::statvfs(path.c_str(), &v) == 0, "statvfs");
  return Bytes{v.f_bfree} * v.f_frsize;
}

/// On a drive without a block nothing can be set aside; what is to go at once goes where it stands.
TEST_P(FullDrive, CanBeRelieved) {
  LoopDrive drive(GetParam().first, GetParam().second);
  ZT_NEEDS(drive);
  for (const char* name : {"a", "p/d/b", "p/d/c/e", "e/f/g", "keep"}) write(drive / name, 1'000'000);
  fill(drive.path());
  TempFolder t;
  const std::string job = t / "a.ztjob";
  ASSERT_EQ(runProgram({ZTALLY, "measure", drive.path(), "--job", job}).status, 0);
  ASSERT_EQ(runProgram({ZTALLY, "plan", "--job", job, "add", "--action", "hold", "keep"}).status, 0);
  const Ran kept = runProgram({ZTALLY, "reclaim", "--job", job, "--consent", consent(job)});
  EXPECT_NE(kept.status, 0) << "there is no room to set it aside";
  EXPECT_TRUE(std::filesystem::exists(drive / "keep"));
  const auto plan = runProgram({ZTALLY, "plan", "--job", job, "show", "--json"}).json();
  for (const auto& line : plan["lines"])
    ASSERT_EQ(runProgram({ZTALLY, "plan", "--job", job, "drop", line["id"].get<std::string>()}).status, 0);
  ASSERT_EQ(
      runProgram({ZTALLY, "plan", "--job", job, "add", "--action", "discard", "a", "p/d", "e/f/g"}).status,
      0);
  const Bytes before = allFree(drive.path());
  const Ran ran = runProgram({ZTALLY, "reclaim", "--job", job, "--consent", consent(job), "--json"});
  EXPECT_EQ(ran.status, 0) << ran.out << ran.err;
  for (const char* gone : {"a", "p/d", "e/f/g"}) EXPECT_FALSE(std::filesystem::exists(drive / gone)) << gone;
  EXPECT_TRUE(std::filesystem::exists(drive / "keep"));
  EXPECT_FALSE(std::filesystem::exists(drive / ".zip-tally-hold"));
  EXPECT_GE(allFree(drive.path()), before + 3'900'000);
  EXPECT_EQ(runProgram({ZTALLY, "prove", "--job", job}).status, 0);
}
INSTANTIATE_TEST_SUITE_P(Loop, FullDrive,
                         ::testing::Values(std::pair<const char*, Bytes>{"ext4", Bytes{64} << 20},
                                           std::pair<const char*, Bytes>{"xfs", Bytes{320} << 20},
                                           std::pair<const char*, Bytes>{"exfat", Bytes{64} << 20}),
                         [](const auto& one) { return std::string(one.param.first); });

/// No inode is left: nothing can be made, though there is room.
TEST(FullOfEntries, CanBeRelieved) {
  LoopDrive drive("ext4", Bytes{16} << 20);
  ZT_NEEDS(drive);
  // Not at the top: other programs' looks at all drives, side by side with this test, would hold it for a
  // moment.
  std::filesystem::create_directories(drive / "box/er/many");
  write(drive / "a", 100'000);
  for (int i = 0;; ++i) {
    const int fd =
        ::open((drive / ("box/er/many/" + std::to_string(i))).c_str(), O_WRONLY | O_CREAT | O_CLOEXEC, 0600);
    if (fd < 0) break;
    ::close(fd);
  }
  TempFolder t;
  const std::string job = t / "a.ztjob";
  ASSERT_EQ(runProgram({ZTALLY, "measure", drive.path(), "--job", job}).status, 0);
  ASSERT_EQ(
      runProgram({ZTALLY, "plan", "--job", job, "add", "--action", "discard", "a", "box/er/many"}).status, 0);
  const Ran ran = runProgram({ZTALLY, "reclaim", "--job", job, "--consent", consent(job), "--json"});
  EXPECT_EQ(ran.status, 0) << ran.out.substr(0, 2000) << ran.err;
  EXPECT_FALSE(std::filesystem::exists(drive / "box/er/many"));
  EXPECT_FALSE(std::filesystem::exists(drive / "a"));
}

/// The disk that the job file lies on fills up: nothing is lost, and it is said.
TEST(JobDisk, FullMeansNothingIsTouched) {
  if (::geteuid() != 0) GTEST_SKIP() << "SKIPPED, not root";
  TempFolder t;
  t.folder("small");
  if (::mount("none", (t / "small").c_str(), "tmpfs", 0, "size=600k") != 0) {
    if (!mayBeSkipped()) FAIL() << "tmpfs is needed in CI";
    GTEST_SKIP() << "SKIPPED, no tmpfs here";
  }
  for (int i = 0; i < 30; ++i) t.file("drive/f" + std::to_string(i), 30'000);
  const std::string job = t / "small/a.ztjob";
  ASSERT_EQ(runProgram({ZTALLY, "measure", t / "drive", "--job", job}).status, 0);
  ASSERT_EQ(runProgram({ZTALLY, "plan", "--job", job, "add", "f1", "f2", "f3"}).status, 0);
  const std::string token = consent(job);
  std::ofstream(t / "small/filler", std::ios::binary) << std::string(2'000'000, 'x');
  const Ran ran = runProgram({ZTALLY, "reclaim", "--job", job, "--consent", token});
  EXPECT_EQ(ran.status, 1) << ran.err;
  int left = 0;
  for (int i = 0; i < 30; ++i) left += t.has("drive/f" + std::to_string(i));
  std::filesystem::remove(t / "small/filler");
  EXPECT_EQ(left, 30) << ran.err;
  const Ran settled = runProgram({ZTALLY, "prove", "--job", job, "--json"});
  EXPECT_EQ(settled.status, 0) << settled.err;
  ::umount2((t / "small").c_str(), MNT_DETACH);
}

TEST(ReadOnlyDrive, IsRefusedWithAReasonAndLosesNothing) {
  LoopDrive drive("ext4", Bytes{64} << 20);
  ZT_NEEDS(drive);
  write(drive / "a", 100'000);
  ASSERT_EQ(runProgram({program("mount"), "-o", "remount,ro", drive.path()}).status, 0);
  TempFolder t;
  const std::string job = t / "a.ztjob";
  ASSERT_EQ(runProgram({ZTALLY, "measure", drive.path(), "--job", job}).status, 0)
      << "measuring writes nothing";
  runProgram({ZTALLY, "plan", "--job", job, "add", "a"});
  const Ran ran = runProgram({ZTALLY, "reclaim", "--job", job, "--consent", consent(job)});
  EXPECT_EQ(ran.status, 3);
  EXPECT_NE(ran.out.find("rights"), std::string::npos) << ran.out;
  EXPECT_TRUE(std::filesystem::exists(drive / "a"));
}

}  // namespace
}  // namespace zt::test
