// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "core/base/number_sets.h"
#include "core/survey/tree/survey_tree.h"

namespace zt {

/// A state of the drive that was kept: a snapshot, or what another system calls a restore point.
struct Point {
  std::uint64_t id = 0;                        ///< as its file system numbers it
  std::string uuid, originUuid, receivedUuid;  ///< hexadecimal digits; empty: none
  PathBytes path;                              ///< from the top of the file system
  NodeId node = noNode;                        ///< where it is seen in the survey; it is not looked into
  TimeNs taken = 0;                            ///< by the clock of then; to be shown
  std::uint64_t sent = 0;                      ///< of what was received: its sender's generation
  bool readOnly = true;
  bool changed = false;    ///< something was written into it since it was made
  bool isDefault = false;  ///< is what starts where nobody says which
  bool mounted = false;
  bool holdsOthers = false;  ///< other subvolumes lie in it
  bool foreign = false;      ///< of another system: measured, and let go by that system only
  std::string words;         ///< what its maker wrote of it
};

/// Who holds the bytes that more than one holds: files of the survey, points, and others that nobody can let
/// go from here. Without it a file whose extents others may hold is never sure to free anything. Immutable
/// once built; any thread.
struct Holdings {
  /// Numbers in `sets`: the points by their place here, then these two.
  std::vector<Point> points;
  /// States that can be gone on in and were walked: their files are the survey's, so that they hold nothing
  /// beside it. Not numbered.
  std::vector<Point> walked;
  std::uint32_t others() const { return static_cast<std::uint32_t>(points.size()); }  ///< is there, and stays
  std::uint32_t unseen() const { return others() + 1; }  ///< somebody may: it was not looked
  NumberSets sets;

  /// Bytes that are held together.
  struct Extent {
    Bytes place = 0;  ///< by the file system's numbering; 0 where it is not needed any more
    Bytes bytes = 0;
    std::uint32_t files = 0;                    ///< inodes of the survey that hold it
    NumberSets::Id outside = NumberSets::none;  ///< who else does
  };
  std::vector<Extent> extents;

  /// Files that hold such extents, ascending, one node an inode: and which, from `start[i]` to `start[i + 1]`
  /// in `held`, each once.
  std::vector<NodeId> nodes;
  std::vector<std::uint32_t> start;
  std::vector<std::uint32_t> held;

  /// What no file of the survey holds.
  struct Outside {
    NumberSets::Id holders = NumberSets::none;
    Bytes bytes = 0;
    Bytes records = 0;  ///< of the file system's own, in one copy
  };
  std::vector<Outside> outside;
  bool exact = true;  ///< false: points are known by name only, what they hold is not

  std::span<const std::uint32_t> heldBy(std::size_t i) const {
    return {held.data() + start[i], held.data() + start[i + 1]};
  }
  /// Bytes that more than one file of the survey counts, but for the first.
  Bytes countedTwice() const;
};
using HoldingsPtr = std::shared_ptr<const Holdings>;

/// One stretch that one inode of the survey holds, by where it lies.
struct HeldStretch {
  NodeId node = noNode;  ///< the same for all names of an inode
  Bytes place = 0;
  Bytes bytes = 0;
};
/// Cuts stretches where others begin or end, and fills in extents, files and who holds which. What one file
/// alone was seen to hold is held by somebody unseen as well, and so is everything if not `allSeen`. False
/// for stretches that overlap each other beyond any measure: then nothing is filled in.
bool holdStretches(Holdings& holdings, std::vector<HeldStretch> stretches, bool allSeen);

}  // namespace zt
