// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/guard.h"

#include <algorithm>

namespace zt {

std::string_view name(ItemState state) {
  static constexpr std::array<std::string_view, itemStates> names{
      "intended", "held", "discarding", "gone", "returning", "returned", "refused", "missing"};
  return names[static_cast<std::size_t>(state)];
}

Holders Holders::read(OpenFiles& port) {
  Holders all;
  const auto listing = port.list();
  all.complete_ = listing && listing->complete;
  if (listing)
    for (const OpenFile& f : listing->files)
      all.holders_.try_emplace({f.device, f.inode},
                               f.pid == 0 ? f.holder : f.holder + " (" + std::to_string(f.pid) + ")");
  return all;
}

const std::string* Holders::holderOf(std::uint64_t device, std::uint64_t inode) const {
  const auto at = holders_.find({device, inode});
  return at == holders_.end() ? nullptr : &at->second;
}

Result<NodeId> checkOnPaper(const GuardedDrive& drive, const PlanItem& item) {
  if (!plainRelative(item.path)) return fail(Errc::outsideRoot, "guard", item.path);
  const auto parts = splitPath(item.path);
  if (std::find(parts.begin(), parts.end(), holdName) != parts.end())
    return fail(Errc::bedrock, "guard", item.path);
  if (drive.catalogue.touchesBedrock(drive.anchor, item.path)) return fail(Errc::bedrock, "guard", item.path);
  const auto node = drive.survey.tree.find(item.path);
  if (!node) return fail(Errc::notThere, "guard", item.path);
  if (drive.survey.tree.identity(*node) != item.identity) return fail(Errc::changed, "guard", item.path);
  for (const SurveyException& e : drive.survey.exceptions) {
    if (e.node != *node && !drive.survey.tree.isBeneath(e.node, *node)) continue;
    // What was not seen cannot be compared, so it cannot go.
    if (e.kind == SurveyException::Kind::mountedOver)
      return fail(Errc::inUse, "guard", item.path, escapePath(drive.survey.tree.path(e.node)));
    if (e.kind == SurveyException::Kind::unreadable) return fail(Errc::notPermitted, "guard", item.path);
  }
  return *node;
}

Result<Looked> look(const GuardedDrive& drive, const PathBytes& path) {
  auto parent = drive.files.openBeneath(*drive.root, parentPath(path));
  if (!parent) {
    parent.error().path = path;
    return tl::unexpected(parent.error());
  }
  const auto stat = drive.files.stat(**parent, baseName(path));
  if (!stat) return fail(stat.error().code, "look", path);
  return Looked{std::move(*parent), *stat};
}

namespace {

/// Collects one folder's entries by value.
class Collect final : public ScanSink {
public:
  struct Entry {
    PathBytes name;
    EntryStat stat;
  };
  bool take(std::span<const ScannedEntry> batch) override {
    for (const auto& e : batch) {
      entries.push_back({PathBytes(e.name), e.stat});
      broken = broken || e.error != 0;
    }
    return true;
  }
  std::vector<Entry> entries;
  bool broken = false;
};

struct Waiting {
  FolderPtr parent;
  PathBytes name;
  NodeId node;
};

Result<void> changedAt(const GuardedDrive& drive, NodeId node, std::string_view name = {}) {
  return fail(Errc::changed, "look", joinPath(drive.survey.tree.path(node), name));
}

/// Compares one entry with its node.
Result<void> compareEntry(const GuardedDrive& drive, const EntryStat& stat, NodeId node, std::uint64_t mount,
                          const Holders& holders, bool leftovers) {
  const SurveyTree& tree = drive.survey.tree;
  Identity now = identityOf(stat);
  const Identity then = tree.identity(node);
  if (stat.mountId != mount) return fail(Errc::otherDevice, "look", tree.path(node));
  if (const auto* holder = holders.holderOf(stat.device, stat.inode))
    return fail(Errc::inUse, "look", tree.path(node), *holder);
  // Unlinking one name changes the times of folders and the change time of inodes with further names.
  if (leftovers && now.kind == EntryKind::folder) now.modified = then.modified;
  if (leftovers || tree.isLinked(node)) now.changedMark = then.changedMark;
  if (now.kind == EntryKind::folder) now.length = then.length;
  if (now != then) return fail(Errc::changed, "look", tree.path(node));
  return {};
}

}  // namespace

Result<void> checkContent(const GuardedDrive& drive, const Folder& at, std::string_view name, NodeId node,
                          const Holders& holders, bool leftovers) {
  const SurveyTree& tree = drive.survey.tree;
  const auto top = drive.files.stat(at, {});
  if (!top) return tl::unexpected(top.error());
  auto first = drive.files.openFolder(at, name);
  if (!first) return tl::unexpected(first.error());
  std::vector<Waiting> waiting;
  FolderPtr folder = std::move(*first);
  for (NodeId current = node;;) {
    Collect seen;
    if (const auto listed = drive.files.scan(*folder, seen); !listed) return listed;
    const FolderTotals& t = tree.totals(current);
    if (seen.broken || (!leftovers && seen.entries.size() != t.children)) return changedAt(drive, current);
    const ChildIndex known(tree, current);
    for (const auto& entry : seen.entries) {
      const NodeId child = known.find(entry.name);
      if (child == noNode) return changedAt(drive, current, entry.name);
      if (auto same = compareEntry(drive, entry.stat, child, top->mountId, holders, leftovers); !same)
        return same;
      if (entry.stat.kind == EntryKind::folder) waiting.push_back({folder, entry.name, child});
    }
    if (waiting.empty()) return {};
    const Waiting next = std::move(waiting.back());
    waiting.pop_back();
    auto opened = drive.files.openFolder(*next.parent, next.name);
    if (!opened) return tl::unexpected(opened.error());
    const auto still = drive.files.stat(**opened, {});
    if (!still || still->inode != tree.inode(next.node)) return changedAt(drive, next.node);
    folder = std::move(*opened);
    current = next.node;
  }
}

}  // namespace zt
