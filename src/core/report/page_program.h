// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "core/base/path_bytes.h"
#include "core/base/result.h"

namespace zt {

/// Sets a sheet as PDF, by the program `zip-tally-page`: from ZTALLY_PAGE, as it is installed, or beside this
/// program's build. Fails with notThere where there is none (the package of the window brings it), taken, io.
/// Blocks; any thread.
Result<void> setAsPdf(const std::string& html, const PathBytes& file);

}  // namespace zt
