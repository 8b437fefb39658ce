// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/tree/gain_model.h"

#include <algorithm>

namespace zt {

GainModel::GainModel(const SurveyTree& tree) : tree_(tree) {
  numberFolders();
  sumPlain();
  placeLinks();
}

/// Depth-first numbers of the folders. A parent's folder number is smaller than its children's, so one pass
/// from the back counts what lies beneath, and one from the front hands out the numbers.
void GainModel::numberFolders() {
  const std::uint32_t count = tree_.folderNumbers();
  std::vector<NodeId> node(count, noNode);
  for (std::uint32_t i = 0; i < count; ++i) {
    (void)tree_.growing(i, &node[i]);
    if (node[i] != noNode && tree_.isGone(node[i])) node[i] = noNode;
  }
  const auto above = [&](std::uint32_t i) { return tree_.folderIndex(tree_.parent(node[i])); };
  std::vector<std::uint32_t> size(count, 1);
  for (std::uint32_t i = count; i-- > 1;)
    if (node[i] != noNode) size[above(i)] += size[i];
  ranges_.resize(count);
  std::vector<std::uint32_t> next(count, 0);
  for (std::uint32_t i = 0; i < count; ++i) {
    if (node[i] == noNode) continue;
    const std::uint32_t first = node[i] == 0 ? 0 : std::exchange(next[above(i)], next[above(i)] + size[i]);
    ranges_[i] = {first, first + size[i]};
    next[i] = first + 1;
  }
}

void GainModel::sumPlain() {
  plain_.assign(tree_.folderNumbers(), {});
  NodeId parent = noNode;  // siblings lie together: the folder they are in is looked up once
  GainBounds* in = nullptr;
  for (NodeId id = tree_.size(); id-- > 0;) {  // children have larger numbers
    if (tree_.isGone(id) || tree_.isLinked(id)) continue;
    const bool folder = tree_.isFolder(id);
    if (folder) plain_[tree_.folderIndex(id)] += {tree_.occupied(id), tree_.occupied(id)};
    if (id == 0) break;
    if (tree_.parent(id) != parent) {
      parent = tree_.parent(id);
      in = &plain_[tree_.folderIndex(parent)];
    }
    *in += plainOf(id);
  }
}

void GainModel::placeLinks() {
  const auto& linked = tree_.linked();
  groupOf_.reserve(linked.size());
  links_.reserve(linked.size());
  for (std::uint32_t i = 0; i < linked.size(); ++i) {
    if (i == 0 || linked[i].group != linked[i - 1].group) groupStart_.push_back(i);
    groupOf_.emplace(linked[i].node, linked[i].group);
    links_.push_back({rangeOf(tree_.parent(linked[i].node)).first, linked[i].group});
  }
  groupStart_.push_back(static_cast<std::uint32_t>(linked.size()));
  std::sort(links_.begin(), links_.end(), [](const Link& a, const Link& b) { return a.folder < b.folder; });
}

std::span<const GainModel::Link> GainModel::linksIn(NodeId folder) const {
  const Range& range = rangeOf(folder);
  const auto at = [&](std::uint32_t number) {
    return std::lower_bound(links_.begin(), links_.end(), number,
                            [](const Link& l, std::uint32_t n) { return l.folder < n; });
  };
  return {at(range.first), at(range.end)};
}

GainBounds GainModel::plainOf(NodeId node) const {
  if (tree_.isFolder(node)) return plain_[tree_.folderIndex(node)];
  if (tree_.isLinked(node)) return {};
  const Bytes bytes = tree_.occupied(node);
  return {tree_.mayShare(node) ? 0 : bytes, bytes};
}

template <class Each>
void GainModel::eachGroup(NodeId node, Each each) const {
  if (tree_.isFolder(node)) {
    for (const Link& link : linksIn(node)) each(link.group);
  } else if (const auto group = groupOf_.find(node); group != groupOf_.end()) {
    each(group->second);
  }
}

GainBounds GainModel::bytesOfGroup(std::uint32_t group) const {
  const NodeId node = tree_.linked()[groupStart_[group]].node;
  const Bytes bytes = tree_.occupied(node);
  return {tree_.mayShare(node) ? 0 : bytes, bytes};
}

std::uint32_t GainModel::namesOfGroup(std::uint32_t group) const {
  return tree_.linked()[groupStart_[group]].links;
}

bool GainModel::beneath(NodeId id, NodeId folder) const {
  if (id == folder) return true;
  if (!tree_.isFolder(folder)) return false;
  const std::uint32_t number = rangeOf(tree_.isFolder(id) ? id : tree_.parent(id)).first;
  return number >= rangeOf(folder).first && number < rangeOf(folder).end;
}

std::vector<NodeId> GainModel::outermost(std::span<const NodeId> nodes) const {
  std::vector<NodeId> sorted(nodes.begin(), nodes.end());
  std::sort(sorted.begin(), sorted.end());
  sorted.erase(std::unique(sorted.begin(), sorted.end()), sorted.end());
  std::vector<Range> tops;
  for (const NodeId id : sorted)
    if (tree_.isFolder(id)) tops.push_back(rangeOf(id));
  if (tops.empty()) return sorted;
  std::sort(tops.begin(), tops.end(), [](const Range& a, const Range& b) { return a.first < b.first; });
  // Ranges nest or lie apart: whoever begins within the one before lies beneath it.
  std::uint32_t covered = 0;
  std::erase_if(tops,
                [&](const Range& r) { return r.first < std::exchange(covered, std::max(covered, r.end)); });
  std::erase_if(sorted, [&](NodeId id) {
    const bool folder = tree_.isFolder(id);
    const std::uint32_t number = rangeOf(folder ? id : tree_.parent(id)).first;
    auto top = std::upper_bound(tops.begin(), tops.end(), number,
                                [](std::uint32_t n, const Range& r) { return n < r.first; });
    if (top == tops.begin()) return false;
    --top;
    return number < top->end && !(folder && top->first == number);
  });
  return sorted;
}

GainBounds GainModel::Sum::add(NodeId node) {
  GainBounds gain = model_.plainOf(node);
  model_.eachGroup(node, [&](std::uint32_t group) {
    if (++going_[group] == model_.namesOfGroup(group)) gain += model_.bytesOfGroup(group);
  });
  return gain;
}

GainBounds GainModel::of(std::span<const NodeId> nodes) const {
  Sum sum(*this);
  GainBounds gain;
  for (const NodeId id : outermost(nodes)) gain += sum.add(id);
  return gain;
}

Bytes GainModel::occupiedOf(std::span<const NodeId> nodes) const {
  Bytes bytes = 0;
  absl::flat_hash_map<std::uint32_t, bool> seen;
  for (const NodeId id : outermost(nodes)) {
    bytes += plainOf(id).atMost;
    eachGroup(id, [&](std::uint32_t group) {
      if (seen.emplace(group, true).second) bytes += bytesOfGroup(group).atMost;
    });
  }
  return bytes;
}

std::uint32_t GainModel::namesElsewhere(std::span<const NodeId> nodes) const {
  absl::flat_hash_map<std::uint32_t, std::uint32_t> inside;
  for (const NodeId id : outermost(nodes)) eachGroup(id, [&](std::uint32_t group) { ++inside[group]; });
  std::uint32_t outside = 0;
  for (const auto& [group, count] : inside)
    outside += namesOfGroup(group) - std::min(namesOfGroup(group), count);
  return outside;
}

}  // namespace zt
