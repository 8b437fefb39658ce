// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/measure/stored_holdings.h"

#include <absl/container/flat_hash_map.h>

#include <algorithm>

namespace zt {

namespace {

class Building {
public:
  Building(const StoredSizes& sizes, const std::vector<bool>& walked, std::uint64_t rootTree,
           const SurveyTree& tree)
      : sizes_(sizes), walked_(walked), rootTree_(rootTree), tree_(tree) {}

  HoldingsPtr build(Bytes used) {
    addPoints();
    placeSubvolumes();
    if (sizes_.namesOnly) return boundedBy(used);
    findFiles();
    addExtents();
    addOutside();
    return std::move(holdings_);
  }

private:
  using Key = std::pair<std::uint64_t, std::uint64_t>;  ///< subvolume and inode

  void addPoints() {
    for (std::size_t i = 0; i < sizes_.trees.size(); ++i) {
      const Subvolume& s = sizes_.trees[i].is;
      number_.push_back(~0u);
      if (walked_[i] || s.going || !s.isState()) continue;
      number_.back() = static_cast<std::uint32_t>(holdings_->points.size());
      holdings_->points.push_back(pointOf(s));
    }
    for (std::size_t i = 0; i < number_.size(); ++i)
      if (number_[i] == ~0u) number_[i] = holdings_->others();
  }

  Point pointOf(const Subvolume& s) const {
    Point point;
    point.id = s.id;
    point.uuid = s.uuid;
    point.originUuid = s.parentUuid;
    point.receivedUuid = s.receivedUuid;
    point.path = s.path;
    point.taken = s.made;
    point.sent = s.sent;
    point.readOnly = s.readOnly;
    point.changed = s.changed;
    point.isDefault = s.isDefault;
    point.mounted = s.mounted;
    point.holdsOthers = std::any_of(sizes_.trees.begin(), sizes_.trees.end(),
                                    [&](const auto& t) { return t.is.parent == s.id; });
    return point;
  }

  /// The subvolume of every folder: its parent's, but for tops of others.
  void placeSubvolumes() {
    absl::flat_hash_map<Key, std::vector<std::size_t>> inFolder;
    for (std::size_t i = 0; i < sizes_.trees.size(); ++i)
      inFolder[{sizes_.trees[i].is.parent, sizes_.trees[i].is.folder}].push_back(i);
    treeOf_.assign(tree_.folderNumbers(), 0);
    treeOf_[tree_.folderIndex(0)] = rootTree_;
    for (NodeId id = 1; id < tree_.size(); ++id) {
      if (!tree_.isFolder(id) || tree_.isGone(id)) continue;
      const NodeId up = tree_.parent(id);
      const std::uint64_t around = treeOf_[tree_.folderIndex(up)];
      std::uint64_t& own = treeOf_[tree_.folderIndex(id)];
      own = around;
      if (tree_.inode(id) != subvolumeTopInode) continue;
      const auto there = inFolder.find({around, tree_.inode(up)});
      for (const std::size_t i : there == inFolder.end() ? std::vector<std::size_t>{} : there->second) {
        if (sizes_.trees[i].is.name != tree_.name(id)) continue;
        own = sizes_.trees[i].is.id;
        if (number_[i] < holdings_->points.size()) {
          holdings_->points[number_[i]].node = id;
        } else if (walked_[i] && sizes_.trees[i].is.isState()) {
          holdings_->walked.push_back(pointOf(sizes_.trees[i].is));
          holdings_->walked.back().node = id;
        }
      }
    }
  }

  /// The nodes of the files that hold something together with others, one an inode.
  void findFiles() {
    for (const auto& r : sizes_.reaches) nodes_.emplace(Key{r.tree, r.inode}, noNode);
    if (nodes_.empty()) return;
    for (NodeId id = 1; id < tree_.size(); ++id) {
      if (tree_.kind(id) != EntryKind::file || tree_.isGone(id) || !tree_.mayShare(id)) continue;
      const auto at = nodes_.find(Key{treeOf_[tree_.folderIndex(tree_.parent(id))], tree_.inode(id)});
      if (at != nodes_.end() && at->second == noNode) at->second = id;
    }
  }

