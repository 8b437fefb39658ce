// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <condition_variable>
#include <mutex>

#include "core/os/forwarding_file_system.h"

namespace zt::test {

/// A file system that makes everyone wait in one folder named `stuck` until it is let go.
class StuckFileSystem final : public ForwardingFileSystem {
public:
  explicit StuckFileSystem(FileSystemPtr below) : ForwardingFileSystem(std::move(below)) {}
  Result<FolderPtr> openFolder(const Folder& at, std::string_view name) override {
    if (name == "stuck") wait();
    return inner_.openFolder(at, name);
  }
  Result<FolderPtr> openBeneath(const Folder& root, std::string_view relative) override {
    for (const auto part : splitPath(relative))
      if (part == "stuck") wait();
    return inner_.openBeneath(root, relative);
  }
  void wait() {
    std::unique_lock lock(mutex);
    ++waiting;
    changed.notify_all();
    changed.wait(lock, [&] { return open; });
    --waiting;
    changed.notify_all();
  }
  void letGo() {
    std::unique_lock lock(mutex);
    open = true;
    changed.notify_all();
    changed.wait(lock, [&] { return waiting == 0; });
  }
  std::mutex mutex;
  std::condition_variable changed;
  int waiting = 0;
  bool open = false;
};

}  // namespace zt::test
