// SPDX-License-Identifier: GPL-3.0-or-later
// Whole jobs with the steps that do more than delete, on real drives, as a technician would type them.
#include <fcntl.h>
#include <sys/stat.h>

#include "jobs/visit.h"
#include "support/drive_files.h"
#include "support/loop_drive.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;

/// A visit to a real drive.
struct RealVisit : Visit {
  void visitReal(const LoopDrive& at, const std::string& target = {}) {
    real = at.path();
    std::vector<std::string> words{ZTALLY, "measure", real, "--job", job};
    if (!target.empty()) words.insert(words.end(), {"--target", target});
    ASSERT_EQ(runProgram(words).status, 0);
  }
  /// Agrees and carries out; gives the bytes that the drive's counter rose by, read by ourselves.
  Bytes carryOutReally(std::vector<std::string> more = {}) {
    const Bytes before = freeOn(real);
    const Json asked = ztally({"reclaim"}).json();
    std::vector<std::string> run{"reclaim", "--consent", asked["consent"]["token"].get<std::string>()};
    run.insert(run.end(), more.begin(), more.end());
    ran = ztally(run);
    EXPECT_EQ(ran.status, 0) << ran.out << ran.err;
    const Bytes after = freeOn(real);
    return after > before ? after - before : 0;
  }
  std::string real;
  Ran ran;
};

