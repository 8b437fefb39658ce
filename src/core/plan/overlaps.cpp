// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/overlaps.h"

#include <absl/container/flat_hash_map.h>

#include <algorithm>
#include <set>

#include "core/finds/subject_type.h"

namespace zt {

namespace {

using Numbers = std::vector<std::uint32_t>;

class Relations {
public:
  Relations(ChoiceProblem& problem, std::span<const Find* const> candidates, const FindContext& context)
      : problem_(problem), candidates_(candidates), context_(context) {
    for (std::uint32_t i = 0; i < candidates.size(); ++i)
      for (const Subject& item : candidates[i]->items)
        if (item.node != noNode)
          at_[item.node].push_back(i);
        else
          other_[{item.kind, typeOf(item).number(item)}].push_back(i);
  }

  void excludeOverlaps() {
    std::set<std::pair<std::uint32_t, std::uint32_t>> pairs;
    const auto add = [&](std::uint32_t a, std::uint32_t b) {
      if (a != b) pairs.emplace(std::min(a, b), std::max(a, b));
    };
    for (const auto& [node, here] : at_) {
      for (const std::uint32_t a : here)
        for (const std::uint32_t b : here) add(a, b);
      for (NodeId up = context_.tree.parent(node); up != noNode; up = context_.tree.parent(up)) {
        if (const auto above = at_.find(up); above != at_.end())
          for (const std::uint32_t a : here)
            for (const std::uint32_t b : above->second) add(a, b);
        if (up == 0) break;
      }
    }
    for (const auto& [number, here] : other_)
      for (const std::uint32_t a : here)
        for (const std::uint32_t b : here) add(a, b);
    problem_.excludes.assign(pairs.begin(), pairs.end());
  }

  /// Files whose names lie in several candidates, and nowhere else.
  void joinLinks() {
    std::map<Numbers, Bytes> together;
    absl::flat_hash_set<NodeId> seen;
    for (const LinkedNode& linked : context_.tree.linked()) {
      if (context_.names.hasOthers(linked.node) || seen.contains(linked.node)) continue;
      std::set<std::uint32_t> holders;
      bool all = true;
      for (const NodeId name : context_.names.of(linked.node)) {
        seen.insert(name);
        const auto by = holderOf(name);
        all = all && by;
        if (by) holders.insert(*by);
      }
      if (all && holders.size() > 1 && holders.size() <= most)
        together[Numbers(holders.begin(), holders.end())] += context_.tree.occupied(linked.node);
    }
    for (auto& [who, bytes] : together) problem_.together.push_back({who, bytes});
  }

  /// What points hold together, and none of them alone.
  void joinPoints() {
    Numbers all;
    GainModel::Points going(context_.points.kept(), false);
    Bytes singly = 0;
    for (std::uint32_t i = 0; i < candidates_.size(); ++i) {
      bool points = false;
      for (const Subject& item : candidates_[i]->items)
        if (const auto point = context_.pointOf(item)) going[*point] = points = true;
      if (!points) continue;
      all.push_back(i);
      singly += candidates_[i]->gain.sure;
    }
    if (all.size() < 2 || all.size() > most) return;
    const Bytes together = context_.points.of(going).frees;
    if (together > singly) problem_.together.push_back({all, together - singly});
  }

private:
  static constexpr std::size_t most = 64;

  /// The candidate that a file goes with; nothing where that is none or one of several.
  std::optional<std::uint32_t> holderOf(NodeId node) const {
    for (NodeId up = node; up != noNode; up = context_.tree.parent(up)) {
      if (const auto at = at_.find(up); at != at_.end())
        return at->second.size() == 1 ? std::optional(at->second.front()) : std::nullopt;
      if (up == 0) break;
    }
    return std::nullopt;
  }

  ChoiceProblem& problem_;
  std::span<const Find* const> candidates_;
  const FindContext& context_;
  absl::flat_hash_map<NodeId, Numbers> at_;
  std::map<std::pair<SubjectKind, std::uint64_t>, Numbers> other_;
};

}  // namespace

void relate(ChoiceProblem& problem, std::span<const Find* const> candidates, const FindContext& context) {
  Relations relations(problem, candidates, context);
  relations.excludeOverlaps();
  relations.joinLinks();
  relations.joinPoints();
}

}  // namespace zt
