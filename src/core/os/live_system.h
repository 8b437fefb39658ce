// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "core/base/bytes.h"
#include "core/base/path_bytes.h"
#include "core/base/result.h"

namespace zt {

/// A swap file or partition that the kernel uses.
struct SwapUse {
  PathBytes path;  ///< as the kernel has it, from the root
  Bytes size = 0;
  Bytes used = 0;
  int priority = 0;
};

/// What became of a program that was run.
struct ProgramRun {
  int status = -1;  ///< exit status; 128 + signal where it was killed
  std::string out;  ///< at most a megabyte of each
  std::string err;
};

/// Port to the system that runs this program, as far as a step changes more of it than files. One thread at a
/// time.
class LiveSystem {
public:
  virtual ~LiveSystem() = default;
  virtual Result<std::vector<SwapUse>> swaps() = 0;
  /// How many bytes of memory could be taken without pushing anything out.
  virtual Bytes spareMemory() = 0;
  /// Runs a program of the system by its arguments, the first of which names it: no shell, a plain
  /// environment, its words in no language, no input. It is never killed in the middle. `alive` is called
  /// while it runs, once a second at least; may be empty. Fails with notThere where there is none.
  virtual Result<ProgramRun> run(const std::vector<std::string>& arguments,
                                 const std::function<void()>& alive) = 0;
};

}  // namespace zt