  /// Nobody could look into them: all that is sure is that they hold no more than the drive does.
  HoldingsPtr boundedBy(Bytes used) {
    if (holdings_->points.empty()) return nullptr;
    holdings_->exact = false;
    const NumberSets::Id all = holdings_->sets.of({{0, holdings_->others()}});
    const NumberSets::Id somebody = holdings_->sets.of(holdings_->unseen());
    holdings_->outside.push_back({holdings_->sets.join(all, somebody), used, 0});
    holdings_->start.push_back(0);
    return std::move(holdings_);
  }

  /// Who of a set is not walked, by the numbers of the holdings.
  NumberSets::Id outsideOf(NumberSets::Id set) {
    const auto [at, isNew] = outside_.try_emplace(set, NumberSets::none);
    if (!isNew) return at->second;
    std::vector<NumberSets::Run> runs;
    for (const NumberSets::Run& run : sizes_.sets.runs(set))
      for (std::uint32_t t = run.from; t < run.to; ++t)
        if (!walked_[t]) runs.push_back({number_[t], number_[t] + 1});
    return at->second = holdings_->sets.of(std::move(runs));
  }

  void addExtents() {
    constexpr std::uint32_t none = ~std::uint32_t{0};
    std::vector<std::uint32_t> numberOf(sizes_.extents.size(), none);
    std::vector<bool> unseen(sizes_.extents.size(), false);
    std::vector<std::pair<NodeId, std::uint32_t>> pieces;
    for (const auto& r : sizes_.reaches) {
      const NodeId node = nodes_[Key{r.tree, r.inode}];
      // A file that was walked but not met was deleted and is open still, or lies outside what was measured.
      if (node == noNode)
        unseen[r.extent] = true;
      else
        pieces.emplace_back(node, r.extent);
    }
    std::sort(pieces.begin(), pieces.end());
    const NumberSets::Id somebody = holdings_->sets.of(holdings_->unseen());
    for (const auto& [node, extent] : pieces) {
      std::uint32_t& number = numberOf[extent];
      if (number == none) {
        number = static_cast<std::uint32_t>(holdings_->extents.size());
        NumberSets::Id outside = outsideOf(sizes_.extents[extent].holders);
        if (unseen[extent]) outside = holdings_->sets.join(outside, somebody);
        holdings_->extents.push_back({0, sizes_.extents[extent].bytes, 0, outside});
      }
      ++holdings_->extents[number].files;
      if (holdings_->nodes.empty() || holdings_->nodes.back() != node) {
        holdings_->nodes.push_back(node);
        holdings_->start.push_back(static_cast<std::uint32_t>(holdings_->held.size()));
      }
      holdings_->held.push_back(number);
    }
    holdings_->start.push_back(static_cast<std::uint32_t>(holdings_->held.size()));
  }

  void addOutside() {
    const NumberSets::Chosen chosen(walked_);
    absl::flat_hash_map<NumberSets::Id, Holdings::Outside> all;
    for (const auto& h : sizes_.held) {
      if (chosen.any(sizes_.sets, h.holders)) continue;
      const NumberSets::Id set = outsideOf(h.holders);
      Holdings::Outside& one = all[set];
      one.holders = set;
      one.bytes += h.bytes;
      one.records += h.records;
    }
    for (const auto& [set, one] : all) holdings_->outside.push_back(one);
    std::sort(holdings_->outside.begin(), holdings_->outside.end(),
              [](const auto& a, const auto& b) { return a.holders < b.holders; });
  }

  const StoredSizes& sizes_;
  const std::vector<bool>& walked_;
  std::uint64_t rootTree_;
  const SurveyTree& tree_;
  std::shared_ptr<Holdings> holdings_ = std::make_shared<Holdings>();
  std::vector<std::uint32_t> number_;  ///< by place in `sizes.trees`
  std::vector<std::uint64_t> treeOf_;  ///< by folder number
  absl::flat_hash_map<Key, NodeId> nodes_;
  absl::flat_hash_map<NumberSets::Id, NumberSets::Id> outside_;
};

}  // namespace

HoldingsPtr holdingsOf(const StoredSizes& sizes, const std::vector<bool>& walked, std::uint64_t rootTree,
                       const SurveyTree& tree, Bytes used) {
  return Building(sizes, walked, rootTree, tree).build(used);
}

}  // namespace zt
