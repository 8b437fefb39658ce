// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>

#include "core/base/clock.h"

namespace zt {

/// The machine's own clock. Any thread.
class SystemClock final : public Clock {
public:
  TimeNs now() const override {
    return std::chrono::duration_cast<std::chrono::nanoseconds>(
               std::chrono::system_clock::now().time_since_epoch())
        .count();
  }
};

}  // namespace zt
