// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/open_files.h"

namespace zt {

/// Reads /proc/*/fd, /proc/*/map_files, cwd and root, /proc/swaps and /sys/block/loop*. Any thread.
class LinuxOpenFiles final : public OpenFiles {
public:
  Result<Listing> list() override;
};

}  // namespace zt
