// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <stop_token>
#include <vector>

#include "core/survey/survey.h"

namespace zt {

/// What became of an entry from an earlier survey to a later one.
enum class Change : std::uint8_t {
  within,   ///< a folder in both, something in which changed
  grew,     ///< occupies more
  shrank,   ///< occupies less
  altered,  ///< occupies as much; its length or its time is another
  came,
  went
};
constexpr int changes = 6;
std::string_view name(Change change);

/// Bytes by what became of them. What moved is in `came` of its new folder and in `went` of its old one, and
/// once more in `movedIn` and `movedOut`. An inode with several names counts at each.
struct ChangeSums {
  Bytes came = 0, went = 0, grew = 0, shrank = 0;
  Bytes movedIn = 0, movedOut = 0;
  std::uint64_t entries = 0;  ///< that are not the same any more
  ChangeSums& operator+=(const ChangeSums& o);
};

/// One line of the outline of what changed.
struct ChangeRow {
  Change change = Change::within;
  NodeId was = noNode;  ///< in the earlier survey; noNode where it came
  NodeId is = noNode;   ///< in the later one; noNode where it went
  std::uint32_t parent = 0;
  std::uint32_t firstChild = 0;  ///< children are contiguous, those that changed most first
  std::uint32_t children = 0;
  Bytes before = 0, after = 0;  ///< occupied, with everything beneath
  ChangeSums sums;
  /// Of what came or went: the same thing on the other side, by its identity; noNode where it is new or gone.
  NodeId moved = noNode;
  SignedBytes delta() const { return static_cast<SignedBytes>(after) - static_cast<SignedBytes>(before); }
};

/// The same thing at another place.
struct Move {
  NodeId was = noNode, is = noNode;
  Bytes bytes = 0;  ///< in the later survey
};

/// Two surveys side by side. Row 0 is the root; rows stand before what lies in them, and there are none for
/// what did not change.
struct Comparison {
  std::vector<ChangeRow> rows;
  std::vector<Move> moves;  ///< outermost ones, the largest first
  bool byIdentity = false;  ///< whether things could be recognised at other places
  std::uint64_t same = 0;   ///< entries that did not change
};

/// Compares two finished surveys by names from their roots down, and by identities where both are of one
/// drive. Takes one pass over each; nothing is read of a drive. Fails with cancelled. Any thread.
Result<Comparison> compareSurveys(const Survey& before, const Survey& after, const std::stop_token& stop);

/// The entry's path in the survey that has it.
PathBytes pathOf(const Survey& before, const Survey& after, const ChangeRow& row);

}  // namespace zt
