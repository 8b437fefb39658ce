// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/history/groups.h"

#include <algorithm>
#include <array>
#include <map>

namespace zt {

namespace {

struct Sum {
  Bytes bytes = 0;
  std::uint64_t files = 0;
};

/// Names of an inode beyond its first.
std::vector<bool> furtherNames(const SurveyTree& tree) {
  std::vector<bool> further(tree.size(), false);
  std::vector<bool> seen(tree.linkGroups(), false);
  for (const LinkedNode& link : tree.linked()) {
    further[link.node] = seen[link.group];
    seen[link.group] = true;
  }
  return further;
}

std::string groupOf(const FindContext& c, NodeId node, GroupBy by) {
  if (by == GroupBy::kind) return std::string(name(c.kind[node]));
  if (by == GroupBy::standing) return std::string(name(c.standing[node]));
  const std::uint32_t owner = c.tree.owner(node);
  const auto named = c.options.owners.name(owner);
  return named ? std::string(*named) : std::to_string(owner);
}

/// By a number first: names are made once a group.
std::map<std::string, Sum> sumsOf(const FindContext& c, GroupBy by) {
  std::map<std::uint32_t, std::pair<Sum, NodeId>> sums;
  const std::vector<bool> further = furtherNames(c.tree);
  for (NodeId node = 0; node < c.tree.size(); ++node) {
    if (c.tree.isGone(node) || further[node]) continue;
    const auto key = by == GroupBy::kind       ? static_cast<std::uint32_t>(c.kind[node])
                     : by == GroupBy::standing ? static_cast<std::uint32_t>(c.standing[node])
                                               : c.tree.owner(node);
    auto& [sum, example] = sums[key];
    example = node;
    sum.bytes += c.tree.occupied(node);
    sum.files += c.tree.kind(node) == EntryKind::file;
  }
  std::map<std::string, Sum> named;
  for (const auto& [key, of] : sums) {
    Sum& sum = named[groupOf(c, of.second, by)];
    sum.bytes += of.first.bytes;
    sum.files += of.first.files;
  }
  return named;
}

}  // namespace

std::string_view name(GroupBy by) {
  static constexpr std::array<std::string_view, groupings> names{"kind", "standing", "owner"};
  return names[static_cast<std::size_t>(by)];
}

std::vector<GroupChange> compareGroups(const FindContext& before, const FindContext& after, GroupBy by) {
  std::map<std::string, GroupChange> all;
  for (const auto& [group, sum] : sumsOf(before, by)) {
    all[group].before = sum.bytes;
    all[group].filesBefore = sum.files;
  }
  for (const auto& [group, sum] : sumsOf(after, by)) {
    all[group].after = sum.bytes;
    all[group].filesAfter = sum.files;
  }
  std::vector<GroupChange> list;
  for (auto& [group, change] : all) {
    change.group = group;
    if (change.before + change.after > 0) list.push_back(std::move(change));
  }
  const auto far = [](const GroupChange& g) {
    return std::max(g.before, g.after) - std::min(g.before, g.after);
  };
  std::stable_sort(list.begin(), list.end(), [&](const auto& a, const auto& b) { return far(a) > far(b); });
  return list;
}

}  // namespace zt
