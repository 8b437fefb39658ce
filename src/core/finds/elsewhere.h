// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "core/base/bytes.h"
#include "core/base/clock.h"
#include "core/base/path_bytes.h"

namespace zt {

/// Smaller files have too many namesakes that mean nothing.
constexpr Bytes worthKnowingElsewhere = 1'000'000;

/// A large file as an earlier visit saw it on another drive. Whether it is still there nobody has looked.
struct FileElsewhere {
  std::string drive;  ///< as its owner named it, else its id
  PathBytes path;     ///< from the top of that drive
  TimeNs modified = 0;
  TimeNs seen = 0;
};

/// Files of a length and name on drives measured before; at most a few. Any thread.
using Elsewhere = std::function<std::vector<FileElsewhere>(Bytes length, std::string_view name)>;

}  // namespace zt
