// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_set.h>

#include "core/plan/plan.h"

namespace zt {

/// The entry that an item of the plan is now: at the same path, and the same inode.
inline std::optional<NodeId> sameEntry(const SurveyTree& tree, const Subject& item) {
  const auto node = tree.find(item.path);
  if (!node || tree.inode(*node) != item.identity.inode || tree.kind(*node) != item.identity.kind)
    return std::nullopt;
  return node;
}

/// Says of the things of a find whether they are not on a line, or are other things on a later survey.
class NotPlanned {
public:
  explicit NotPlanned(const PlanLine& line, const SurveyTree* later = nullptr) {
    for (const Subject& item : line.items)
      if (later == nullptr || item.node == noNode || sameEntry(*later, item)) planned_.insert(item.path);
  }
  bool operator()(const Subject& item) const { return !planned_.contains(item.path); }

private:
  absl::flat_hash_set<PathBytes> planned_;
};

}  // namespace zt
