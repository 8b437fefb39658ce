// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/copies.h"

#include <algorithm>

#include "core/match/file_content.h"
#include "core/reclaim/guard.h"

namespace zt {

Copies::Copies(std::shared_ptr<const std::vector<EqualFiles>> groups, const FindContext& context,
               const std::vector<NodeId>& planned, const std::vector<NodeId>& touched)
    : groups_(std::move(groups)),
      context_(context),
      planned_(planned.begin(), planned.end()),
      touched_(touched.begin(), touched.end()) {
  // By every name that a file has.
  for (std::size_t g = 0; g < groups_->size(); ++g)
    for (const NodeId node : (*groups_)[g].nodes)
      for (const NodeId name : context_.names.of(node)) groupOf_.emplace_back(name, g);
  std::sort(groupOf_.begin(), groupOf_.end());
}

/// The thing that a file is, or lies in; noNode for none.
NodeId Copies::liesIn(const absl::flat_hash_set<NodeId>& things, NodeId node) const {
  for (NodeId up = node;; up = context_.tree.parent(up)) {
    if (things.contains(up)) return up;
    if (up == 0) return noNode;
  }
}

bool Copies::goes(NodeId node) const {
  if (plannedWith(node) == noNode || context_.names.hasOthers(node)) return false;
  const auto names = context_.names.of(node);
  return std::all_of(names.begin(), names.end(), [&](NodeId name) { return plannedWith(name) != noNode; });
}

bool Copies::goesWithin(NodeId node, NodeId thing) const {
  const auto names = context_.names.of(node);
  return std::all_of(names.begin(), names.end(), [&](NodeId name) { return plannedWith(name) == thing; });
}

std::vector<const EqualFiles*> Copies::allTaken() const {
  std::vector<const EqualFiles*> all;
  eachTaken([&](const EqualFiles& group, NodeId together) {
    if (together == noNode) all.push_back(&group);
  });
  return all;
}

absl::flat_hash_map<NodeId, std::vector<const EqualFiles*>> Copies::takenTogether() const {
  absl::flat_hash_map<NodeId, std::vector<const EqualFiles*>> all;
  eachTaken([&](const EqualFiles& group, NodeId together) {
    if (together != noNode) all[together].push_back(&group);
  });
  return all;
}

/// Every group that the plan takes whole, and the one thing that it goes with; noNode where there are
/// several.
template <class Each>
void Copies::eachTaken(const Each& each) const {
  if (planned_.empty()) return;
  for (const EqualFiles& group : *groups_) {
    if (group.links) continue;
    const auto& nodes = group.nodes;
    const NodeId first = plannedWith(nodes.front());
    if (first == noNode || !std::all_of(nodes.begin(), nodes.end(), [&](NodeId n) { return goes(n); }))
      continue;
    const bool one = std::all_of(nodes.begin(), nodes.end(), [&](NodeId n) { return goesWithin(n, first); });
    each(group, one ? first : noNode);
  }
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
    if (goes(other)) continue;
    // By a name of it that stays; of the very file that goes by another name, that is no copy but itself.
    const auto names = context_.names.of(other);
    const auto name = std::find_if(names.begin(), names.end(),
                                   [&](NodeId n) { return n != gone && plannedWith(n) == noNode; });
    if (name == names.end()) continue;
    const PathBytes path = tree.path(*name);
    const auto there = look(drive, path);
    if (!there || !sameContent(identityOf(there->stat), tree.identity(other))) continue;
    const auto itself = context_.names.fileOf(gone);
    if (itself && itself == context_.names.fileOf(*name)) return {};
    const auto keeper = drive.files->openFile(*there->parent, baseName(path));
    if (!keeper) continue;
    const auto differs = firstDifference(taken, **keeper, stop);
    if (!differs && differs.error().code == Errc::cancelled) return tl::unexpected(differs.error());
    if (differs && !*differs) return {};
  }
  return fail(Errc::lastCopy, "look", tree.path(gone));
}

std::vector<NodeId> Copies::keepersOnPaper(NodeId copy) const {
  constexpr std::size_t most = 64;
  std::vector<NodeId> all;
  const auto entry = std::lower_bound(groupOf_.begin(), groupOf_.end(), std::pair(copy, std::size_t{0}));
  if (entry == groupOf_.end() || entry->first != copy || (*groups_)[entry->second].links) return all;
  for (const NodeId other : (*groups_)[entry->second].nodes) {
    if (context_.names.fileOf(copy) && context_.names.fileOf(copy) == context_.names.fileOf(other)) continue;
    for (const NodeId name : context_.names.of(other))
      if (name != copy && plannedWith(name) == noNode && liesIn(touched_, name) == noNode &&
          all.size() < most)
        all.push_back(name);
  }
  return all;
}

Result<NodeId> Copies::keeperOf(const GuardedDrive& drive, NodeId copy) const {
  for (const NodeId name : keepersOnPaper(copy)) {
    const auto there = look(drive, context_.tree.path(name));
    if (there && sameContent(identityOf(there->stat), context_.tree.identity(name))) return name;
  }
  return fail(Errc::lastCopy, "look", context_.tree.path(copy));
}

/// A link that says the same is looked for among those that the plan leaves. It was read when it was
/// compared; that it is still that link tells what it says.
Result<void> Copies::linkStays(const GuardedDrive& drive, const EqualFiles& group, NodeId gone) const {
  for (const NodeId other : group.nodes) {
    if (other == gone || plannedWith(other) != noNode) continue;
    const auto there = look(drive, context_.tree.path(other));
    if (there && sameContent(identityOf(there->stat), context_.tree.identity(other))) return {};
  }
  return fail(Errc::lastCopy, "look", context_.tree.path(gone));
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
  if ((*groups_)[group].links)
    return node == thing ? Result<void>{} : linkStays(drive, (*groups_)[group], node);
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
