// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <unistd.h>

#include <atomic>

#include "core/os/file_system.h"

namespace zt {

/// A folder as the adapters of this layer open it: a file descriptor that it closes.
class LinuxFolder final : public Folder {
public:
  LinuxFolder(int fd, bool keepsAccessTime) : fd_(fd), keepsAccessTime_(keepsAccessTime) {}
  ~LinuxFolder() override { ::close(fd_); }
  LinuxFolder(const LinuxFolder&) = delete;
  LinuxFolder& operator=(const LinuxFolder&) = delete;
  int fd() const { return fd_; }
  /// Whether it was listed before, so that a listing has to begin anew.
  bool listedBefore() const { return listed_.exchange(true, std::memory_order_relaxed); }
  bool keepsAccessTime() const override { return keepsAccessTime_; }

private:
  int fd_;
  mutable std::atomic<bool> listed_{false};
  bool keepsAccessTime_;
};

}  // namespace zt
