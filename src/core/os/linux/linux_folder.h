// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <unistd.h>

#include <atomic>

#include "core/os/file_system.h"
#include "core/os/linux/reading_mount.h"

namespace zt {

/// A folder as the adapters of this layer open it: a file descriptor that it closes. One that was opened
/// through a reading mount keeps access times whosever it is, and so does what is opened from it.
class LinuxFolder final : public Folder {
public:
  LinuxFolder(int fd, bool keepsAccessTime, ReadingMountPtr mount = nullptr)
      : fd_(fd),
        mount_(std::move(mount)),
        keepsAccessTime_(keepsAccessTime || (mount_ != nullptr && mount_->quiet)) {}
  ~LinuxFolder() override { ::close(fd_); }
  LinuxFolder(const LinuxFolder&) = delete;
  LinuxFolder& operator=(const LinuxFolder&) = delete;
  int fd() const { return fd_; }
  /// Whether it was listed before, so that a listing has to begin anew.
  bool listedBefore() const { return listed_.exchange(true, std::memory_order_relaxed); }
  bool keepsAccessTime() const override { return keepsAccessTime_.load(std::memory_order_relaxed); }
  /// Its names were read in another way, which left no trace.
  void readElsewhere() const { keepsAccessTime_.store(true, std::memory_order_relaxed); }
  const ReadingMountPtr& mount() const { return mount_; }

private:
  int fd_;
  ReadingMountPtr mount_;
  mutable std::atomic<bool> listed_{false};
  mutable std::atomic<bool> keepsAccessTime_;
};

}  // namespace zt
