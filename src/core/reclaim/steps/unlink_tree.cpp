// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/steps/hold_place.h"

namespace zt {

namespace {

struct Level {
  FolderPtr parent;
  FolderPtr folder;
  PathBytes name;
  NodeId node;
  Bytes ownBytes;
  struct Subfolder {
    PathBytes name;
    NodeId node;
    Bytes ownBytes;
  };
  std::vector<Subfolder> subfolders;  ///< still to be emptied
};

/// Unlinks the files of one folder as they are listed, and remembers its subfolders.
class Emptier final : public ScanSink {
public:
  Emptier(const GuardedDrive& drive, Level& level, JournalRecord& record)
      : drive_(drive), level_(level), record_(record), index_(drive.tree(), level.node) {}

  bool take(std::span<const ScannedEntry> batch) override {
    for (const auto& entry : batch) {
      const NodeId node = index_.find(entry.name);
      const auto known = node != noNode && entry.error == 0 ? drive_.tree().identity(node) : Identity{};
      const bool folder = entry.stat.kind == EntryKind::folder;
      const bool same = folder ? known.kind == EntryKind::folder && known.inode == entry.stat.inode
                               : sameContent(identityOf(entry.stat), known);
      if (node == noNode || !same) {
        problem = fail(Errc::changed, "discard", joinPath(record_.path, entry.name));
        continue;
      }
      if (folder)
        level_.subfolders.push_back({PathBytes(entry.name), node, entry.stat.occupied});
      else
        names.push_back({PathBytes(entry.name), entry.stat, node});
    }
    return true;
  }

  struct Name {
    PathBytes name;
    EntryStat stat;
    NodeId node = noNode;
  };
  std::vector<Name> names;
  Result<void> problem;

private:
  const GuardedDrive& drive_;
  Level& level_;
  JournalRecord& record_;
  ChildIndex index_;
};

Result<void> emptyLevel(const GuardedDrive& drive, Level& level, JournalRecord& record) {
  Emptier emptier(drive, level, record);
  if (auto listed = drive.files->scan(*level.folder, emptier); !listed) return listed;
  for (const auto& entry : emptier.names) {
    // Links within the item itself go one by one, so the count is asked anew for those that have several.
    const auto now =
        entry.stat.links > 1 ? drive.files->stat(*level.folder, entry.name) : Result<EntryStat>(entry.stat);
    if (!now) return tl::unexpected(now.error());
    if (auto done = unlinkOne(drive, *level.folder, entry.name, *now); !done) return done;
    countUnlinked(record, drive.tree(), entry.node, *now);
  }
  return emptier.problem;
}

Result<Level> enter(const GuardedDrive& drive, const FolderPtr& parent, const PathBytes& name, NodeId node,
                    Bytes own) {
  auto folder = drive.files->openFolder(*parent, name);
  if (!folder) return tl::unexpected(folder.error());
  const auto stat = drive.files->stat(**folder, {});
  if (!stat || stat->inode != drive.tree().inode(node)) return fail(Errc::changed, "discard", name);
  return Level{parent, std::move(*folder), name, node, own, {}};
}

}  // namespace

Result<void> unlinkOne(const GuardedDrive& drive, const Folder& at, std::string_view name,
                       const EntryStat& stat) {
  if (auto done = drive.files->unlink(at, name); !done || stat.links < 2) return done;
  // File and folder get one and the same time, or the next tick of the kernel's clock.
  constexpr TimeNs tick = 20'000'000;
  if (const auto folder = drive.files->stat(at, {})) drive.touched->note(stat, folder->changed + tick);
  return {};
}

void countUnlinked(JournalRecord& record, const SurveyTree& tree, NodeId node, const EntryStat& stat) {
  const Bytes bytes = node == noNode ? stat.occupied : tree.occupied(node);
  if (stat.links > 1)
    record.linksRemain += bytes;
  else
    record.freed += {node == noNode || tree.mayShare(node) ? 0 : bytes, bytes};
}

Result<void> unlinkTree(const GuardedDrive& drive, const Folder& at, std::string_view name, NodeId node,
                        JournalRecord& record) {
  const auto parent = drive.files->openBeneath(at, {});
  if (!parent) return tl::unexpected(parent.error());
  const auto stat = drive.files->stat(at, name);
  if (!stat) return tl::unexpected(stat.error());
  auto top = enter(drive, *parent, PathBytes(name), node, stat->occupied);
  if (!top) return tl::unexpected(top.error());
  std::vector<Level> levels;
  levels.push_back(std::move(*top));
  if (auto done = emptyLevel(drive, levels.back(), record); !done) return done;
  while (!levels.empty()) {
    Level& level = levels.back();
    if (level.subfolders.empty()) {
      if (auto done = drive.files->removeFolder(*level.parent, level.name); !done) return done;
      record.freed += {level.ownBytes, level.ownBytes};
      levels.pop_back();
      continue;
    }
    const Level::Subfolder sub = std::move(level.subfolders.back());
    level.subfolders.pop_back();
    auto next = enter(drive, level.folder, sub.name, sub.node, sub.ownBytes);
    if (!next) return tl::unexpected(next.error());
    levels.push_back(std::move(*next));
    if (auto done = emptyLevel(drive, levels.back(), record); !done) return done;
  }
  return {};
}

}  // namespace zt
