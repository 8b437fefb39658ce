// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/set_gain.h"

#include <absl/container/flat_hash_set.h>

#include <algorithm>

namespace zt {

SetGain::SetGain(const SurveyTree& tree) : tree_(tree) {
  const auto& linked = tree.linked();
  groupOf_.reserve(linked.size());
  for (std::uint32_t i = 0; i < linked.size(); ++i) {
    if (i == 0 || linked[i].group != linked[i - 1].group) groupStart_.push_back(i);
    groupOf_.emplace(linked[i].node, linked[i].group);
  }
  groupStart_.push_back(static_cast<std::uint32_t>(linked.size()));
  plain_.assign(tree.folderNumbers(), 0);
  for (NodeId id = tree.size(); id-- > 0;) {  // children have larger numbers
    if (tree.isGone(id) || tree.isLinked(id)) continue;
    const bool folder = tree.isFolder(id);
    if (folder) plain_[tree.folderIndex(id)] += tree.occupied(id);
    if (id > 0)
      plain_[tree.folderIndex(tree.parent(id))] += folder ? plain_[tree.folderIndex(id)] : tree.occupied(id);
  }
}

std::vector<NodeId> SetGain::outermost(std::span<const NodeId> nodes) const {
  std::vector<NodeId> sorted(nodes.begin(), nodes.end());
  std::sort(sorted.begin(), sorted.end());
  sorted.erase(std::unique(sorted.begin(), sorted.end()), sorted.end());
  const bool noFolders =
      std::none_of(sorted.begin(), sorted.end(), [&](NodeId id) { return tree_.isFolder(id); });
  if (noFolders) return sorted;
  absl::flat_hash_set<NodeId> kept;
  std::vector<NodeId> outer;
  for (const NodeId id : sorted) {  // parents come first: their numbers are smaller
    NodeId up = tree_.parent(id);
    while (up != noNode && !kept.contains(up)) up = tree_.parent(up);
    if (up != noNode) continue;
    outer.push_back(id);
    if (tree_.isFolder(id)) kept.insert(id);
  }
  return outer;
}

Bytes SetGain::gather(std::span<const NodeId> nodes,
                      absl::flat_hash_map<std::uint32_t, std::uint32_t>& going) const {
  Bytes bytes = 0;
  absl::flat_hash_set<NodeId> folders;
  for (const NodeId id : outermost(nodes)) {
    if (tree_.isFolder(id)) {
      bytes += plain_[tree_.folderIndex(id)];
      folders.insert(id);
    } else if (const auto group = groupOf_.find(id); group != groupOf_.end()) {
      ++going[group->second];
    } else {
      bytes += tree_.occupied(id);
    }
  }
  if (folders.empty()) return bytes;
  for (const LinkedNode& link : tree_.linked()) {
    NodeId up = tree_.parent(link.node);
    while (up != noNode && !folders.contains(up)) up = tree_.parent(up);
    if (up != noNode) ++going[link.group];
  }
  return bytes;
}

Bytes SetGain::of(std::span<const NodeId> nodes) const {
  absl::flat_hash_map<std::uint32_t, std::uint32_t> going;
  Bytes bytes = gather(nodes, going);
  for (const auto& [group, count] : going) {
    const LinkedNode& first = tree_.linked()[groupStart_[group]];
    if (count >= first.links) bytes += tree_.occupied(first.node);
  }
  return bytes;
}

Bytes SetGain::occupiedOf(std::span<const NodeId> nodes) const {
  absl::flat_hash_map<std::uint32_t, std::uint32_t> going;
  Bytes bytes = gather(nodes, going);
  for (const auto& [group, count] : going) bytes += tree_.occupied(tree_.linked()[groupStart_[group]].node);
  return bytes;
}

}  // namespace zt
