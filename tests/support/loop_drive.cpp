// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/loop_drive.h"

#include <sys/mount.h>
#include <unistd.h>

#include <cstdlib>

#include "support/run_program.h"

namespace zt::test {

namespace {
std::string programAt(const std::string& name) {
  for (const char* folder : {"/usr/sbin/", "/sbin/", "/usr/bin/", "/bin/"})
    if (::access((folder + name).c_str(), X_OK) == 0) return folder + name;
  return name;
}
}  // namespace

LoopDrive::LoopDrive(const std::string& type, Bytes size) {
  if (::geteuid() != 0) {
    why_ = "not root";
    return;
  }
  folder_.sparse("image", size);
  folder_.folder("mnt");
  mountPoint_ = folder_ / "mnt";
  const std::string force = type == "ext4" ? "-F" : "-f";
  const Ran made = runProgram({programAt("mkfs." + type), "-q", force, folder_ / "image"});
  if (made.status != 0) {
    why_ = "mkfs." + type + ": " + made.err;
    return;
  }
  const Ran mounted = runProgram({programAt("mount"), "-o", "loop", folder_ / "image", mountPoint_});
  if (mounted.status != 0) why_ = "mount: " + mounted.err;
}

LoopDrive::~LoopDrive() {
  if (mounted()) runProgram({programAt("umount"), "-l", mountPoint_});
}

bool mayBeSkipped() {
  return std::getenv("CI") == nullptr;
}

}  // namespace zt::test
