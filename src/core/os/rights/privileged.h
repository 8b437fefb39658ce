// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "core/os/drive_insides.h"
#include "core/os/open_files.h"
#include "core/os/snapshots.h"

namespace zt {

/// What can be read with rights, beneath one root. Lives as long as the helper behind it should. Any thread.
class PrivilegedAccess {
public:
  virtual ~PrivilegedAccess() = default;
  /// Folders that this reader opens belong to it alone.
  virtual FileSystemReader& files() = 0;
  virtual FolderPtr root() = 0;
  virtual OpenFiles& openFiles() = 0;
  virtual DriveInsides& insides() = 0;
};

/// One thing that is to be changed with rights.
struct RightsThing {
  std::string
      action;        ///< the name of the kind of step; of a file that a step only takes, `take` and the like
  PathBytes path;    ///< relative to the root; of a package its name
  std::string told;  ///< what its line says beside, its identity, or both, as JSON
};

/// What a helper has to know that carries whole steps out on files.
struct StepFacts {
  std::string job;                ///< whose hold things are taken into
  bool live = false;              ///< the system on the drive is the one that runs
  std::vector<PathBytes> others;  ///< folders of other drives that the steps name
  struct Entry {
    std::uint32_t parent = 0;  ///< 0: the root; else one more than the place of its folder among these
    PathBytes name;
    EntryStat stat;
  };
  /// The things, what they lie in, all that lies in them, and what else the steps look at, as it was
  /// measured; a folder before what lies in it. Of times that are known by their marks, any that has that
  /// mark.
  std::vector<Entry> entries;
};

/// All that one plan is to change with rights of one kind.
struct RightsOrder {
  std::string consent;  ///< the token of the plan; empty: what was lent is only paid back
  std::vector<RightsThing> things;
  std::shared_ptr<StepFacts> facts = nullptr;  ///< nullptr where no step is carried out as a whole
  bool names(std::string_view action, std::string_view path, std::string_view told) const;
  /// 32 hexadecimal digits that fit exactly this order.
  std::string digest() const;
};

/// What a helper may do to things of one order, and how it sees the drive. Folders are those of its reader.
/// Fails with notPermitted for anything that is not ordered. Any thread.
class PrivilegedChanges : public PrivilegedAccess {
public:
  virtual Result<void> makeFolder(const Folder& at, std::string_view name) = 0;
  virtual Result<void> move(const Folder& from, std::string_view name, const Folder& to,
                            std::string_view newName) = 0;
  virtual Result<void> remove(const Folder& at, std::string_view name, bool folder) = 0;
  virtual Result<void> writeDown(const Folder& at, std::string_view name, std::string_view bytes) = 0;
  virtual Result<void> sync(const Folder& at) = 0;
  /// One phase of a step on things of the order, as JSON. `went` hears how many bytes of an item were gone
  /// through, and ends the phase (cancelled) by giving false; may be empty. One thread at a time.
  virtual Result<std::string> carryOut(const std::string& request,
                                       const std::function<bool(Bytes)>& went) = 0;
};

/// Rights to carry out one order; they end with it. One thread at a time.
class LiveSession {
public:
  virtual ~LiveSession() = default;
  /// One phase of one thing of the order. `alive` is called while it goes on; may be empty.
  virtual Result<std::string> carryOut(const std::string& phase, const std::string& record,
                                       const std::function<void()>& alive) = 0;
};

/// The port to rights: asks for them once, for reading beneath `root` (absolute, free of links). Fails with
/// notPermitted where they are refused, unsupported where there is no helper. Any thread.
class Privileged {
public:
  virtual ~Privileged() = default;
  /// Whether asking would give anything that the program cannot do already.
  virtual bool worthAsking() = 0;
  /// Who works here: whose things need no rights.
  virtual std::uint32_t self() { return 0; }
  virtual Result<std::unique_ptr<PrivilegedAccess>> start(const PathBytes& root) = 0;
  /// Asks for another right, that of letting go the points of one order on the drive that is mounted there.
  /// Whoever holds what it gives holds the right.
  virtual Result<std::shared_ptr<Snapshots>> startDropping(const PathBytes& mountTarget,
                                                           const DropOrder& order) {
    (void)order;
    return fail(Errc::unsupported, "helper", mountTarget);
  }
  /// Asks for the right to take the things of one order out of their folders, and to let them go.
  virtual Result<std::shared_ptr<PrivilegedChanges>> startChanging(const PathBytes& root,
                                                                   const RightsOrder& order) {
    (void)order;
    return fail(Errc::unsupported, "helper", root);
  }
  /// Asks for another right, that of carrying out one order on the system that runs.
  virtual Result<std::shared_ptr<LiveSession>> startLive(const PathBytes& root, const RightsOrder& order) {
    (void)order;
    return fail(Errc::unsupported, "helper", root);
  }
};

}  // namespace zt
