// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_set.h>

#include "core/os/rights/privileged.h"
#include "core/reclaim/step_executor.h"

namespace zt {

/// A drive as who has the rights of one order works on it.
struct RightfulDrive {
  GuardedDrive drive;
  absl::flat_hash_set<PathBytes> things;  ///< that were ordered to be taken
  absl::flat_hash_set<PathBytes> whole;   ///< on which steps are carried out as a whole
  std::shared_ptr<PrivilegedChanges> changes;
};

/// Whether an entry cannot be taken, or not all that lies in it, by who runs this program.
bool needsRights(const GuardedDrive& drive, const PathBytes& path);
/// Whether something lies in a hold of others.
bool heldByOthers(const GuardedDrive& drive, const JournalRecord& record);

/// What an order says of a thing: its identity.
RightsThing fileThing(std::string_view may, const PathBytes& path, const Identity& identity);

/// Asks for the rights of an order, once, where this program lacks them: then `drive.rightful` stands, and
/// who holds what is seen with them, as long as what this gives is kept. Where it is refused each thing fails
/// by itself.
std::shared_ptr<void> beginFiles(GuardedDrive& drive, const RightsOrder& order);

/// A step on files that goes through the helper for the things which were ordered there.
std::shared_ptr<const StepExecutor> withFileRights(std::shared_ptr<const StepExecutor> step);

}  // namespace zt
