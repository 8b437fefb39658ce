// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/reclaim/guard.h"

namespace zt {

/// Whether what was promised to come free is still nobody else's: a snapshot or a shared copy that was made
/// since the survey holds on to bytes that were a file's own then, and letting the file go would free none
/// of them. Asks the file system of the largest files at or beneath an entry, at most `mostAsked`, where
/// files can share; what it cannot be asked of is passed over. Fails with pinned; the detail is who holds
/// them now, as far as that can be told.
Result<void> checkStillAlone(const GuardedDrive& drive, NodeId node);
constexpr std::size_t mostAsked = 500;

}  // namespace zt
