// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>

#include <map>

#include "core/base/pause.h"
#include "core/base/progress.h"
#include "core/finds/find_context.h"
#include "core/match/content_hash.h"

namespace zt {

/// What was read once, by what the file was then.
struct KnownContent {
  Identity identity;
  Digest digest;
};
using KnownDigests = absl::flat_hash_map<std::uint64_t, KnownContent>;  ///< by inode

/// The folders in which this program holds things: those are on their way out, and copies of nothing.
std::vector<NodeId> holdFolders(const SurveyTree& tree);
bool isBeneathAny(const GainModel& gain, NodeId node, const std::vector<NodeId>& folders);

struct MatchOptions {
  Bytes least = 1;                      ///< shorter files are left out
  unsigned readers = 2;                 ///< one reader on a drive that rotates
  bool inOrder = false;                 ///< read in the order of their blocks on the device
  std::vector<bool> only;               ///< by node: only these files; empty: all
  std::vector<bool> also;               ///< by node: these however short they are; empty: none
  std::vector<Bytes> lengthsElsewhere;  ///< of files on other drives, ascending: those are read, too
  const KnownDigests* known = nullptr;
  HashMaker hash = xxh3Hash;
  std::stop_token stop;
  PauseGate* pause = nullptr;
};

/// Files of one content: one node an inode, in the order of the tree.
struct EqualFiles {
  Bytes length = 0;
  Digest digest;
  std::vector<NodeId> nodes;
  bool links = false;  ///< they are symbolic links, which are told of within folders only
  /// Equal ones that somebody threw away. They go with the trash, and are nobody's copies.
  std::vector<NodeId> thrownAway;
  std::map<NodeId, TimeNs> born;  ///< where the file system says
  /// Those that have all their extents in common with an earlier one of the group, by that one.
  std::map<NodeId, NodeId> sharing;

  /// The one that stands for all that share its extents.
  NodeId bodyOf(NodeId node) const;
  /// Whether they are stored once already: nothing would be gained.
  bool storedOnce() const { return sharing.size() + 1 >= nodes.size(); }
};

/// A file that could not be compared.
struct NotCompared {
  NodeId node = noNode;
  Error error;
};

struct MatchResult {
  std::vector<EqualFiles> groups;  ///< the most bytes that copies take first
  std::vector<NotCompared> left;
  std::vector<std::pair<NodeId, Digest>> digests;  ///< of all that was read whole
  /// By node: compared with all of its length to the end. Of two of these that no group has together it is
  /// known that they differ. Empty where it was stopped.
  std::vector<bool> compared;
  Bytes read = 0;          ///< bytes that were read
  Bytes readOfImages = 0;  ///< beside `read`: of disk images, to look into them
  Bytes needed = 0;  ///< bytes that had to be: ends of all of equal length, all of those whose ends are equal
  bool stopped = false;
};

/// Called with each group when all of its length have been read; on a reader's thread, one at a time.
using EqualFound = std::function<void(const EqualFiles&)>;

/// Finds files of equal content: by length, by what they share already, by their ends, by all of them.
/// Nothing is read where no two files have a length in common, or where those that have share all their
/// extents. Symbolic links are compared by what they say, within `also` only. Left out are placeholders and
/// holes (which occupy nothing), what is held, spent, rebuilds or is a way back as a whole, what lies in a
/// trash, and groups in which nothing could go. Any thread; readers of its own.
MatchResult match(FileSystemReader& files, const Folder& root, const FindContext& context,
                  const MatchOptions& options, const EqualFound& found, ProgressSink* progress);

}  // namespace zt
