// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

#include "core/base/number_sets.h"
#include "core/survey/tree/gain_model.h"

namespace zt {

/// Folders side by side that are states of one thing: named by dates or numbers, and files that did not
/// change from one to the next are one inode under the same path in both.
struct LinkedSeries {
  struct Member {
    NodeId node = noNode;
    TimeNs taken = 0;    ///< by its name; where that holds a number only, of the newest that lies in it
    bool stays = false;  ///< the newest, by its name or by what lies in it, or that cannot be told
  };
  NodeId folder = noNode;       ///< that all of them lie in
  std::vector<Member> members;  ///< the oldest first
};

/// All of a tree, by its structure: a name alone makes none. `now`: a name that is dated later is not
/// believed.
std::vector<LinkedSeries> findLinkedSeries(const SurveyTree& tree, TimeNs now);

/// What members of series hold together, two or more and nobody else; numbers in `sets` are `first` and up,
/// in the order of the members.
struct LinkedHoldings {
  struct Group {
    NumberSets::Id holders = NumberSets::none;
    Bytes bytes = 0;
  };
  NumberSets sets;
  std::vector<Group> groups;
  bool exact = true;  ///< false: there are files among them whose bytes others may hold
};
LinkedHoldings linkedHoldings(const SurveyTree& tree, const std::vector<LinkedSeries>& series,
                              std::uint32_t first);

}  // namespace zt
