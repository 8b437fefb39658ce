// SPDX-License-Identifier: GPL-3.0-or-later
// Where a thing really lies: by bind mounts, overlays, subvolumes and working folders.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/mount.h>
#include <sys/wait.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>

#include "core/catalogue/place_map.h"
#include "core/job/job.h"
#include "support/code_of.h"
#include "support/fakes.h"
#include "support/loop_drive.h"
#include "support/run_program.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;

void put(const std::string& path, std::size_t bytes = 50'000) {
  fs::create_directories(fs::path(path).parent_path());
  std::ofstream(path, std::ios::binary) << std::string(bytes, 'x');
}

/// A mount that is gone when the test is over.
class Mounted {
public:
  Mounted(const std::string& source, const std::string& target, const char* type, unsigned long flags,
          const std::string& options = {})
      : target_(target) {
    fs::create_directories(target);
    done_ = ::mount(source.c_str(), target.c_str(), type, flags, options.c_str()) == 0;
  }
  ~Mounted() {
    if (done_) ::umount2(target_.c_str(), MNT_DETACH);
  }
  Mounted(const Mounted&) = delete;
  Mounted& operator=(const Mounted&) = delete;
  bool done() const { return done_; }

private:
  std::string target_;
  bool done_ = false;
};

struct Whereabouts : ::testing::Test {
  void SetUp() override {
    ZT_NEEDS(drive);
    for (const char* path : {"etc/os-release", "etc/fstab", "etc/passwd", "var/lib/dpkg/status", "usr/bin/sh",
                             "usr/share/doc/tool/copyright", "boot/vmlinuz-6.1", "var/lib/mysql/ibdata1",
                             "home/kim/letters/one.odt", "srv/layer/two.bin"})
      put(drive / path);
    fs::create_directories(drive / "home/kim/desk");
  }
  std::unique_ptr<Job> measured(const std::string& path) {
    auto job = Job::create(real, path, false, {}).value();
    EXPECT_TRUE(job->measurer().measure({}, {}, nullptr));
    return job;
  }
  LoopDrive drive{"ext4", Bytes{64} << 20};
  TempFolder t;
  Workshop real = realWorkshop();
};

TEST_F(Whereabouts, APartOfASystemIsLockedByWhateverPath) {
  const std::pair<const char*, const char*> parts[] = {{"etc", "fstab"},
                                                       {"usr", "bin/sh"},
                                                       {"usr/share/doc", "tool/copyright"},
                                                       {"boot", "vmlinuz-6.1"},
                                                       {"var/lib/mysql", "ibdata1"}};
  for (const auto& [folder, file] : parts) {
    const Mounted bound(drive / folder, t / "bound", nullptr, MS_BIND);
    ASSERT_TRUE(bound.done());
    for (const std::string& from : {drive / folder, t / "bound"}) {
      const auto systems = systemsFrom(real, from);
      ASSERT_TRUE(systems) << from;
      EXPECT_TRUE(PlaceMap(*systems, PathBytes{}).locked(file)) << from;
    }
    auto job = measured(t / "bound");
    EXPECT_FALSE(job->planBook().addPaths({file}, "discard")) << folder;
    ASSERT_TRUE(job->planBook().addTarget("all of it", "100%"));
    EXPECT_TRUE(job->planBook().propose({})->plan.lines.empty()) << folder;
  }
}

TEST_F(Whereabouts, WhereTheTopCannotBeSeenNamesOfSystemsAreLocked) {
  const Mounted etc(drive / "etc", t / "etc", nullptr, MS_BIND);
  const Mounted home(drive / "home", t / "home", nullptr, MS_BIND);
  ASSERT_TRUE(etc.done() && home.done());
  put(drive / "home/kim/.cache/fontconfig/0123456789abcdef0123456789abcdef-le64.cache-7");
  ASSERT_EQ(::umount2(drive.path().c_str(), MNT_DETACH), 0);
  auto job = measured(t / "etc");
  EXPECT_EQ(codeOf(job->planBook().addPaths({"fstab"}, "discard")), Errc::bedrock);
  job = measured(t / "home");
  ASSERT_TRUE(job->planBook().addTarget("all of it", "100%"));
  EXPECT_TRUE(job->planBook().propose({})->plan.lines.empty()) << "nothing is certain";
}

