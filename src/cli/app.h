// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <iosfwd>
#include <stop_token>

#include "core/job/workshop.h"

namespace zt::cli {

/// Everything a verb needs. `out` gets the answer (one JSON document with --json), `err` words and progress.
struct Console {
  const Workshop& workshop;
  std::ostream& out;
  std::ostream& err;
  bool progress = false;  ///< err is a terminal
  std::stop_token stop;   ///< the user asked to stop
};

/// Parses the arguments and runs the verb; gives the exit status. One thread.
int run(Console& console, int argc, const char* const* argv);

}  // namespace zt::cli
