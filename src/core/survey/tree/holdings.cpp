// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/tree/holdings.h"

#include <algorithm>
#include <tuple>

namespace zt {

Bytes Holdings::countedTwice() const {
  Bytes sum = 0;
  for (const Extent& e : extents)
    if (e.files > 1) sum += e.bytes * (e.files - 1);
  return sum;
}

bool holdStretches(Holdings& holdings, std::vector<HeldStretch> stretches, bool allSeen) {
  std::vector<Bytes> cuts;
  cuts.reserve(stretches.size() * 2);
  for (const HeldStretch& s : stretches) cuts.push_back(s.place), cuts.push_back(s.place + s.bytes);
  std::sort(cuts.begin(), cuts.end());
  cuts.erase(std::unique(cuts.begin(), cuts.end()), cuts.end());
  constexpr std::size_t mostPieces = 50'000'000;
  std::vector<std::pair<NodeId, std::uint32_t>> pieces;
  for (const HeldStretch& s : stretches) {
    auto cut = std::lower_bound(cuts.begin(), cuts.end(), s.place);
    for (; cut != cuts.end() && *cut < s.place + s.bytes; ++cut)
      pieces.emplace_back(s.node, static_cast<std::uint32_t>(cut - cuts.begin()));
    if (pieces.size() > mostPieces) return false;
  }
  stretches = {};
  std::sort(pieces.begin(), pieces.end());
  pieces.erase(std::unique(pieces.begin(), pieces.end()), pieces.end());
  constexpr std::uint32_t none = ~std::uint32_t{0};
  std::vector<std::uint32_t> extentOf(cuts.size(), none);
  const NumberSets::Id unseen = holdings.sets.of(holdings.unseen());
  holdings.extents.clear();
  holdings.nodes.clear();
  holdings.start.clear();
  holdings.held.clear();
  for (const auto& [node, cut] : pieces) {
    std::uint32_t& extent = extentOf[cut];
    if (extent == none) {
      extent = static_cast<std::uint32_t>(holdings.extents.size());
      holdings.extents.push_back({cuts[cut], cuts[cut + 1] - cuts[cut], 0, NumberSets::none});
    }
    ++holdings.extents[extent].files;
    if (holdings.nodes.empty() || holdings.nodes.back() != node) {
      holdings.nodes.push_back(node);
      holdings.start.push_back(static_cast<std::uint32_t>(holdings.held.size()));
    }
    holdings.held.push_back(extent);
  }
  holdings.start.push_back(static_cast<std::uint32_t>(holdings.held.size()));
  for (Holdings::Extent& e : holdings.extents)
    if (!allSeen || e.files == 1) e.outside = unseen;
  return true;
}

}  // namespace zt
