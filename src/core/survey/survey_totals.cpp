// SPDX-License-Identifier: GPL-3.0-or-later
// Totals of a finished tree. The parts of SurveyTree that run once, after the walk.
#include <algorithm>
#include <numeric>

#include "core/survey/survey_tree.h"

namespace zt {

void SurveyTree::finish(std::vector<LinkedNode> linked) {
  linked_ = std::move(linked);
  std::sort(huge_.begin(), huge_.end());
  groupLinks();
  sumFolders();
}

/// Sorts the links by inode and numbers the inodes.
void SurveyTree::groupLinks() {
  std::sort(linked_.begin(), linked_.end(), [](const LinkedNode& a, const LinkedNode& b) {
    return std::tie(a.device, a.inode, a.node) < std::tie(b.device, b.inode, b.node);
  });
  linkGroups_ = 0;
  for (std::size_t i = 0; i < linked_.size(); ++i) {
    if (i > 0 && (linked_[i].inode != linked_[i - 1].inode || linked_[i].device != linked_[i - 1].device))
      ++linkGroups_;
    linked_[i].group = linkGroups_;
  }
  if (!linked_.empty()) ++linkGroups_;
}

void SurveyTree::sumFolders() {
  const NodeId count = size();
  for (NodeId id = 0; id < count; ++id) {
    Chunk& c = chunk(id);
    const std::uint32_t s = slot(id);
    if (isFolder(id)) {
      FolderTotals own;
      own.occupied = own.plain = own.exclusive = occupied(id);
      own.newest = c.modified[s];
      c.aux[s] = static_cast<std::uint32_t>(folders_.size());
      folders_.push_back(own);
    }
    if (id == 0) continue;
    FolderTotals& up = folders_[chunk(c.parent[s]).aux[slot(c.parent[s])]];
    if (up.children++ == 0) up.firstChild = id;
    up.entries++;
    if (isFolder(id)) continue;
    up.newest = std::max(up.newest, c.modified[s]);
    up.files += c.kind[s] == static_cast<std::uint8_t>(EntryKind::file);
    if ((c.flags[s] & flagLinked) != 0) continue;
    const Bytes bytes = occupied(id);
    up.occupied += bytes;
    up.plain += bytes;
    up.exclusive += bytes;
    if (c.kind[s] == static_cast<std::uint8_t>(EntryKind::file)) up.length += c.length[s];
  }
  shareLinks();
  // Children have larger numbers than their parents: one pass from the back adds every folder to the one
  // above it.
  for (NodeId id = count; id-- > 1;) {
    if (!isFolder(id)) continue;
    const FolderTotals& from = totals(id);
    FolderTotals& up = folders_[chunk(parent(id)).aux[slot(parent(id))]];
    up.occupied += from.occupied;
    up.length += from.length;
    up.plain += from.plain;
    up.exclusive += from.exclusive;
    up.entries += from.entries;
    up.files += from.files;
    up.newest = std::max(up.newest, from.newest);
  }
}

/// Books inodes with several names so that plain summing upwards counts each once in every folder: its bytes
/// at each link's folder, and less the bytes where two neighbouring links (in depth-first order) meet.
/// Exclusive bytes are booked where all links meet, if all were seen. Sums wrap on purpose: a folder's
/// interim sum may be below zero.
void SurveyTree::shareLinks() {
  if (linked_.empty()) return;
  std::vector<std::uint32_t> depth(folders_.size(), 0);
  const auto folderIndex = [&](NodeId id) { return chunk(id).aux[slot(id)]; };
  for (NodeId id = 1; id < size(); ++id)
    if (isFolder(id)) depth[folderIndex(id)] = depth[folderIndex(parent(id))] + 1;
  const auto meet = [&](NodeId a, NodeId b, NodeId* childOfA, NodeId* childOfB) {
    const auto up = [&](NodeId& n, NodeId* child) { *child = n, n = parent(n); };
    while (depth[folderIndex(a)] > depth[folderIndex(b)]) up(a, childOfA);
    while (depth[folderIndex(b)] > depth[folderIndex(a)]) up(b, childOfB);
    while (a != b) up(a, childOfA), up(b, childOfB);
    return a;
  };
  const auto before = [&](NodeId x, NodeId y) {  // depth-first order of two links
    NodeId cx = x;
    NodeId cy = y;
    meet(parent(x), parent(y), &cx, &cy);
    return cx < cy;
  };
  for (std::size_t from = 0; from < linked_.size();) {
    std::size_t to = from;
    while (to < linked_.size() && linked_[to].group == linked_[from].group) ++to;
    const auto group = std::span(linked_).subspan(from, to - from);
    std::sort(group.begin(), group.end(),
              [&](const auto& a, const auto& b) { return before(a.node, b.node); });
    const Bytes bytes = occupied(group[0].node);
    const Bytes length = kind(group[0].node) == EntryKind::file ? this->length(group[0].node) : 0;
    NodeId all = parent(group[0].node);
    NodeId ignored = noNode;
    for (std::size_t i = 0; i < group.size(); ++i) {
      FolderTotals& at = folders_[folderIndex(parent(group[i].node))];
      at.occupied += bytes;
      at.length += length;
      if (i == 0) continue;
      const NodeId both = meet(parent(group[i - 1].node), parent(group[i].node), &ignored, &ignored);
      folders_[folderIndex(both)].occupied -= bytes;
      folders_[folderIndex(both)].length -= length;
      all = meet(all, both, &ignored, &ignored);
    }
    if (group.size() >= group[0].links) folders_[folderIndex(all)].exclusive += bytes;
    from = to;
  }
}

}  // namespace zt
