// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/copies.h"

#include <algorithm>

#include "core/finds/match/file_content.h"
#include "core/reclaim/guard.h"

namespace zt {

Copies::Copies(std::shared_ptr<const std::vector<EqualFiles>> groups, const FindContext& context,
               const std::vector<NodeId>& planned)
    : groups_(std::move(groups)), context_(context), planned_(planned.begin(), planned.end()) {
  for (std::size_t g = 0; g < groups_->size(); ++g)
    for (const NodeId node : (*groups_)[g].nodes) groupOf_.emplace_back(node, g);
  std::sort(groupOf_.begin(), groupOf_.end());
}

/// The planned thing that a file is, or lies in; noNode for none.
NodeId Copies::plannedWith(NodeId node) const {
  for (NodeId up = node;; up = context_.tree.parent(up)) {
    if (planned_.contains(up)) return up;
    if (up == 0) return noNode;
  }
}

std::vector<const EqualFiles*> Copies::allTaken() const {
  std::vector<const EqualFiles*> all;
  for (const EqualFiles& group : *groups_) {
    if (planned_.empty()) break;
    const NodeId first = plannedWith(group.nodes.front());
    const bool taken = first != noNode && std::all_of(group.nodes.begin(), group.nodes.end(),
                                                      [&](NodeId node) { return planned(node); });
    const bool together = taken && std::all_of(group.nodes.begin(), group.nodes.end(),
                                               [&](NodeId node) { return plannedWith(node) == first; });
    if (taken && !together) all.push_back(&group);
  }
  return all;
}

Result<void> Copies::checkPlan() const {
  const auto all = allTaken();
  if (all.empty()) return {};
  return fail(Errc::lastCopy, "plan", context_.tree.path(all.front()->nodes.front()));
}

/// A copy that stays is looked for among those that the plan leaves, and compared.
Result<void> Copies::stays(const GuardedDrive& drive, const EqualFiles& group, NodeId gone, OpenedFile& taken,
                           const std::stop_token& stop) const {
  const SurveyTree& tree = context_.tree;
  for (const NodeId other : group.nodes) {
    if (other == gone || planned(other)) continue;
    const PathBytes path = tree.path(other);
    const auto there = look(drive, path);
    if (!there || !sameContent(identityOf(there->stat), tree.identity(other))) continue;
    const auto keeper = drive.files->openFile(*there->parent, baseName(path));
    if (!keeper) continue;
    const auto differs = firstDifference(taken, **keeper, stop);
    if (!differs && differs.error().code == Errc::cancelled) return tl::unexpected(differs.error());
    if (differs && !*differs) return {};
  }
  return fail(Errc::lastCopy, "look", tree.path(gone));
}

/// Opens a file of a folder that was taken and has another name now.
Result<OpenedFilePtr> Copies::openWithin(const GuardedDrive& drive, NodeId file, NodeId folder,
                                         const Folder& at, std::string_view name) const {
  const PathBytes path = context_.tree.path(file).substr(context_.tree.path(folder).size() + 1);
  const auto top = drive.files->openFolder(at, name);
  if (!top) return tl::unexpected(top.error());
  const auto in = drive.files->openBeneath(**top, parentPath(path));
  if (!in) return tl::unexpected(in.error());
  return drive.files->openFile(**in, baseName(path));
}

Result<void> Copies::checkOne(const GuardedDrive& drive, const std::pair<NodeId, std::size_t>& entry,
                              NodeId thing, const Folder& at, std::string_view name,
                              const std::stop_token& stop) const {
  const auto& [node, group] = entry;
  const auto& all = (*groups_)[group].nodes;
  const auto inIt = [&](NodeId other) { return context_.gain.beneath(other, thing); };
  if (node != thing && std::all_of(all.begin(), all.end(), inIt)) return {};
  const auto taken =
      node == thing ? drive.files->openFile(at, name) : openWithin(drive, node, thing, at, name);
  if (!taken) return tl::unexpected(taken.error());
  return stays(drive, (*groups_)[group], node, **taken, stop);
}

Result<void> Copies::checkTaken(const GuardedDrive& drive, NodeId thing, const Folder& at,
                                std::string_view name, const std::stop_token& stop) const {
  if (!context_.tree.isFolder(thing)) {
    const auto entry = std::lower_bound(groupOf_.begin(), groupOf_.end(), std::pair(thing, std::size_t{0}));
    const bool known = entry != groupOf_.end() && entry->first == thing;
    return known ? checkOne(drive, *entry, thing, at, name, stop) : Result<void>{};
  }
  for (const auto& entry : groupOf_)
    if (context_.gain.beneath(entry.first, thing))
      if (auto safe = checkOne(drive, entry, thing, at, name, stop); !safe) return safe;
  return {};
}

}  // namespace zt
