// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/finds/find.h"

namespace zt {

/// The largest folders in which nothing was modified since the age line. Nested ones are folded into their
/// top; a folder that holds bedrock is never one itself, but folders beneath it can be.
std::vector<Find> detectDormant(const FindContext& c) {
  std::vector<bool> folded(c.tree.size(), false);
  std::vector<Find> finds;
  for (NodeId id = 1; id < c.tree.size(); ++id) {
    if (!c.tree.isFolder(id)) continue;
    if (folded[c.tree.parent(id)] || c.inTrash[id]) {
      folded[id] = true;
      continue;
    }
    const FolderTotals& t = c.tree.totals(id);
    const Standing standing = c.standing[id];
    if (t.newest >= c.line() || t.occupied < c.large() || t.files == 0) continue;
    if (standing == Standing::bedrock || standing == Standing::kept) continue;
    if (c.catalogue.touchesBedrock(c.anchor, c.tree.path(id))) continue;
    folded[id] = true;
    Find find;
    find.kind = FindKind::dormant;
    find.standing = standing;
    find.regret = c.regretOf(id);
    find.items.push_back(c.item(id));
    c.complete(find);
    find.band = ageBand(find.newest, c.options.now);
    finds.push_back(std::move(find));
  }
  return finds;
}

}  // namespace zt
