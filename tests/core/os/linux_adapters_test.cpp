// SPDX-License-Identifier: GPL-3.0-or-later
// The adapters to the mount table, to open files and to paths, on prepared files and on the real machine.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>

#include "core/os/linux/limits.h"
#include "core/os/linux/linux_mount_table.h"
#include "core/os/linux/linux_open_files.h"
#include "core/os/paths.h"
#include "support/code_of.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

constexpr const char* mountInfo =
    "22 1 8:2 / / rw,relatime - ext4 /dev/sda2 rw\n"
    "23 22 0:21 / /proc rw,nosuid - proc proc rw\n"
    "24 22 8:17 / /mnt/with\\040space ro,noatime - ext4 /dev/sdb1 ro\n"
    "25 22 8:17 /sub /mnt/bound rw - ext4 /dev/sdb1 rw\n"
    "26 22 0:40 / /srv/share rw - nfs4 server:/export rw,vers=4.2\n"
    "27 22 0:41 / /tmp rw - tmpfs tmpfs rw,size=4k\n";

TEST(LinuxMountTable, ReadsTheTableOfTheKernel) {
  TempFolder t;
  t.file("mountinfo", std::string(mountInfo));
  LinuxMountTable table(t / "mountinfo", t / "sys");
  const auto all = table.mounts().value();
  ASSERT_EQ(all.size(), 6u);
  EXPECT_EQ(all[0].id, 22u);
  EXPECT_EQ(all[0].device, (std::uint64_t{8} << 32) | 2);
  EXPECT_EQ(all[0].fsType, "ext4");
  EXPECT_FALSE(all[0].pseudo);
  EXPECT_TRUE(all[1].pseudo);
  EXPECT_EQ(all[2].target, "/mnt/with space");
  EXPECT_TRUE(all[2].readOnly);
  EXPECT_EQ(all[3].root, "/sub");
  EXPECT_TRUE(all[4].network);
  EXPECT_TRUE(all[5].pseudo);
}

TEST(LinuxMountTable, SaysWhenThereIsNoTable) {
  TempFolder t;
  LinuxMountTable table(t / "none");
  EXPECT_FALSE(table.mounts());
}

TEST(LinuxMountTable, ReadsTheHardwareFromSysfs) {
  TempFolder t;
  t.file("sys/devices/sda/queue/rotational", std::string("1\n"));
  t.file("sys/devices/sda/removable", std::string("0\n"));
  t.folder("sys/devices/sda/sda1");
  t.file("sys/devices/stick/queue/rotational", std::string("0\n"));
  t.file("sys/devices/stick/removable", std::string("1\n"));
  t.folder("sys/dev/block");
  t.symlink("../../devices/sda/sda1", "sys/dev/block/8:1");
  t.symlink("../../devices/stick", "sys/dev/block/8:16");
  LinuxMountTable table(t / "mountinfo", t / "sys");
  Mount partition;
  partition.device = (std::uint64_t{8} << 32) | 1;
  const DeviceFacts disk = table.facts(partition);
  EXPECT_TRUE(disk.known);
  EXPECT_TRUE(disk.rotating);
  EXPECT_FALSE(disk.removable);
  Mount whole;
  whole.device = (std::uint64_t{8} << 32) | 16;
  EXPECT_TRUE(table.facts(whole).removable);
  Mount unknown;
  unknown.device = (std::uint64_t{99} << 32) | 1;
  EXPECT_FALSE(table.facts(unknown).known);
}

TEST(LinuxOpenFiles, SeesWhatAnotherProcessHoldsAndWhatHasNoNameLeft) {
  TempFolder t;
  t.file("held", 5000);
  t.file("nameless", 9000);
  int ready[2];
  must(::pipe(ready) == 0, "pipe");
  const pid_t child = ::fork();
  if (child == 0) {
    const int a = ::open((t / "held").c_str(), O_RDONLY);
    const int b = ::open((t / "nameless").c_str(), O_RDONLY);
    ::unlink((t / "nameless").c_str());
    (void)!::write(ready[1], a >= 0 && b >= 0 ? "y" : "n", 1);
    ::pause();
    ::_exit(0);
  }
  char answer = 0;
  must(::read(ready[0], &answer, 1) == 1 && answer == 'y', "child");
  struct stat st;
  must(::stat((t / "held").c_str(), &st) == 0, "stat");
  const auto listing = LinuxOpenFiles().list().value();
  const auto held = std::find_if(listing.files.begin(), listing.files.end(),
                                 [&](const OpenFile& f) { return f.pid == child && f.inode == st.st_ino; });
  EXPECT_NE(held, listing.files.end());
  const auto gone = std::find_if(listing.files.begin(), listing.files.end(),
                                 [&](const OpenFile& f) { return f.pid == child && f.deleted; });
  ASSERT_NE(gone, listing.files.end());
  EXPECT_GE(gone->occupied, 9000u);
  EXPECT_FALSE(gone->holder.empty());
  ::kill(child, SIGKILL);
  ::waitpid(child, nullptr, 0);
  ::close(ready[0]);
  ::close(ready[1]);
}

TEST(Paths, ResolveLinksOnceAndSayWhatIsMissing) {
  TempFolder t;
  t.file("real/file", 1);
  t.symlink("real", "door");
  t.symlink("loop-b", "loop-a");
  t.symlink("loop-a", "loop-b");
  EXPECT_EQ(canonicalPath(t / "door/file").value(), t / "real/file");
  EXPECT_EQ(codeOf(canonicalPath(t / "none")), Errc::notThere);
  EXPECT_EQ(codeOf(canonicalPath(t / "loop-a")), Errc::outsideRoot);
  EXPECT_EQ(canonicalNewPath(t / "door/new").value(), t / "real/new");
  EXPECT_EQ(codeOf(canonicalNewPath(t / "none/new")), Errc::notThere);
  EXPECT_EQ(codeOf(canonicalNewPath(t / "..")), Errc::badInput);
}

TEST(Paths, ExistsWithoutFollowing) {
  TempFolder t;
  t.symlink("nowhere", "dangling");
  EXPECT_TRUE(exists(t / "dangling"));
  EXPECT_FALSE(exists(t / "none"));
}

TEST(Paths, ReadsHeads) {
  TempFolder t;
  t.file("a/b/c/f", std::string("hello"));
  EXPECT_EQ(readHead(t / "a/b/c/f", 3)->bytes, "hel");
  EXPECT_EQ(readHead(t / "a/b/c/f", 3)->size, 5u);
  EXPECT_EQ(readHead(t / "a/b/c/f", 100)->bytes, "hello");
  EXPECT_EQ(codeOf(readHead(t / "none", 3)), Errc::notThere);
}

TEST(RaiseOpenFileLimit, GivesSomethingToWorkWith) {
  EXPECT_GE(raiseOpenFileLimit(), 256u);
}

}  // namespace
}  // namespace zt::test
