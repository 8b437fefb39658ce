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
  bool equal = false;  ///< by the digest of its content, whatever its name; else by name and length alone
};

struct KnownElsewhere {
  std::vector<FileElsewhere> files;  ///< at most a few; those of equal content first
  bool compared = false;             ///< its content is known here, and was looked for by it
};

/// A file of the drive that is asked about.
struct FileAsked {
  PathBytes path;  ///< as the survey has it
  Bytes length = 0;
  TimeNs modified = 0;
};

/// What drives measured before have of a file. Any thread.
using Elsewhere = std::function<KnownElsewhere(const FileAsked&)>;

}  // namespace zt
