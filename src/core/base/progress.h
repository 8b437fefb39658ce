// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>

#include "core/base/bytes.h"

namespace zt {

/// One report of a long piece of work.
struct Progress {
  Bytes doneBytes = 0;   ///< accounted or freed so far
  Bytes totalBytes = 0;  ///< the end that is known beforehand; 0 if unknown
  std::uint64_t doneItems = 0;
  std::uint64_t totalItems = 0;  ///< 0 if unknown
  std::string current;           ///< name bytes of what is worked on; may be empty
};

/// Receives progress, at most 20 times a second. Called from a worker thread; must return quickly.
class ProgressSink {
public:
  virtual ~ProgressSink() = default;
  virtual void report(const Progress& progress) = 0;
};

}  // namespace zt
