// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/base/bytes.h"
#include "core/base/clock.h"
#include "core/base/number_sets.h"
#include "core/base/path_bytes.h"

namespace zt {

/// A tree of files of its own within one file system (Btrfs): a subvolume or a snapshot of one.
struct Subvolume {
  std::uint64_t id = 0;
  std::uint64_t parent = 0;  ///< the one that it lies in; 0 for the top, and where nobody says
  std::uint64_t folder = 0;  ///< inode of the folder there
  std::string name;          ///< in that folder
  PathBytes path;            ///< from the top of the file system, as far as is known
  std::string uuid, parentUuid, receivedUuid;  ///< as hexadecimal digits; empty: none
  TimeNs made = 0;  ///< by the clock of then, which may have been wrong: to be shown, not to be ordered by
  std::uint64_t sent = 0;  ///< of what was received: its sender's generation; 0: made here
  bool readOnly = false;
  bool changed = false;    ///< something was written into it since it was made
  bool going = false;      ///< removed already; its space comes back when the file system has cleaned up
  bool isDefault = false;  ///< is mounted where nobody says which
  bool mounted = false;

  /// Made as a state of another one, or received; it may have been gone on in.
  bool isState() const { return !parentUuid.empty() || !receivedUuid.empty(); }
  /// A state that was kept and cannot be gone on in. It is not walked.
  bool isPoint() const { return readOnly && isState(); }
};

/// What files really occupy on a file system that compresses, inlines or shares (Btrfs), and who holds which
/// bytes, from its trees. Sets are of places in `trees`.
struct StoredSizes {
  /// A file whose stored bytes are not what its block count says. Of points none are told.
  struct File {
    std::uint64_t tree = 0;  ///< subvolume number
    std::uint64_t inode = 0;
    Bytes stored = 0;  ///< its extents, each once; an extent that is held for a part of it counts whole
  };
  /// An extent that more than one file or subvolume holds.
  struct Extent {
    Bytes bytes = 0;
    NumberSets::Id holders = NumberSets::none;  ///< all subvolumes that reach it
  };
  /// A file that holds such an extent. Of points none are told. Sorted; each pair once.
  struct Reach {
    std::uint64_t tree = 0;
    std::uint64_t inode = 0;
    std::uint32_t extent = 0;
  };
  struct Tree {
    Subvolume is;
    Bytes stored = 0;  ///< by its files, summed; what several of them share counts with each. 0 for points
  };
  /// All that exactly these subvolumes hold together.
  struct Held {
    NumberSets::Id holders = NumberSets::none;
    Bytes bytes = 0;    ///< of files
    Bytes records = 0;  ///< of the trees themselves, in one copy; 0 where only items could be read
  };
  std::vector<Tree> trees;
  NumberSets sets;
  std::vector<File> files;
  std::vector<Extent> extents;
  std::vector<Reach> reaches;
  std::vector<Held> held;
  Bytes compressed = 0;  ///< not stored, because compressed
  Bytes inlined = 0;     ///< counted by files, but stored among the metadata
  /// Nobody may look into the trees: `trees` says which of them may be seen, and nothing else is known.
  bool namesOnly = false;
  Bytes pinned = 0;  ///< held by files though overwritten: their extent still stands whole
};

}  // namespace zt
