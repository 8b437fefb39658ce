// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/readings.h"

#include <algorithm>
#include <array>

namespace zt {

std::vector<FreeReading> readingsOf(const std::vector<Visit>& visits) {
  std::vector<FreeReading> readings;
  readings.reserve(visits.size());
  // A proof tells of the same bytes as its run.
  for (const Visit& v : visits) readings.push_back({v.when, v.free, v.kind == VisitKind::ran ? v.rose : 0});
  return readings;
}

std::vector<VisitSum> countedOf(const FindContext& measured) {
  constexpr std::size_t mostFolders = 50;
  const SurveyTree& tree = measured.tree;
  std::array<Bytes, standings> byStanding{};
  for (NodeId id = 0; id < tree.size(); ++id)
    if (!tree.isGone(id)) byStanding[static_cast<std::size_t>(measured.standing[id])] += tree.occupied(id);
  std::vector<VisitSum> folders, all;
  const FolderTotals& top = tree.totals(0);
  for (NodeId id = top.firstChild; id < top.firstChild + top.children; ++id)
    if (tree.isFolder(id)) folders.push_back({"folder", PathBytes(tree.name(id)), tree.weight(id)});
  std::sort(folders.begin(), folders.end(), [](const auto& a, const auto& b) { return a.bytes > b.bytes; });
  if (folders.size() > mostFolders) folders.resize(mostFolders);
  for (std::size_t i = 0; i < byStanding.size(); ++i)
    if (byStanding[i] > 0)
      all.push_back({"standing", PathBytes(name(static_cast<Standing>(i))), byStanding[i]});
  all.insert(all.end(), folders.begin(), folders.end());
  return all;
}

}  // namespace zt
