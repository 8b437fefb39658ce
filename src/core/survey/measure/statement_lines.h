// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/survey/measure/measure.h"
#include "core/survey/measure/stored_files.h"

namespace zt {

/// What the walk itself came to know of the drive.
struct Walked {
  bool there = true;      ///< the path still leads to what was walked; else nothing is asked by it
  SignedBytes grown = 0;  ///< used bytes after the walk less those before it
  const StoredFiles* stored = nullptr;  ///< what the walk went through, if block counts cannot be believed
};

/// Fills in every line of a walked survey's statement from its own source, with its parts, and balances it.
/// Reads beneath mounts and asks who holds deleted files.
void settle(Survey& survey, const MeasurePorts& ports, const Drive& drive, const Walked& walked,
            const std::stop_token& stop);

}  // namespace zt
