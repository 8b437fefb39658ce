// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <map>

#include "core/finds/find.h"

namespace zt {

namespace {

/// The folder that old files are gathered under: two parts below the top ("home/ringer", "srv/recordings").
NodeId gatherFolder(const SurveyTree& tree, NodeId file) {
  NodeId at = tree.parent(file);
  std::vector<NodeId> chain;
  for (; at != noNode; at = tree.parent(at)) chain.push_back(at);
  const std::size_t depth = std::min<std::size_t>(chain.size() - 1, 2);
  return chain[chain.size() - 1 - depth];
}

}  // namespace

/// Files older than the age line, gathered by place, standing and age band. Only what may go at all: not
/// bedrock, not kept.
std::vector<Find> detectOld(const FindContext& c) {
  std::map<std::tuple<NodeId, Standing, AgeBand>, std::vector<NodeId>> groups;
  for (NodeId id = 1; id < c.tree.size(); ++id) {
    if (c.tree.kind(id) != EntryKind::file || c.inTrash[id] || c.tree.modified(id) >= c.line()) continue;
    const Standing standing = c.standing[id];
    if (standing == Standing::bedrock || standing == Standing::kept) continue;
    groups[{gatherFolder(c.tree, id), standing, ageBand(c.tree.modified(id), c.options.now)}].push_back(id);
  }
  std::vector<Find> finds;
  for (auto& [key, nodes] : groups) {
    std::sort(nodes.begin(), nodes.end(),
              [&](NodeId a, NodeId b) { return c.tree.occupied(a) > c.tree.occupied(b); });
    Find find;
    find.kind = FindKind::old;
    find.band = std::get<AgeBand>(key);
    find.standing = std::get<Standing>(key);
    find.place = c.tree.path(std::get<NodeId>(key));
    find.regret = c.regretOf(nodes.front());
    if (nodes.size() > c.options.mostItems) {
      find.leftOut = static_cast<std::uint32_t>(nodes.size() - c.options.mostItems);
      nodes.resize(c.options.mostItems);
    }
    for (const NodeId id : nodes) find.items.push_back(c.item(id));
    c.complete(find);
    if (find.gain.atMost > 0) finds.push_back(std::move(find));
  }
  return finds;
}

}  // namespace zt
