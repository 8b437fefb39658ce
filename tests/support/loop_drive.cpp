// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/loop_drive.h"

#include <fcntl.h>
#include <sched.h>
#include <sys/mount.h>
#include <sys/statvfs.h>
#include <unistd.h>

#include <cstdlib>
#include <vector>

#include "support/run_program.h"

namespace zt::test {

namespace {

/// What a test mounts is its own: other programs, which look at all drives, are not in its way.
void keepToOneself() {
  [[maybe_unused]] static const bool done =
      ::unshare(CLONE_NEWNS) == 0 && ::mount("none", "/", nullptr, MS_REC | MS_PRIVATE, nullptr) == 0;
}

}  // namespace

LoopDrive::LoopDrive(const std::string& type, Bytes size, const std::string& options,
                     const std::vector<std::string>& make)
    : type_(type) {
  if (::geteuid() != 0) {
    why_ = "not root";
    return;
  }
  keepToOneself();
  folder_.sparse("image", size);
  folder_.folder("mnt");
  mountPoint_ = folder_ / "mnt";
  std::vector<std::string> words{program("mkfs." + type)};
  if (type == "ext4") words.insert(words.end(), {"-q", "-F"});
  if (type == "xfs" || type == "btrfs") words.insert(words.end(), {"-q", "-f"});
  if (type == "ntfs") words.insert(words.end(), {"-q", "-Q", "-F"});
  words.insert(words.end(), make.begin(), make.end());
  words.push_back(image());
  const Ran made = runProgram(words);
  if (made.status != 0) {
    why_ = "mkfs." + type + ": " + made.err;
    return;
  }
  remount(options);
}

bool unmounted(const std::string& place) {
  for (int tries = 0; tries < 100; ++tries) {
    const Ran ran = runProgram({program("umount"), place});
    if (ran.err.find("busy") == std::string::npos) return ran.status == 0;
    ::usleep(50'000);
  }
  return false;
}

void LoopDrive::unmount() {
  (void)unmounted(mountPoint_);
}

bool LoopDrive::remount(const std::string& options) {
  unmount();
  const std::string all = options.empty() ? "loop" : "loop," + options;
  std::vector<std::string> mount{program("mount")};
  if (type_ == "ntfs") mount.insert(mount.end(), {"-t", "ntfs-3g"});
  if (type_ == "exfat") mount.insert(mount.end(), {"-t", "exfat-fuse"});
  mount.insert(mount.end(), {"-o", all, image(), mountPoint_});
  const Ran mounted = runProgram(mount);
  why_ = mounted.status == 0 ? "" : "mount: " + mounted.err;
  return mounted.status == 0;
}

LoopDrive::~LoopDrive() {
  if (mounted()) runProgram({program("umount"), "-l", mountPoint_});
}

Bytes freeOn(const std::string& path) {
  const int fd = ::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  must(fd >= 0 && ::syncfs(fd) == 0, "sync");
  ::close(fd);
  struct statvfs v {};
  must(::statvfs(path.c_str(), &v) == 0, "statvfs");
  return Bytes{v.f_bavail} * v.f_frsize;
}

bool mayBeSkipped() {
  return std::getenv("CI") == nullptr;
}

}  // namespace zt::test