TEST_F(Whereabouts, WhatIsMountedOrWorkedInIsInUse) {
  const Mounted bound(drive / "home/kim/letters", t / "bound", nullptr, MS_BIND);
  fs::create_directories(drive / "srv/upper");
  fs::create_directories(drive / "srv/work");
  const Mounted overlay("overlay", t / "overlay", "overlay", 0,
                        "lowerdir=" + drive / "srv/layer" + ",upperdir=" + drive / "srv/upper" +
                            ",workdir=" + drive / "srv/work");
  ASSERT_TRUE(bound.done() && overlay.done());
  int ready[2];
  ASSERT_EQ(::pipe(ready), 0);
  const pid_t worker = ::fork();
  if (worker == 0) {
    const bool there = ::chdir((drive / "home/kim/desk").c_str()) == 0;
    if (!there || ::write(ready[1], "x", 1) != 1) ::_exit(1);
    for (;;) ::pause();
  }
  char byte = 0;
  ASSERT_EQ(::read(ready[0], &byte, 1), 1);
  auto job = measured(drive.path());
  for (const char* path : {"home/kim/letters", "home/kim/desk", "srv/layer", "srv/layer/two.bin"}) {
    const auto added = job->planBook().addPaths({path}, "discard");
    ASSERT_FALSE(added) << path;
    EXPECT_EQ(codeOf(added), Errc::inUse) << path;
    EXPECT_FALSE(added.error().detail.empty()) << path << ": who?";
  }
  ::kill(worker, SIGKILL);
  ::waitpid(worker, nullptr, 0);
  EXPECT_TRUE(job->planBook().addPaths({"home/kim/desk"}, "discard")) << "it is free again";
}

TEST_F(Whereabouts, ARunningProgramAndWhatItMapsAreInUse) {
  fs::copy_file("/bin/sleep", drive / "srv/sleeper");
  const pid_t worker = ::fork();
  if (worker == 0) {
    ::execl((drive / "srv/sleeper").c_str(), "sleeper", "60", nullptr);
    ::_exit(1);
  }
  std::string comm;
  for (int i = 0; i < 1000 && comm != "sleeper"; ++i, ::usleep(1000))
    std::getline(std::ifstream("/proc/" + std::to_string(worker) + "/comm"), comm);
  auto job = measured(drive.path());
  const auto added = job->planBook().addPaths({"srv/sleeper"}, "discard");
  ASSERT_FALSE(added);
  EXPECT_EQ(codeOf(added), Errc::inUse);
  ::kill(worker, SIGKILL);
  ::waitpid(worker, nullptr, 0);
}

TEST(WhereaboutsOfSubvolumes, TheJobsFileIsRefusedOnAnyOfThem) {
  LoopDrive drive("btrfs", Bytes{300} << 20);
  ZT_NEEDS(drive);
  for (const char* name : {"one", "two"})
    ASSERT_EQ(runProgram({program("btrfs"), "subvolume", "create", drive / name}).status, 0);
  TempFolder t;
  const Mounted other(drive / "two", t / "two", nullptr, MS_BIND);
  ASSERT_TRUE(other.done());
  const auto made = Job::create(realWorkshop(), drive / "one", false, {t / "two/a.ztjob", false});
  ASSERT_FALSE(made);
  EXPECT_EQ(codeOf(made), Errc::onDrive);
}

/// Systems that are told by little: what they are made of is nobody's to take.
TEST_F(Whereabouts, DeploymentsAndSmallSystemsAreBedrock) {
  LoopDrive small("ext4", Bytes{32} << 20);
  ZT_NEEDS(small);
  for (const char* path : {"ostree/repo/objects/aa/1.file", "boot/ostree/tool-1/vmlinuz-6.1", "bin/sh",
                           "sbin/init", "etc/fstab", "lib/ld.so"})
    put(small / path);
  auto job = measured(small.path());
  for (const char* path : {"ostree", "ostree/repo", "ostree/repo/objects/aa/1.file", "boot/ostree", "bin/sh",
                           "etc", "sbin/init", "lib"}) {
    const auto added = job->planBook().addPaths({path}, "discard");
    ASSERT_FALSE(added) << path;
    EXPECT_EQ(codeOf(added), Errc::bedrock) << path;
  }
}

