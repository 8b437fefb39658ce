// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/reclaim/journal.h"

namespace zt {

/// The names in a hold: `.zip-tally-hold/JOB/run-N/SEQ`, and beside each run's folder the list of what was
/// taken into it, one JSON object a line (docs/formats/hold.md).
std::string runFolderName(std::int64_t run);
std::string heldListName(std::int64_t run);
PathBytes holdFolderPath(std::string_view base, std::string_view job, std::int64_t run);
/// The list's line for an item, with its end.
std::string heldLine(const JournalRecord& record);

/// Something that lies in a hold, found from the drive itself.
struct HeldThing {
  std::string job;        ///< identity of the job that took it; empty for runs of the first version
  JournalRecord record;   ///< as it was written down; state held. Without a path if nothing was
  EntryStat stat;         ///< of the thing as it lies there
  bool cutShort = false;  ///< it was to go for good: a run ended in its middle
};

/// Everything that lies in the holds of a drive: at its top, in the folders named in `places`, and one level
/// below its top, as far as folders may be listed without a trace. What cannot be read is left out. Any
/// thread.
std::vector<HeldThing> heldThings(FileSystemReader& files, const FolderPtr& root,
                                  const std::vector<PathBytes>& places, const StepTable& steps);

/// A new identity for a job: 16 hexadecimal digits, random.
std::string newJobIdentity();

}  // namespace zt