/// Job 20, its last part, and job 5: a very large old backup that nobody runs any more goes to another drive,
/// kept in two places.
TEST_F(RealVisit, AVeryLargeOldBackupIsKeptInTwoPlaces) {
  const LoopDrive disk("ext4", 96u << 20), shelf("ext4", 96u << 20), attic("exfat", 96u << 20);
  ZT_NEEDS(disk);
  ZT_NEEDS(shelf);
  ZT_NEEDS(attic);
  putOn(disk / "old-logger/backup-2017.img", noise(40'000'000, 1));
  putOn(disk / "old-logger/readme.txt", "what it was");
  putOn(disk / "work/today.txt", "stays");
  visitReal(disk, "80MB");
  const Json plan = ztally({"plan", "add", "old-logger", "--action", "transfer", "--to", shelf.path(),
                            "--second", attic.path()})
                        .json();
  const Bytes sure = plan["planned"]["sure_bytes"];
  EXPECT_EQ(plan["lines"][0]["regret"], "personal-moved");
  EXPECT_EQ(ztally({"reclaim", "--dry-run"}).status, 0);
  const Json consent = ztally({"reclaim"}).json()["consent"];
  EXPECT_NE(consent["lines"][0]["text"].get<std::string>().find(shelf.path()), std::string::npos)
      << consent.dump();
  const Bytes rose = carryOutReally();
  EXPECT_NEAR(static_cast<double>(rose), static_cast<double>(sure), 262'144.0);
  EXPECT_FALSE(fs::exists(disk / "old-logger"));
  EXPECT_TRUE(fs::exists(disk / "work/today.txt"));
  EXPECT_TRUE(sumsFit(movedIn(shelf.path())) && sumsFit(movedIn(attic.path())));
  const Json proof = ztally({"prove"}).json();
  EXPECT_TRUE(proof["targets"][0]["met"]);
  // What went there comes back from there.
  EXPECT_EQ(ztally({"undo"}).status, 0);
  EXPECT_EQ(sha256sumOf(disk / "old-logger/backup-2017.img"),
            sha256sumOf(movedIn(shelf.path()) + "/old-logger/backup-2017.img"));
}

/// Job 6: a guest's virtual disk does not shrink. It is made compact, and its guest sees what it saw.
TEST_F(RealVisit, AGuestsDiskIsMadeCompact) {
  const LoopDrive disk("ext4", 128u << 20);
  ZT_NEEDS(disk);
  const std::string qemu = program("qemu-img"), image = disk / ".hidden/guest.qcow2";
  fs::create_directories(disk / ".hidden");
  const std::string raw = t / "guest.img";
  std::ofstream(raw, std::ios::binary) << std::string(30'000'000 / 4096 * 4096, '\0');
  ASSERT_EQ(runProgram({program("mkfs.ext4"), "-qF", "-E", "nodiscard", raw}).status, 0);
  ASSERT_EQ(runProgram({qemu, "convert", "-O", "qcow2", "-S", "0", raw, image}).status, 0);
  visitReal(disk);
  const Json seen = ztally({"match"}).json()["images"][0];
  const Bytes least = seen["could_return"]["least_bytes"], most = seen["could_return"]["most_bytes"];
  ASSERT_GT(least, 10'000'000u);
  const Json find = this->find("images", ".hidden/guest.qcow2");
  EXPECT_EQ(find["offers"][0]["action"], "shrink");
  ASSERT_EQ(ztally({"plan", "add", find["id"]}).status, 0);
  const Bytes rose = carryOutReally();
  EXPECT_GE(rose + 262'144, least);
  EXPECT_LE(rose, most + 262'144);
  EXPECT_EQ(runProgram({qemu, "compare", raw, image}).status, 0);
  EXPECT_EQ(ztally({"prove"}).status, 0);
}

/// Jobs 3 and 18: a task needs room only while it runs. The swap file is lent for it, by the program's own
/// proposal; the loan is open until it is paid back, which needs its room again.
TEST_F(RealVisit, RoomForAWhileIsLentAndPaidBack) {
  const LoopDrive disk("ext4", 128u << 20);
  ZT_NEEDS(disk);
  for (const char* file : {"etc/os-release", "usr/lib/os-release", "usr/bin/env", "var/lib/dpkg/status"})
    putOn(disk / file, "ID=debian\n");
  const std::string fstab = "/swapfile none swap sw 0 0\n";
  putOn(disk / "etc/fstab", fstab);
  putOn(disk / "swapfile", std::string(48u << 20, '\0'));
  ::chmod((disk / "swapfile").c_str(), 0600);
  ASSERT_EQ(runProgram({program("mkswap"), disk / "swapfile"}).status, 0);
  if (runProgram({program("swapon"), disk / "swapfile"}).status != 0) {
    ASSERT_TRUE(mayBeSkipped());
    GTEST_SKIP() << "SKIPPED, no swap files here";
  }
  const auto offAtLast = [&](void*) { runProgram({program("swapoff"), disk / "swapfile"}); };
  const std::unique_ptr<void, decltype(offAtLast)> last(&real, offAtLast);
  const std::string need = std::to_string((freeOn(disk.path()) + (20u << 20)) / 1'000'000) + "MB";
  visitReal(disk, "upgrade=" + need + ",while-it-runs");
  const Json plan = ztally({"propose"}).json();
  ASSERT_TRUE(plan["reached"]) << plan.dump();
  ASSERT_EQ(plan["lines"][0]["action"], "switch-off");
  EXPECT_GT(carryOutReally({"--until-met"}), 45'000'000u);
  const Json proof = ztally({"prove", "--until", "5 s"}).json();
  EXPECT_TRUE(proof["targets"][0]["met"]);
  ASSERT_EQ(proof["loans"].size(), 1u);
  EXPECT_EQ(proof["loans"][0]["path"], "swapfile");
  EXPECT_EQ(ztally({"repay"}).status, 0);
  std::ifstream in(disk / "etc/fstab");
  EXPECT_EQ(std::string(std::istreambuf_iterator<char>(in), {}), fstab);
  EXPECT_NE(runProgram({program("swapon"), "--show=NAME", "--noheadings"}).out.find("swapfile"),
            std::string::npos);
  EXPECT_TRUE(ztally({"prove"}).json()["loans"].empty());
  EXPECT_NE(ztally({"repay"}).status, 1);
}

/// Job 16 and `until met`: it stops when the drive's own counter says that it is enough; the rest stays on
/// the plan.
TEST_F(RealVisit, NothingMoreGoesThanIsNeeded) {
  const LoopDrive disk("ext4", 96u << 20);
  ZT_NEEDS(disk);
  std::vector<std::string> add{"plan", "add"};
  for (int i = 0; i < 10; ++i) {
    putOn(disk / ("films/" + std::to_string(i)), noise(5'000'000, static_cast<unsigned long>(i)));
    add.push_back("films/" + std::to_string(i));
  }
  const Bytes free = freeOn(disk.path());
  visitReal(disk, std::to_string((free + 12'000'000) / 1'000'000) + "MB");
  ASSERT_EQ(ztally(add).status, 0);
  const Bytes rose = carryOutReally({"--until-met"});
  EXPECT_GE(rose, 11'500'000u);
  EXPECT_LE(rose, 16'000'000u) << "no more than one file beyond what was needed";
  EXPECT_TRUE(ran.json()["enough"]);
  EXPECT_TRUE(ztally({"prove"}).json()["targets"][0]["met"]);
  EXPECT_GE(ztally({"plan", "show"}).json()["lines"].size(), 6u);
}

/// Job 7, the equal files: kept where they are, stored once.
TEST_F(RealVisit, CopiesAreStoredOnce) {
  const LoopDrive disk("btrfs", 128u << 20);
  ZT_NEEDS(disk);
  putOn(disk / "a/song.flac", noise(12'000'000, 3));
  putOn(disk / "b/song (1).flac", noise(12'000'000, 3));
  ::sync();
  visitReal(disk);
  ASSERT_EQ(ztally({"match"}).status, 0);
  const Json group = ztally({"finds", "--kind", "duplicates"}).json()["finds"][0];
  ASSERT_EQ(ztally({"plan", "add", group["id"], "--action", "share"}).status, 0);
  EXPECT_GE(carryOutReally() + 400'000, 12'000'000u);
  EXPECT_EQ(sha256sumOf(disk / "a/song.flac"), sha256sumOf(disk / "b/song (1).flac"));
  EXPECT_EQ(ztally({"prove"}).status, 0);
}

}  // namespace
}  // namespace zt::test
