// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/guard.h"

#include <algorithm>

#include "core/finds/conditions.h"
#include "core/finds/subject_type.h"

namespace zt {

std::string_view name(ItemState state) {
  static constexpr std::array<std::string_view, itemStates> names{
      "intended", "held",    "discarding", "gone", "returning",
      "returned", "refused", "missing",    "done", "untouched"};
  return names[static_cast<std::size_t>(state)];
}

NodeId GuardedDrive::nodeAt(std::string_view path) const {
  if (surveyedAt.empty()) return tree().find(path).value_or(noNode);
  if (path == surveyedAt) return 0;
  if (!beneath(path, surveyedAt)) return noNode;
  return tree().find(path.substr(surveyedAt.size() + 1)).value_or(noNode);
}

Holders Holders::read(OpenFiles& port) {
  Holders all;
  const auto listing = port.list();
  all.complete_ = listing && listing->complete;
  if (!listing) return all;
  for (const OpenFile& f : listing->files) {
    const std::string who = f.pid == 0 ? f.holder : f.holder + " (" + std::to_string(f.pid) + ")";
    all.holders_.try_emplace({f.device, f.inode}, who);
    if (f.pid != 0) all.programs_.insert(f.holder);
    if (f.deleted) all.deleted_.try_emplace({f.device, f.inode}, who);
  }
  return all;
}

const std::string* Holders::holderOf(std::uint64_t device, std::uint64_t inode) const {
  const auto at = holders_.find({device, inode});
  return at == holders_.end() ? nullptr : &at->second;
}

const std::string* Holders::holderWithin(const SurveyTree& tree, NodeId folder, std::uint64_t device) const {
  const auto [known, fresh] = within_.try_emplace(folder, nullptr);
  if (!fresh || holders_.empty()) return known->second;
  std::vector<NodeId> waiting{folder};
  while (!waiting.empty() && known->second == nullptr) {
    const NodeId at = waiting.back();
    waiting.pop_back();
    known->second = holderOf(device, tree.inode(at));
    if (!tree.isFolder(at)) continue;
    const FolderTotals& t = tree.totals(at);
    for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id)
      waiting.push_back(id);
  }
  return known->second;
}

const std::string* Holders::running(std::string_view names) const {
  const auto found = std::find_if(programs_.begin(), programs_.end(),
                                  [&](const std::string& program) { return isOneOf(program, names); });
  return found == programs_.end() ? nullptr : &*found;
}

const std::string* Holders::holderOfDeleted(std::uint64_t device, std::uint64_t inode) const {
  const auto at = deleted_.find({device, inode});
  return at == deleted_.end() ? nullptr : &at->second;
}

Result<NodeId> checkOnPaper(const GuardedDrive& drive, const Subject& item) {
  return typeOf(item).onPaper(*drive.context, drive.marks, item);
}

Result<Looked> look(const GuardedDrive& drive, const PathBytes& path) {
  auto parent = drive.files->openBeneath(*drive.root, parentPath(path));
  if (!parent) {
    parent.error().path = path;
    return tl::unexpected(parent.error());
  }
  const auto stat = drive.files->stat(**parent, baseName(path));
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
  return fail(Errc::changed, "look", joinPath(drive.tree().path(node), name));
}

/// Compares one entry with its node.
Result<void> compareEntry(const GuardedDrive& drive, const EntryStat& stat, NodeId node, std::uint64_t mount,
                          const Holders& holders) {
  const SurveyTree& tree = drive.tree();
  Identity now = identityOf(stat);
  const Identity then = tree.identity(node);
  if (stat.mountId != mount) return fail(Errc::otherDevice, "look", tree.path(node));
  if (const auto* holder = holders.holderOf(stat.device, stat.inode))
    return fail(Errc::inUse, "look", tree.path(node), *holder);
  if (drive.touched->unchanged(stat, then)) now.changedMark = then.changedMark;
  if (now.kind == EntryKind::folder) now.length = then.length;
  if (now != then) return fail(Errc::changed, "look", tree.path(node));
  return {};
}

}  // namespace

Result<void> checkContent(const GuardedDrive& drive, const Folder& at, std::string_view name, NodeId node,
                          const Holders& holders) {
  const SurveyTree& tree = drive.tree();
  const auto top = drive.files->stat(at, {});
  if (!top) return tl::unexpected(top.error());
  auto first = drive.files->openFolder(at, name);
  if (!first) return tl::unexpected(first.error());
  std::vector<Waiting> waiting;
  FolderPtr folder = std::move(*first);
  for (NodeId current = node;;) {
    if (drive.stop.stop_requested()) return fail(Errc::cancelled, "look", tree.path(node));
    Collect seen;
    if (const auto listed = drive.files->scan(*folder, seen); !listed) return listed;
    const FolderTotals& t = tree.totals(current);
    if (seen.broken || seen.entries.size() != t.children) return changedAt(drive, current);
    const ChildIndex known(tree, current);
    for (const auto& entry : seen.entries) {
      const NodeId child = known.find(entry.name);
      if (child == noNode) return changedAt(drive, current, entry.name);
      if (auto same = compareEntry(drive, entry.stat, child, top->mountId, holders); !same) return same;
      if (entry.stat.kind == EntryKind::folder) waiting.push_back({folder, entry.name, child});
    }
    if (waiting.empty()) return {};
    const Waiting next = std::move(waiting.back());
    waiting.pop_back();
    auto opened = drive.files->openFolder(*next.parent, next.name);
    if (!opened) return tl::unexpected(opened.error());
    const auto still = drive.files->stat(**opened, {});
    if (!still || still->inode != tree.inode(next.node)) return changedAt(drive, next.node);
    folder = std::move(*opened);
    current = next.node;
  }
}

namespace {

/// Every spelling of a name in a folder; where the folder cannot be listed, the usual ones.
std::vector<PathBytes> spellings(FileSystemReader& files, const Folder& folder, std::string_view name) {
  Collect seen;
  std::vector<PathBytes> all;
  if (folder.keepsAccessTime() && files.scan(folder, seen)) {
    for (const auto& entry : seen.entries)
      if (lowered(entry.name) == name) all.push_back(entry.name);
    return all;
  }
  PathBytes upper(name);
  for (char& c : upper) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
  PathBytes title(name);
  title.front() = upper.front();
  for (const PathBytes& spelt : {PathBytes(name), upper, title})
    if (files.stat(folder, spelt)) all.push_back(spelt);
  return all;
}

}  // namespace

Result<void> checkAwake(FileSystemReader& files, const Folder& root, const std::vector<SystemRoot>& systems) {
  for (const SystemRoot& system : systems) {
    if (system.family != SystemFamily::nt || system.previous || !system.prefix.empty()) continue;
    const auto top = files.openBeneath(root, system.at);
    if (!top) continue;
    for (const PathBytes& spelt : spellings(files, **top, "hiberfil.sys")) {
      const auto head = files.readHead(**top, spelt, 4);
      // "WAKE" and zeros: its session was taken up again. All else is, or may be, a saved one.
      const bool awake =
          head && (head->bytes == "WAKE" || head->bytes == "wake" || head->bytes == std::string(4, 0));
      if (!awake) return fail(Errc::asleep, "guard", joinPath(system.at, spelt));
    }
  }
  return {};
}

}  // namespace zt
