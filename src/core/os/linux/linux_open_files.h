// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>

#include "core/os/open_files.h"

namespace zt {

/// Reads /proc/*/fd, /proc/*/map_files, cwd and root, /proc/swaps and /sys/block/loop*. What does not answer
/// in time is left out, and the listing said to be not complete. Any thread.
class LinuxOpenFiles final : public OpenFiles {
public:
  /// No patience at all: lists on the calling thread, however long that takes. For whoever may start none.
  explicit LinuxOpenFiles(std::chrono::milliseconds patience = std::chrono::seconds(20))
      : patience_(patience) {}
  Result<Listing> list() override;

private:
  std::chrono::milliseconds patience_;
};

}  // namespace zt
