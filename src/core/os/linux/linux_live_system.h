// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "core/os/live_system.h"

namespace zt {

/// This machine: /proc/swaps, /proc/meminfo, swapon(2), swapoff(2), posix_spawn(3).
std::shared_ptr<LiveSystem> linuxLiveSystem();

}  // namespace zt
