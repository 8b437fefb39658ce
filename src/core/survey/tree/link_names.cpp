// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/tree/link_names.h"

namespace zt {

LinkNames::LinkNames(const SurveyTree& tree) : tree_(tree) {
  at_.reserve(tree.linked().size());
  for (std::size_t i = 0; i < tree.linked().size(); ++i) at_.emplace(tree.linked()[i].node, i);
}

std::span<const LinkedNode> LinkNames::groupOf(NodeId node) const {
  const auto found = at_.find(node);
  if (found == at_.end()) return {};
  const auto& all = tree_.linked();
  std::size_t from = found->second, to = from + 1;
  while (from > 0 && all[from - 1].group == all[from].group) --from;
  while (to < all.size() && all[to].group == all[from].group) ++to;
  return {all.data() + from, to - from};
}

std::vector<NodeId> LinkNames::of(NodeId node) const {
  std::vector<NodeId> names;
  for (const LinkedNode& one : groupOf(node))
    if (!tree_.isGone(one.node)) names.push_back(one.node);
  if (names.empty()) names.push_back(node);
  return names;
}

std::optional<std::uint32_t> LinkNames::fileOf(NodeId node) const {
  const auto found = at_.find(node);
  return found == at_.end() ? std::nullopt : std::optional(tree_.linked()[found->second].group);
}

bool LinkNames::hasOthers(NodeId node) const {
  const auto group = groupOf(node);
  std::size_t seen = 0;
  for (const LinkedNode& one : group) seen += !tree_.isGone(one.node);
  return !group.empty() && group.front().links > seen;
}

}  // namespace zt
