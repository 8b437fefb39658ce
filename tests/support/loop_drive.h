// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/base/bytes.h"
#include "support/temp_folder.h"

namespace zt::test {

/// A real file system on a loop device, mounted for one test. Needs root; `why` says what is missing where it
/// cannot be made.
class LoopDrive {
public:
  /// `type`: ext4, xfs, btrfs, vfat, exfat, ntfs. `options`: of the mount, beside "loop"; `make`: of mkfs.
  LoopDrive(const std::string& type, Bytes size, const std::string& options = {},
            const std::vector<std::string>& make = {});
  ~LoopDrive();
  LoopDrive(const LoopDrive&) = delete;
  LoopDrive& operator=(const LoopDrive&) = delete;

  bool mounted() const { return why_.empty(); }
  const std::string& why() const { return why_; }
  std::string image() const { return folder_ / "image"; }
  /// Mounts it anew with other options.
  bool remount(const std::string& options);
  /// Leaves the image alone, as its system would leave it when it is shut down.
  void unmount();
  const std::string& path() const { return mountPoint_; }
  std::string operator/(const std::string& name) const { return mountPoint_ + "/" + name; }

private:
  TempFolder folder_;
  std::string mountPoint_;
  std::string type_;
  std::string why_;
};

/// Unmounts a place; waits for others who look at all drives and may be looking at this one (5 s at most).
bool unmounted(const std::string& place);

/// Free bytes of the file system that a path lies in, once all that was written has reached it.
Bytes freeOn(const std::string& path);

/// Whether skipping is allowed: CI must not skip system tests.
bool mayBeSkipped();

}  // namespace zt::test

/// Skips loudly where loop drives are not allowed; fails where they must be (CI is set).
#define ZT_NEEDS(drive)                                                                         \
  if (!(drive).mounted()) {                                                                     \
    if (!zt::test::mayBeSkipped()) FAIL() << "loop drives are needed in CI: " << (drive).why(); \
    GTEST_SKIP() << "SKIPPED, no loop drives here: " << (drive).why();                          \
  }
