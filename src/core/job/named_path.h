// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/job.h"

namespace zt {

/// A path as people write it, understood in one way everywhere: from the measured root, absolute from the top
/// of the drive ("/photos"), or absolute on this machine by any mount of the same file system; "./", doubled
/// and trailing slashes and ".." are taken out, bytes written as \xNN put in. Gives the path from the
/// measured root. Fails with badInput for nothing, outsideRoot for what leads out, notThere for what was not
/// measured.
Result<PathBytes> namedPath(const Workshop& workshop, const Job& job, std::string_view text);

}  // namespace zt
