// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/points/linked_series.h"

#include <absl/container/flat_hash_map.h>
#include <absl/container/flat_hash_set.h>

#include <algorithm>
#include <map>

#include "core/points/series_name.h"

namespace zt {

namespace {

/// Of a member at least every second file is shared with its neighbours, and so many: who links a few
/// pictures from one year into the next keeps no states of one thing.
constexpr std::uint64_t least = 2, leastFiles = 3;

using SharedBy = absl::flat_hash_map<NodeId, std::uint64_t>;

/// The folders side by side in which two names have the same path; nothing if there are none such.
std::optional<std::pair<NodeId, NodeId>> sideBySide(const SurveyTree& tree, NodeId a, NodeId b) {
  bool climbed = false;
  while (a != 0 && b != 0 && tree.parent(a) != tree.parent(b) && tree.name(a) == tree.name(b)) {
    a = tree.parent(a);
    b = tree.parent(b);
    climbed = true;
  }
  if (!climbed || a == 0 || b == 0 || a == b || tree.parent(a) != tree.parent(b)) return std::nullopt;
  return std::pair(a, b);
}

/// How many files folders share with folders beside them, under the same paths.
SharedBy sharedBySiblings(const SurveyTree& tree) {
  SharedBy all;
  const auto& links = tree.linked();
  absl::flat_hash_set<NodeId> here;
  for (std::size_t from = 0, to; from < links.size(); from = to) {
    here.clear();
    for (to = from + 1; to < links.size() && links[to].group == links[from].group; ++to)
      if (const auto both = sideBySide(tree, links[to - 1].node, links[to].node))
        here.insert(both->first), here.insert(both->second);
    for (const NodeId folder : here) ++all[folder];
  }
  return all;
}

struct Candidate {
  NodeId node = noNode;
  SeriesName name;
};

/// Whether the numbers of names grow with time, by what lies in the folders; nothing where that says both.
std::optional<bool> growWithTime(const SurveyTree& tree, const std::vector<Candidate>& byNumber) {
  int up = 0, down = 0;
  const auto count = [&](TimeNs a, TimeNs b) { up += a<b, down += a> b; };
  for (std::size_t i = 1; i < byNumber.size(); ++i) {
    const NodeId a = byNumber[i - 1].node, b = byNumber[i].node;
    count(tree.totals(a).newest, tree.totals(b).newest);
    count(tree.modified(a), tree.modified(b));
  }
  return up == down ? std::nullopt : std::optional(up > down);
}

/// The newest stays, by its name and by what lies in it. A date that has not come yet is an error of a clock:
/// then the last one before it stays as well.
void lockNewest(const SurveyTree& tree, LinkedSeries& series, TimeNs now) {
  auto& members = series.members;
  members.back().stays = true;
  auto fullest = members.end() - 1;
  for (auto at = members.end(); at != members.begin();)
    if (--at; tree.totals(at->node).newest > tree.totals(fullest->node).newest) fullest = at;
  fullest->stays = true;
  // Where somebody still writes them, the newest may not be finished: then the one before it is the last.
  const bool alive = tree.totals(fullest->node).newest > now - 180 * nsPerDay;
  if (alive && members.size() > 1) members[members.size() - 2].stays = true;
  for (auto at = members.rbegin(); at != members.rend(); ++at) {
    at->stays = true;
    if (at->taken <= now + nsPerDay) break;
  }
}

LinkedSeries seriesOf(const SurveyTree& tree, std::vector<Candidate> candidates, TimeNs now) {
  LinkedSeries series;
  series.folder = tree.parent(candidates.front().node);
  const bool dated = candidates.front().name.date.has_value();
  std::sort(candidates.begin(), candidates.end(), [&](const Candidate& a, const Candidate& b) {
    const auto key = [&](const Candidate& c) {
      return std::pair(dated ? *c.name.date : static_cast<TimeNs>(*c.name.number), c.node);
    };
    return key(a) < key(b);
  });
  const auto grows = dated ? std::optional(true) : growWithTime(tree, candidates);
  if (grows == false) std::reverse(candidates.begin(), candidates.end());
  for (const Candidate& c : candidates)
    series.members.push_back({c.node, dated ? *c.name.date : tree.totals(c.node).newest, false});
  lockNewest(tree, series, now);
  if (!grows) series.members.front().stays = true;  // either end may be the newest
  return series;
}

}  // namespace

std::vector<LinkedSeries> findLinkedSeries(const SurveyTree& tree, TimeNs now) {
  // By the folder that they lie in, the shape of their names, and whether these hold dates.
  std::map<std::tuple<NodeId, std::string, bool>, std::vector<Candidate>> all;
  for (const auto& [node, shared] : sharedBySiblings(tree)) {
    if (!tree.isFolder(node)) continue;
    if (shared < leastFiles || shared * least < tree.totals(node).files) continue;
    if (auto name = seriesName(tree.name(node))) {
      const auto key = std::tuple(tree.parent(node), name->shape, name->date.has_value());
      all[key].push_back({node, std::move(*name)});
    }
  }
  std::vector<LinkedSeries> series;
  for (auto& [key, candidates] : all)
    if (candidates.size() > 1) series.push_back(seriesOf(tree, std::move(candidates), now));
  return series;
}

LinkedHoldings linkedHoldings(const SurveyTree& tree, const std::vector<LinkedSeries>& series,
                              std::uint32_t first) {
  LinkedHoldings holdings;
  if (series.empty()) return holdings;
  constexpr std::uint32_t none = ~std::uint32_t{0}, unknown = none - 1;
  std::vector<std::uint32_t> memberOf(tree.folderNumbers(), unknown);  // by folder number
  memberOf[tree.folderIndex(0)] = none;
  std::vector<std::uint32_t> seriesOfMember;
  for (std::uint32_t s = 0; s < series.size(); ++s)
    for (const auto& member : series[s].members) {
      memberOf[tree.folderIndex(member.node)] = static_cast<std::uint32_t>(seriesOfMember.size());
      seriesOfMember.push_back(s);
    }
  std::vector<NodeId> way;
  const auto memberAbove = [&](NodeId node) {
    NodeId at = tree.parent(node);
    for (; memberOf[tree.folderIndex(at)] == unknown; at = tree.parent(at)) way.push_back(at);
    const std::uint32_t found = memberOf[tree.folderIndex(at)];
    for (const NodeId folder : way) memberOf[tree.folderIndex(folder)] = found;
    way.clear();
    return found;
  };
  absl::flat_hash_map<NumberSets::Id, Bytes> bytes;
  const auto& links = tree.linked();
  std::vector<NumberSets::Run> runs;
  for (std::size_t from = 0, to; from < links.size(); from = to) {
    runs.clear();
    bool within = true;
    for (to = from; to < links.size() && links[to].group == links[from].group; ++to) {
      const std::uint32_t member = memberAbove(links[to].node);
      const bool same = member != none &&
                        (runs.empty() || seriesOfMember[member] == seriesOfMember[runs.front().from - first]);
      within = within && same;
      if (same) runs.push_back({first + member, first + member + 1});
    }
    if (!within || links[from].links != to - from) continue;
    const NumberSets::Id set = holdings.sets.of(runs);
    if (holdings.sets.count(set) < 2) continue;
    if (tree.mayShare(links[from].node))
      holdings.exact = false;
    else
      bytes[set] += tree.occupied(links[from].node);
  }
  for (const auto& [set, sum] : bytes) holdings.groups.push_back({set, sum});
  std::sort(holdings.groups.begin(), holdings.groups.end(),
            [](const auto& a, const auto& b) { return a.holders < b.holders; });
  return holdings;
}

}  // namespace zt
