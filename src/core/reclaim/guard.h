// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>

#include "core/catalogue/catalogue.h"
#include "core/reclaim/journal.h"
#include "core/survey/survey.h"

namespace zt {

/// The name of the folder that holds are kept in, at the top of the drive or subvolume.
constexpr std::string_view holdName = ".zip-tally-hold";

/// What the guard checks against. The survey is the one that the plan was made from.
struct GuardedDrive {
  FileSystem& files;
  OpenFiles& openFiles;
  const Survey& survey;
  const Catalogue& catalogue;
  Anchor anchor;
  FolderPtr root;
};

/// Who holds what, by (device, inode). Read once for a batch of items.
class Holders {
public:
  static Holders read(OpenFiles& port);
  /// Name of a holder, nullptr if nobody holds it.
  const std::string* holderOf(std::uint64_t device, std::uint64_t inode) const;
  bool complete() const { return complete_; }

private:
  absl::flat_hash_map<std::pair<std::uint64_t, std::uint64_t>, std::string> holders_;
  bool complete_ = true;
};

/// Checks that need no look at the drive: a plain relative path, not the hold, no bedrock at, above or
/// beneath it, no mount beneath it, and in the survey with the same identity.
Result<NodeId> checkOnPaper(const GuardedDrive& drive, const PlanItem& item);

/// What the drive says of an item now, by handle, never through a link or mount.
struct Looked {
  FolderPtr parent;
  EntryStat stat;
};
Result<Looked> look(const GuardedDrive& drive, const PathBytes& path);

/// Whether everything beneath `name` in `at` is what the survey saw beneath `node`: same names, identities,
/// times; nothing more, nothing less, nobody holding any of it. `device` of mounts differing is otherDevice.
/// With `leftovers` entries may be missing (a removal that was cut short), but what is there must be known.
Result<void> checkContent(const GuardedDrive& drive, const Folder& at, std::string_view name, NodeId node,
                          const Holders& holders, bool leftovers);

}  // namespace zt
