// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/tree/gain_model.h"

#include <algorithm>
#include <numeric>

namespace zt {

GainModel::GainModel(const SurveyTree& tree, HoldingsPtr holdings, absl::flat_hash_set<NodeId> open)
    : tree_(tree), holdings_(std::move(holdings)), open_(std::move(open)) {
  numberFolders();
  sumPlain();
  placeLinks();
  placeHolders();
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
    if (in == nullptr || tree_.parent(id) != parent) {
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

/// Files that hold something together with others: those with one name by where they lie, the others by
/// inode.
void GainModel::placeHolders() {
  groupList_.assign(groupStart_.size(), noList);
  if (!holdings_) return;
  for (std::uint32_t i = 0; i < holdings_->nodes.size(); ++i) {
    const NodeId node = holdings_->nodes[i];
    if (const auto group = groupOf_.find(node); group != groupOf_.end())
      groupList_[group->second] = i;
    else
      holders_.push_back({rangeOf(tree_.parent(node)).first, i});
  }
  std::sort(holders_.begin(), holders_.end(),
            [](const Link& a, const Link& b) { return a.folder < b.folder; });
  listsStart_.assign(holdings_->extents.size() + 1, 0);
  for (const std::uint32_t e : holdings_->held) ++listsStart_[e + 1];
  std::partial_sum(listsStart_.begin(), listsStart_.end(), listsStart_.begin());
  lists_.resize(holdings_->held.size());
  std::vector<std::uint32_t> at(listsStart_.begin(), listsStart_.end() - 1);
  for (std::uint32_t i = 0; i < holdings_->nodes.size(); ++i)
    for (const std::uint32_t e : holdings_->heldBy(i)) lists_[at[e]++] = i;
}

std::span<const GainModel::Link> GainModel::within(const std::vector<Link>& links, NodeId folder) const {
  const Range& range = rangeOf(folder);
  const auto at = [&](std::uint32_t number) {
    return std::lower_bound(links.begin(), links.end(), number,
                            [](const Link& l, std::uint32_t n) { return l.folder < n; });
  };
  return {at(range.first), at(range.end)};
}

std::uint32_t GainModel::listOf(NodeId node) const {
  if (!holdings_) return noList;
  const auto& nodes = holdings_->nodes;
  const auto at = std::lower_bound(nodes.begin(), nodes.end(), node);
  return at != nodes.end() && *at == node ? static_cast<std::uint32_t>(at - nodes.begin()) : noList;
}

Bytes GainModel::heldBytes(std::uint32_t list) const {
  Bytes sum = 0;
  for (const std::uint32_t e : holdings_->heldBy(list)) sum += holdings_->extents[e].bytes;
  return sum;
}

GainBounds GainModel::ownOf(NodeId node, std::uint32_t list) const {
  const Bytes bytes = tree_.occupied(node);
  const bool open = !open_.empty() && open_.contains(node);
  if (!tree_.mayShare(node)) return {open ? 0 : bytes, bytes};
  if (list == noList) return {0, bytes};
  const Bytes own = bytes - std::min(bytes, heldBytes(list));
  return {open ? 0 : own, own};
}

GainBounds GainModel::plainOf(NodeId node) const {
  if (tree_.isFolder(node)) return plain_[tree_.folderIndex(node)];
  if (tree_.isLinked(node)) return {};
  return ownOf(node, tree_.mayShare(node) ? listOf(node) : noList);
}

template <class Each>
void GainModel::eachGroup(NodeId node, Each each) const {
  if (tree_.isFolder(node)) {
    for (const Link& link : within(links_, node)) each(link.group);
  } else if (const auto group = groupOf_.find(node); group != groupOf_.end()) {
    each(group->second);
  }
}

template <class Each>
void GainModel::eachList(NodeId node, Each each) const {
  if (tree_.isFolder(node)) {
    for (const Link& link : within(holders_, node)) each(link.group);
  } else if (!tree_.isLinked(node) && tree_.mayShare(node)) {
    if (const std::uint32_t list = listOf(node); list != noList) each(list);
  }
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

namespace {
GainModel::Points everybody(const Holdings* holdings) {
  if (holdings == nullptr) return {};
  GainModel::Points all(holdings->unseen() + 1, true);
  all[holdings->others()] = false;
  return all;
}
}  // namespace

GainModel::Sum::Sum(const GainModel& model, const Points& points)
    : model_(model), chosen_(points), mayGo_(everybody(model.holdings())) {
  if (model.holdings_ == nullptr || points.empty()) return;
  for (const Holdings::Outside& one : model.holdings_->outside)
    if (one.bytes > 0 && chosen_.all(model.holdings_->sets, one.holders))
      points_ += {one.bytes, one.bytes};
    else if (!model.holdings_->exact && chosen_.any(model.holdings_->sets, one.holders))
      points_.atMost += one.bytes;
}

/// What an extent gives, all of whose files go.
GainBounds GainModel::Sum::boundsOf(std::uint32_t extent) const {
  const Holdings& h = *model_.holdings_;
  const Holdings::Extent& e = h.extents[extent];
  const auto open = open_.find(extent);
  const bool held = open != open_.end() && open->second > 0;
  return {!held && chosen_.all(h.sets, e.outside) ? e.bytes : 0, mayGo_.all(h.sets, e.outside) ? e.bytes : 0};
}

/// What a node holds alone; `held(extent, open)` and `group(group)` give the rest.
template <class Held, class Group>
GainBounds GainModel::Sum::each(NodeId node, Held held, Group group) {
  GainBounds gain = model_.plainOf(node);
  const auto ofList = [&](std::uint32_t list) {
    const bool open = !model_.open_.empty() && model_.open_.contains(model_.holdings_->nodes[list]);
    for (const std::uint32_t extent : model_.holdings_->heldBy(list)) gain += held(extent, open);
  };
  model_.eachList(node, ofList);
  model_.eachGroup(node, [&](std::uint32_t number) {
    if (!group(number)) return;
    const std::uint32_t list = model_.groupList_[number];
    gain += model_.ownOf(model_.nodeOfGroup(number), list);
    if (list != noList) ofList(list);
  });
  return gain;
}

GainBounds GainModel::Sum::add(NodeId node) {
  return each(
      node,
      [&](std::uint32_t extent, bool open) {
        const std::uint32_t files = model_.holdings_->extents[extent].files;
        if (open) ++open_[extent];
        // Only with the last of the files that hold an extent does it come free: it counts with whoever is
        // last.
        return files > 1 && ++files_[extent] != files ? GainBounds{} : boundsOf(extent);
      },
      [&](std::uint32_t group) { return ++going_[group] == model_.namesOfGroup(group); });
}

GainBounds GainModel::Sum::remove(NodeId node) {
  return each(
      node,
      [&](std::uint32_t extent, bool open) {
        const std::uint32_t files = model_.holdings_->extents[extent].files;
        // The reverse order of `add`: what it gave is asked for before this file counts as one that stays.
        const GainBounds gave = files > 1 && files_[extent]-- != files ? GainBounds{} : boundsOf(extent);
        if (open) --open_[extent];
        return gave;
      },
      [&](std::uint32_t group) { return going_[group]-- == model_.namesOfGroup(group); });
}

GainBounds GainModel::of(std::span<const NodeId> nodes, const Points& points) const {
  Sum sum(*this, points);
  GainBounds gain = sum.ofPoints();
  // What lies beneath another of them would count twice.
  for (const NodeId id : outermost(nodes)) gain += sum.add(id);
  return gain;
}

Bytes GainModel::occupiedOf(std::span<const NodeId> nodes) const {
  Bytes bytes = 0;
  absl::flat_hash_map<std::uint32_t, bool> seen, extents;
  const auto addHeld = [&](std::uint32_t list) {
    for (const std::uint32_t e : holdings_->heldBy(list))
      if (extents.emplace(e, true).second) bytes += holdings_->extents[e].bytes;
  };
  for (const NodeId id : outermost(nodes)) {
    bytes += plainOf(id).atMost;
    eachList(id, addHeld);
    eachGroup(id, [&](std::uint32_t group) {
      if (!seen.emplace(group, true).second) return;
      bytes += ownOf(nodeOfGroup(group), groupList_[group]).atMost;
      if (groupList_[group] != noList) addHeld(groupList_[group]);
    });
  }
  return bytes;
}

GainModel::Keepers GainModel::keepersOf(std::span<const NodeId> nodes) const {
  Keepers all;
  if (!holdings_) return all;
  const Holdings& h = *holdings_;
  absl::flat_hash_map<std::uint32_t, std::uint32_t> going, files;
  const auto take = [&](std::uint32_t list) {
    for (const std::uint32_t e : h.heldBy(list)) ++files[e];
  };
  const std::vector<NodeId> tops = outermost(nodes);
  for (const NodeId id : tops) {
    eachList(id, take);
    eachGroup(id, [&](std::uint32_t group) {
      if (++going[group] == namesOfGroup(group) && groupList_[group] != noList) take(groupList_[group]);
    });
  }
  Points points(h.points.size(), true);
  const NumberSets::Chosen allPoints(points);
  points.assign(points.size(), false);
  std::vector<std::uint32_t> elsewhere;
  for (const auto& [number, count] : files) {
    const Holdings::Extent& e = h.extents[number];
    if (count < e.files) {
      all.byFiles += e.bytes;
      elsewhere.push_back(number);
    } else if (e.outside != NumberSets::none && allPoints.all(h.sets, e.outside)) {
      all.byPoints += e.bytes;
      for (const NumberSets::Run& run : h.sets.runs(e.outside))
        for (std::uint32_t p = run.from; p < run.to; ++p) points[p] = true;
    } else if (e.outside != NumberSets::none) {
      all.byOthers += e.bytes;
    }
  }
  if (all.byPoints > 0) all.points = std::move(points);
  std::sort(elsewhere.begin(), elsewhere.end());
  nameHolders(elsewhere, tops, all.files);
  return all;
}

/// Some files that hold any of the extents and lie at or beneath none of the tops.
void GainModel::nameHolders(std::span<const std::uint32_t> extents, std::span<const NodeId> tops,
                            std::vector<NodeId>& files) const {
  constexpr std::size_t most = 10;
  for (const std::uint32_t e : extents)
    for (std::uint32_t i = listsStart_[e]; i < listsStart_[e + 1]; ++i) {
      const NodeId node = holdings_->nodes[lists_[i]];
      const bool inside = std::any_of(tops.begin(), tops.end(), [&](NodeId t) { return beneath(node, t); });
      if (inside || std::find(files.begin(), files.end(), node) != files.end()) continue;
      files.push_back(node);
      if (files.size() == most) return;
    }
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
