// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/reclaim/guard.h"

namespace zt {

/// Whether the signs by which a place speaks of an entry are on the drive as the survey saw them: what must
/// not be near it is not (an update that waits for its files, begun since), and what must lie beside it or at
/// the system's top is. Signs inside an entry are not asked for once more: they may have gone as part of it.
/// Fails with changed; with what the drive says where it cannot be told. Any thread.
Result<void> checkStillMarked(const GuardedDrive& drive, NodeId node);

/// Whether a place's conditions hold at this moment: nobody has anything open in it or runs its maker's
/// program, the drive's own system runs or does not. Fails with inUse, and who; with unmet, and the
/// condition.
Result<void> checkNeeds(const GuardedDrive& drive, NodeId node, std::uint64_t device, const Holders& holders);

}  // namespace zt
