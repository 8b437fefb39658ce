// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>

#include <functional>
#include <map>
#include <set>
#include <stop_token>

#include "core/finds/find_context.h"
#include "core/finds/hold_name.h"
#include "core/finds/marks.h"
#include "core/os/keeping.h"
#include "core/os/live_system.h"
#include "core/os/snapshots.h"
#include "core/reclaim/copies.h"
#include "core/reclaim/journal.h"

namespace zt {

/// Taking or letting go one name of a file sets the change time of all its names. Until when that was our own
/// doing, by the drive's clock: a later time is somebody else's. One thread at a time.
class OwnTouches {
public:
  void note(const EntryStat& file, TimeNs upTo) { upTo_[{file.device, file.inode}] = upTo; }
  /// Whether a file's times are those that were measured, but for what we did ourselves.
  bool unchanged(const EntryStat& now, const Identity& then) const {
    if (timeMark(now.changed) == then.changedMark) return true;
    const auto ours = upTo_.find({now.device, now.inode});
    return ours != upTo_.end() && now.changed <= ours->second;
  }

private:
  absl::flat_hash_map<std::pair<std::uint64_t, std::uint64_t>, TimeNs> upTo_;
};

/// A folder of another drive that a step works with, too: where things go to, or come back from.
struct OtherDrive {
  std::shared_ptr<FileSystem> files;
  FolderPtr root;
  PathBytes path;  ///< as the line says
  Keeping keeping = {};
  Bytes headroom = 0;  ///< should stay free there
};
using OtherDrives = std::vector<std::shared_ptr<const OtherDrive>>;

class LiveRights;
class FileRights;
struct RightfulDrive;

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
  /// What is kept by somebody now, in whatever job it was said, by the survey's paths; empty: as `marks`
  /// says.
  std::function<Marks()> keptNow = nullptr;
  /// The system that runs this program, whatever drive that lies on; nullptr where it is not to be touched.
  std::shared_ptr<LiveSystem> live = nullptr;
  /// Who changes that system where this program may not; nullptr where nobody else does.
  std::shared_ptr<LiveRights> liveRights = nullptr;
  /// Who takes others' things out of their folders; nullptr where nobody does.
  std::shared_ptr<FileRights> fileRights = nullptr;
  /// The same drive with those rights, while they last.
  std::shared_ptr<RightfulDrive> rightful = nullptr;
  /// Asked for inside long comparisons.
  std::stop_token stop = {};
  std::shared_ptr<OwnTouches> touched = std::make_shared<OwnTouches>();
  /// How long space is waited for without any more of it having come.
  std::chrono::milliseconds patience = std::chrono::seconds(60);
  /// How long a step may go without an answer from the drive, or from whatever it asks.
  std::chrono::milliseconds answersWithin = std::chrono::seconds(60);
  /// To be called by a step that waits on purpose.
  std::function<void()> alive = nullptr;
  /// Opens a folder of another drive; fails with onDrive where it lies on this one, by whatever path. Empty
  /// where no other drive can be reached.
  std::function<Result<OtherDrive>(const PathBytes&)> openOther = nullptr;

  const SurveyTree& tree() const { return context->tree; }
  /// The entry at a path below `root`; noNode if it was not measured.
  NodeId nodeAt(std::string_view path) const;
};

/// Who holds what, by (device, inode). Read once for a batch of items. One thread at a time.
class Holders {
public:
  static Holders read(OpenFiles& port);
  /// Name of a holder, nullptr if nobody holds it.
  const std::string* holderOf(std::uint64_t device, std::uint64_t inode) const;
  /// Name of a holder of a file that has no name any more; nullptr if there is none. A number that came back
  /// belongs to a file with a name.
  const std::string* holderOfDeleted(std::uint64_t device, std::uint64_t inode) const;
  bool complete() const { return complete_; }
  /// Who holds anything in a folder of a survey that lies on this device; nullptr if nobody does. Goes
  /// through the folder once.
  const std::string* holderWithin(const SurveyTree& tree, NodeId folder, std::uint64_t device) const;
  /// A running program of one of these names ("apt" is "apt-get", too); nullptr if there is none.
  const std::string* running(std::string_view names) const;

private:
  using Names = absl::flat_hash_map<std::pair<std::uint64_t, std::uint64_t>, std::string>;
  Names holders_;
  Names deleted_;
  std::set<std::string> programs_;
  mutable std::map<NodeId, const std::string*> within_;
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
