// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>

#include <span>
#include <vector>

#include "core/survey/survey_tree.h"

namespace zt {

/// Exact bytes that come free when a whole set of entries goes: an inode counts once, and only if all its
/// names go; a folder and something in it are not counted twice. Built once per finished tree, which must
/// outlive it. Immutable; any thread.
class SetGain {
public:
  explicit SetGain(const SurveyTree& tree);

  /// Occupied bytes freed by letting all of `nodes` go.
  Bytes of(std::span<const NodeId> nodes) const;

  /// Occupied bytes of all of `nodes` and what lies beneath them, every inode once.
  Bytes occupiedOf(std::span<const NodeId> nodes) const;

  /// The nodes without those that lie beneath another of them, sorted and unique.
  std::vector<NodeId> outermost(std::span<const NodeId> nodes) const;

private:
  /// Links that go with `nodes` by inode; bytes of what has one name are added up.
  Bytes gather(std::span<const NodeId> nodes, absl::flat_hash_map<std::uint32_t, std::uint32_t>& going) const;
  const SurveyTree& tree_;
  std::vector<Bytes> plain_;  ///< by folder number: files with one name and folders, with everything beneath
  std::vector<std::uint32_t> groupStart_;  ///< first index in tree.linked() per inode, and the end
  absl::flat_hash_map<NodeId, std::uint32_t> groupOf_;
};

}  // namespace zt
