// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/finds/find.h"

namespace zt {

/// The biggest files anywhere, bedrock among them (shown, but locked). What lies in a trash belongs to the
/// trash.
std::vector<Find> detectLarge(const FindContext& c) {
  std::vector<NodeId> nodes;
  for (NodeId id = 1; id < c.tree.size(); ++id)
    if (c.tree.kind(id) == EntryKind::file && c.tree.occupied(id) >= c.large() && !c.inTrash[id])
      nodes.push_back(id);
  std::sort(nodes.begin(), nodes.end(),
            [&](NodeId a, NodeId b) { return c.tree.occupied(a) > c.tree.occupied(b); });
  if (nodes.size() > c.options.mostLarge) nodes.resize(c.options.mostLarge);
  std::vector<Find> finds;
  for (const NodeId id : nodes) {
    Find find;
    find.kind = FindKind::large;
    find.standing = c.standing[id];
    find.regret = c.regretOf(id);
    find.items.push_back(c.item(id));
    c.complete(find);
    find.band = ageBand(find.newest, c.options.now);
    finds.push_back(std::move(find));
  }
  return finds;
}

}  // namespace zt
