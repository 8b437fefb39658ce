// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_set.h>

#include "core/finds/subject_type.h"

namespace zt {

/// Takes finds one after another and refuses those that overlap with one taken before, and those of which
/// the survey does not know what they hold.
class Disjoint {
public:
  explicit Disjoint(const SurveyTree& tree) : tree_(tree) {}

  bool take(const Find& find) {
    for (const auto& item : find.items) {
      if (!typeOf(item).isWeighed(item)) return false;
      if (item.node == noNode) {
        if (numbers_.contains({item.kind, typeOf(item).number(item)})) return false;
        continue;
      }
      if (above_.contains(item.node)) return false;
      for (NodeId up = item.node; up != noNode; up = tree_.parent(up))
        if (taken_.contains(up)) return false;
    }
    for (const auto& item : find.items) {
      if (item.node == noNode) {
        numbers_.emplace(item.kind, typeOf(item).number(item));
        continue;
      }
      taken_.insert(item.node);
      for (NodeId up = tree_.parent(item.node); up != noNode && above_.insert(up).second;)
        up = tree_.parent(up);
    }
    return true;
  }

private:
  const SurveyTree& tree_;
  absl::flat_hash_set<NodeId> taken_;
  absl::flat_hash_set<NodeId> above_;                                   ///< folders that hold something taken
  absl::flat_hash_set<std::pair<SubjectKind, std::uint64_t>> numbers_;  ///< of what is no entry
};

}  // namespace zt
