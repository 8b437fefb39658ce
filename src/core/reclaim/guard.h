// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>

#include "core/finds/find_context.h"
#include "core/finds/hold_name.h"
#include "core/finds/marks.h"
#include "core/os/snapshots.h"
#include "core/reclaim/copies.h"
#include "core/reclaim/journal.h"

namespace zt {

/// What the guard checks against. The survey is the one that the plan was made from.
struct GuardedDrive {
  std::shared_ptr<FileSystem> files;
  std::shared_ptr<OpenFiles> openFiles;
  ContextPtr context;
  Marks marks;
  FolderPtr root;
  std::string job;       ///< whose things are held: two jobs on one drive never collide
  PathBytes surveyedAt;  ///< where the survey's root lies below `root`; empty but for what another job holds
  std::shared_ptr<const Copies> copies = nullptr;  ///< nullptr where no contents were compared
  std::shared_ptr<Snapshots> snapshots = nullptr;  ///< nullptr where points cannot be let go
  PathBytes mountTarget = {};                      ///< top of the drive
  /// How long space is waited for without any more of it having come.
  std::chrono::milliseconds patience = std::chrono::seconds(60);

  const SurveyTree& tree() const { return context->tree; }
  /// The entry at a path below `root`; noNode if it was not measured.
  NodeId nodeAt(std::string_view path) const;
};

/// Who holds what, by (device, inode). Read once for a batch of items.
class Holders {
public:
  static Holders read(OpenFiles& port);
  /// Name of a holder, nullptr if nobody holds it.
  const std::string* holderOf(std::uint64_t device, std::uint64_t inode) const;
  /// Name of a holder of a file that has no name any more; nullptr if there is none. A number that came back
  /// belongs to a file with a name.
  const std::string* holderOfDeleted(std::uint64_t device, std::uint64_t inode) const;
  bool complete() const { return complete_; }

private:
  using Names = absl::flat_hash_map<std::pair<std::uint64_t, std::uint64_t>, std::string>;
  Names holders_;
  Names deleted_;
  bool complete_ = true;
};

/// Checks that need no look at the drive: a plain relative path, not the hold, nothing locked by the system
/// or by a mark at, above or beneath it, no mount beneath it, and in the survey with the same identity.
Result<NodeId> checkOnPaper(const GuardedDrive& drive, const Subject& item);

/// What the drive says of an item now, by handle, never through a link or mount.
struct Looked {
  FolderPtr parent;
  EntryStat stat;
};
Result<Looked> look(const GuardedDrive& drive, const PathBytes& path);

/// Whether everything beneath `name` in `at` is what the survey saw beneath `node`: same names, identities,
/// times; nothing more, nothing less, nobody holding any of it. `device` of mounts differing is otherDevice.
Result<void> checkContent(const GuardedDrive& drive, const Folder& at, std::string_view name, NodeId node,
                          const Holders& holders);

/// Whether a drive's own system left it asleep (nt: a saved session in hiberfil.sys): then nothing on it may
/// be changed. Reads four bytes without a trace; where that cannot be done, it is taken for asleep.
Result<void> checkAwake(FileSystemReader& files, const Folder& root, const std::vector<SystemRoot>& systems);

}  // namespace zt
