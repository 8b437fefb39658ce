// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/losses.h"

#include <algorithm>
#include <map>

namespace zt {

std::string Losses::Known::text() const {
  if (lost.empty()) return what;
  std::string small = lost;
  if (small.size() > 1 && small[1] >= 'a') small.front() = static_cast<char>(std::tolower(small.front()));
  return what + ": " + small;
}

namespace {

/// How much of a place's is in it: the worst regret first, then the most bytes.
struct Weight {
  Regret regret = Regret::none;
  Bytes bytes = 0;
};

}  // namespace

Losses lossesOf(const PlanLine& line, const FindContext& context, std::size_t most) {
  Losses losses;
  std::map<const Place*, Weight> places;
  const SurveyTree& tree = context.tree;
  std::vector<NodeId> waiting;
  for (const Subject& item : line.items)
    if (item.node != noNode) waiting.push_back(item.node);
  while (!waiting.empty()) {
    const NodeId at = waiting.back();
    waiting.pop_back();
    if (tree.isGone(at)) continue;
    if (tree.isFolder(at)) {
      const FolderTotals& t = tree.totals(at);
      for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id)
        waiting.push_back(id);
      continue;
    }
    if (context.regret[at] < Regret::wayBack) continue;
    const Sighting& s = context.sightings.all[context.sightings.of[at]];
    if (s.place != nullptr && s.verdict == Verdict::asSaid && !s.place->what.empty()) {
      Weight& weight = places[s.place];
      weight.regret = std::max(weight.regret, context.regret[at]);
      weight.bytes += tree.occupied(at);
    }
    losses.unjudged += context.standing[at] == Standing::unjudged;
    ++losses.files[static_cast<std::size_t>(context.kind[at])];
  }
  std::vector<std::pair<const Place*, Weight>> order(places.begin(), places.end());
  std::stable_sort(order.begin(), order.end(), [](const auto& a, const auto& b) {
    return std::pair(a.second.regret, a.second.bytes) > std::pair(b.second.regret, b.second.bytes);
  });
  for (const auto& [place, weight] : order) {
    const Losses::Known text{place->what, place->lost};
    const bool said = std::find(losses.known.begin(), losses.known.end(), text) != losses.known.end();
    if (losses.known.size() < most && !said) losses.known.push_back(text);
  }
  return losses;
}

}  // namespace zt
