// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_set.h>

#include "core/finds/find.h"

namespace zt {

/// Takes finds one after another and refuses those that overlap with one taken before, and those that are not
/// about entries of the tree.
class Disjoint {
public:
  explicit Disjoint(const SurveyTree& tree) : tree_(tree) {}

  bool take(const Find& find) {
    for (const auto& item : find.items) {
      if (item.kind == SubjectKind::point) {
        if (points_.contains(item.identity.inode)) return false;
        continue;
      }
      if (item.node == noNode || above_.contains(item.node)) return false;
      for (NodeId up = item.node; up != noNode; up = tree_.parent(up))
        if (taken_.contains(up)) return false;
    }
    for (const auto& item : find.items) {
      if (item.kind == SubjectKind::point) {
        points_.insert(item.identity.inode);
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
  absl::flat_hash_set<NodeId> above_;  ///< folders that hold something taken
  absl::flat_hash_set<std::uint64_t> points_;
};

}  // namespace zt
