// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/survey/measure.h"
#include "core/survey/stored_files.h"

namespace zt {

/// Fills in every line of a walked survey's statement from its own source, with its parts, and balances it.
/// `stored` is what the walk went through, or nullptr. Reads beneath mounts and asks who holds deleted files.
/// If the drive is not `there` any more, nothing is asked by its path.
void settle(Survey& survey, const MeasurePorts& ports, const Drive& drive, bool there,
            const StoredFiles* stored, const std::stop_token& stop);

}  // namespace zt
