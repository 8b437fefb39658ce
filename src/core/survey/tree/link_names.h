// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>

#include <optional>
#include <span>

#include "core/survey/tree/survey_tree.h"

namespace zt {

/// All names of the files that have several, by any of them. An inode number alone names no file: subvolumes
/// and used numbers come again. The tree must outlive it. Immutable; any thread.
class LinkNames {
public:
  explicit LinkNames(const SurveyTree& tree);
  /// The names that were seen, ascending; itself alone for a file with one name.
  std::vector<NodeId> of(NodeId node) const;
  /// A number that all names of a file share; nothing for one that has one name.
  std::optional<std::uint32_t> fileOf(NodeId node) const;
  /// Whether it has names that were not seen: outside what was measured.
  bool hasOthers(NodeId node) const;

private:
  std::span<const LinkedNode> groupOf(NodeId node) const;
  const SurveyTree& tree_;
  absl::flat_hash_map<NodeId, std::size_t> at_;  ///< in `tree.linked()`
};

}  // namespace zt