/// An image that is mounted until the test is over, however that ends.
class LoopMount {
public:
  LoopMount(const std::string& image, std::string target) : target_(std::move(target)) {
    done_ = runProgram({"/usr/bin/mount", "-o", "loop", image, target_}).status == 0;
  }
  ~LoopMount() {
    if (done_) ::umount2(target_.c_str(), MNT_DETACH);
  }
  LoopMount(const LoopMount&) = delete;
  LoopMount& operator=(const LoopMount&) = delete;
  bool done() const { return done_; }

private:
  std::string target_;
  bool done_ = false;
};

/// A drive that is not there, another one in its place, and the same one elsewhere are told apart; where it
/// is elsewhere its job goes on.
TEST(WhereaboutsOfADrive, UnpluggedReplacedAndElsewhere) {
  LoopDrive drive("ext4", Bytes{100} << 20);
  LoopDrive other("ext4", Bytes{64} << 20);
  ZT_NEEDS(drive);
  ZT_NEEDS(other);
  put(drive / "old/one.bin", 3'000'000);
  put(drive / "old/keep.bin", 1'000'000);
  const TempFolder t;
  const std::string file = t / "a.ztjob";
  {
    auto job = Job::create(realWorkshop(), drive.path(), false, {file}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    ASSERT_TRUE(job->planBook().addPaths({"old/one.bin"}, "discard"));
  }
  const std::string place = drive.path(), image = drive.image();
  const auto reclaims = [&] {
    auto job = Job::open(realWorkshop(), file).value();
    return job->reclaim(job->consent().token, {});
  };
  ASSERT_TRUE(unmounted(place));
  EXPECT_EQ(codeOf(reclaims()), Errc::away) << "unplugged";
  {
    const Mounted instead(other.path(), place, nullptr, MS_BIND);
    ASSERT_TRUE(instead.done());
    const auto refused = reclaims();
    ASSERT_EQ(codeOf(refused), Errc::changed);
    EXPECT_EQ(refused.error().detail, "another drive lies there now");
  }
  const std::string elsewhere = t / "elsewhere", twin = t / "twin";
  fs::create_directories(elsewhere);
  fs::create_directories(twin);
  must(runProgram({"/bin/cp", image, t / "copy"}).status == 0, "cp");
  const LoopMount again(image, elsewhere);
  {
    const LoopMount copy(t / "copy", twin);
    ASSERT_TRUE(again.done() && copy.done());
    EXPECT_EQ(codeOf(reclaims()), Errc::away) << "there are two, and nobody can tell which it is";
  }
  const auto done = reclaims();
  ASSERT_TRUE(done) << name(done.error().code);
  EXPECT_EQ(done->lines.at(0).state, LineOutcome::State::done);
  EXPECT_FALSE(fs::exists(elsewhere + "/old/one.bin"));
  EXPECT_TRUE(fs::exists(elsewhere + "/old/keep.bin"));
}

/// In a folder that is a root for itself the kernel lists no mount for it, and one works all the same.
TEST(WhereaboutsOfAnotherRoot, IsMeasuredThoughNoMountIsListedForIt) {
  LoopDrive drive("ext4", Bytes{64} << 20);
  ZT_NEEDS(drive);
  const std::string root = drive / "inner";
  for (const char* folder : {"usr", "lib", "lib64", "proc", "data/in", "tmp"})
    std::filesystem::create_directories(root + "/" + folder);
  std::ofstream(root + "/data/in/one", std::ios::binary) << std::string(3'000'000, 'x');
  std::filesystem::copy_file(ZTALLY, root + "/ztally");
  const std::string ask =
      "for f in usr lib lib64 proc; do mount --bind /$f \"$1\"/$f; done; "
      "XDG_DATA_HOME=/tmp XDG_CONFIG_HOME=/tmp exec chroot \"$1\" /ztally measure /data --json";
  const Ran ran = runProgram({"/usr/bin/unshare", "-m", "/bin/sh", "-c", ask, "in", root});
  ASSERT_EQ(ran.status, 0) << ran.out << ran.err;
  EXPECT_NE(ran.out.find("\"fs_type\": \"ext4\""), std::string::npos) << ran.out;
}

}  // namespace
}  // namespace zt::test
