// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string_view>

#include "core/reclaim/guard.h"

namespace zt {

/// What a journal or a hold says of a thing is a claim of whoever could write it. It is believed only if
/// - the hold lies in a folder that the old place lies in, too, under its usual names, and is this job's
/// where a
///   job is worked on;
/// - the hold, and all folders above it, belong to root, to whoever runs this, or to the owner of the place
/// that
///   the thing returns to;
/// - the old place is not bedrock, and no hold.
/// Fails with outsideRoot, notPermitted, bedrock; as reading does where that cannot be seen. Any thread.
Result<void> checkClaim(const GuardedDrive& drive, const JournalRecord& record);

/// The folder in which a hold lies, of "BASE/.zip-tally-hold/JOB/run-N" (of the first version without the
/// job); nothing where it is no such path, or another job's.
std::optional<PathBytes> baseOfHold(std::string_view holdFolder, std::string_view job, std::int64_t run);

/// Removes what a run made and did not come to use: the empty hold folders of a job at a folder. Errors are
/// of no consequence.
void tidyEmptyHold(const GuardedDrive& drive, std::string_view base);

}  // namespace zt
