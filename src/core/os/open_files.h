// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/base/bytes.h"
#include "core/base/path_bytes.h"
#include "core/base/result.h"

namespace zt {

/// One thing that a process holds open (or mapped, or uses as swap or loop image).
struct OpenFile {
  int pid = 0;               ///< 0 for the kernel itself (swap, loop devices)
  std::string holder;        ///< name of the program, or "swap", "loop3"
  std::uint64_t device = 0;  ///< major << 32 | minor
  std::uint64_t inode = 0;
  bool deleted = false;  ///< no name left: the space comes back on the last close
  Bytes occupied = 0;
};

/// The port to what is in use. `list` covers the processes that the caller may look into; `complete` says if
/// that was all.
class OpenFiles {
public:
  struct Listing {
    std::vector<OpenFile> files;
    bool complete = true;
  };
  virtual ~OpenFiles() = default;
  virtual Result<Listing> list() = 0;
};

}  // namespace zt
