// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>

namespace zt {

/// Nanoseconds since 1970-01-01 UTC, as file systems keep them; may be negative.
using TimeNs = std::int64_t;

constexpr TimeNs nsPerSecond = 1'000'000'000;
constexpr TimeNs nsPerDay = 86'400 * nsPerSecond;

/// The port to the time of day. Implementations may be called from any thread.
class Clock {
public:
  virtual ~Clock() = default;
  virtual TimeNs now() const = 0;
};

}  // namespace zt
