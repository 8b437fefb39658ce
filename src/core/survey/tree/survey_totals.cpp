// SPDX-License-Identifier: GPL-3.0-or-later
// Totals of a finished tree. The parts of SurveyTree that run once, after the walk.
#include <algorithm>
#include <limits>
#include <tuple>

#include "core/survey/tree/growing_tree.h"

namespace zt {

void GrowingTree::finish(std::vector<LinkedNode> linked) {
  linked_ = std::move(linked);
  std::sort(huge_.begin(), huge_.end());
  finished_ = true;
  groupLinks();
  sumFolders();
}

/// Sorts the links by inode and numbers the inodes.
void GrowingTree::groupLinks() {
  const auto born = [&](const LinkedNode& l) { return chunk(l.node).bornMark[slot(l.node)]; };
  const auto inode = [&](const LinkedNode& l) { return std::tuple(l.device, l.inode, born(l)); };
  std::sort(linked_.begin(), linked_.end(), [&](const LinkedNode& a, const LinkedNode& b) {
    return std::pair(inode(a), a.node) < std::pair(inode(b), b.node);
  });
  linkGroups_ = 0;
  for (std::size_t i = 0; i < linked_.size(); ++i) {
    if (i > 0 && inode(linked_[i]) != inode(linked_[i - 1])) ++linkGroups_;
    linked_[i].group = linkGroups_;
  }
  if (!linked_.empty()) ++linkGroups_;
}

/// What lies directly in each folder, inodes with several names left out.
void GrowingTree::sumOwn(Lengths& lengths) {
  liveFolders_ = 0;
  for (std::uint32_t index = 0; index < folderNumbers(); ++index) {
    const NodeId node = folderAt(index).node;
    if (node == noNode || isGone(node)) continue;
    FolderTotals own;
    own.node = node;
    own.occupied = own.exclusive = occupied(node);
    own.newest = modified(node);
    folderAt(index) = own;
    ++liveFolders_;
  }
  for (NodeId id = 1; id < size();) id = sumSiblings(id, lengths);
}

/// Adds up neighbours that lie in one folder, as long as they also share a chunk, so that the folder is
/// looked up once. Gives the number after the last one.
NodeId GrowingTree::sumSiblings(NodeId first, Lengths& lengths) {
  const Chunk& c = chunk(first);
  const std::uint32_t from = slot(first);
  if ((c.flags[from] & flagGone) != 0) return first + 1;
  const NodeId folder = c.parent[from];
  const std::uint32_t end = std::min(chunkSize - from, size() - first) + from;
  std::uint32_t files = 0;
  TimeNs newest = std::numeric_limits<TimeNs>::min();
  Bytes bytes = 0;
  unsigned __int128 length = 0;
  std::uint32_t at = from;
  for (; at < end && c.parent[at] == folder && (c.flags[at] & flagGone) == 0; ++at) {
    const std::uint8_t flags = c.flags[at];
    const auto kind = static_cast<EntryKind>(flags & kindBits);
    if (kind == EntryKind::folder) continue;
    newest = std::max(newest, c.modified[at]);
    files += kind == EntryKind::file;
    if ((flags & flagLinked) != 0) continue;
    bytes += occupied(first + (at - from));
    if (kind == EntryKind::file) length += c.length[at];
  }
  const std::uint32_t index = folderIndex(folder);
  FolderTotals& up = folderAt(index);
  if (up.children == 0) up.firstChild = first;
  up.children += at - from;
  up.entries += at - from;
  up.files += files;
  up.newest = std::max(up.newest, newest);
  up.occupied += bytes;
  up.exclusive += bytes;
  lengths[index] += length;
  return first + (at - from);
}

void GrowingTree::sumFolders() {
  Lengths lengths(folderNumbers(), 0);
  sumOwn(lengths);
  shareLinks(lengths);
  // Children have larger numbers than their parents: one pass from the back adds every folder to the one
  // above it.
  constexpr Bytes most = ~Bytes{0};
  for (std::uint32_t index = folderNumbers(); index-- > 0;) {
    FolderTotals& from = folderAt(index);
    if (from.node == noNode || isGone(from.node)) continue;
    from.length = lengths[index] > most ? most : static_cast<Bytes>(lengths[index]);
    if (from.node == 0) continue;
    const std::uint32_t above = folderIndex(parent(from.node));
    FolderTotals& up = folderAt(above);
    lengths[above] += lengths[index];
    up.occupied += from.occupied;
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
void GrowingTree::shareLinks(Lengths& lengths) {
  if (linked_.empty()) return;
  std::vector<std::uint32_t> depth(folderNumbers(), 0);
  for (std::uint32_t index = 0; index < folderNumbers(); ++index)
    if (const NodeId id = folderAt(index).node; id != noNode && id != 0 && !isGone(id))
      depth[index] = depth[folderIndex(parent(id))] + 1;
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
      const std::uint32_t at = folderIndex(parent(group[i].node));
      folderAt(at).occupied += bytes;
      lengths[at] += length;
      if (i == 0) continue;
      const NodeId both = meet(parent(group[i - 1].node), parent(group[i].node), &ignored, &ignored);
      folderAt(folderIndex(both)).occupied -= bytes;
      lengths[folderIndex(both)] -= length;
      all = meet(all, both, &ignored, &ignored);
    }
    if (group.size() >= group[0].links) folderAt(folderIndex(all)).exclusive += bytes;
    from = to;
  }
}

}  // namespace zt
