// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <set>

#include "core/reclaim/steps/transfer.h"

namespace zt {

PathBytes movedFolder(std::string_view job) {
  return "moved-" + PathBytes(job.substr(0, 8));
}

namespace {

std::string folded(std::string_view name) {
  std::string low(name);
  for (char& c : low) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return low;
}

/// Goes through an entry and all beneath it.
template <class Each>
Result<void> throughAll(const SurveyTree& tree, NodeId top, const Each& each) {
  std::vector<NodeId> waiting{top};
  while (!waiting.empty()) {
    const NodeId node = waiting.back();
    waiting.pop_back();
    if (auto done = each(node); !done) return done;
    if (!tree.isFolder(node)) continue;
    const FolderTotals& t = tree.totals(node);
    for (std::uint32_t i = 0; i < t.children; ++i)
      if (!tree.isGone(t.firstChild + i)) waiting.push_back(t.firstChild + i);
  }
  return {};
}

Result<void> checkCase(const SurveyTree& tree, NodeId folder) {
  const FolderTotals& t = tree.totals(folder);
  std::set<std::string> seen;
  for (std::uint32_t i = 0; i < t.children; ++i)
    if (!tree.isGone(t.firstChild + i) && !seen.insert(folded(tree.name(t.firstChild + i))).second)
      return fail(Errc::cannotKeep, "transfer", tree.path(t.firstChild + i), "case");
  return {};
}

Result<void> checkEntry(const SurveyTree& tree, NodeId node, const Keeping& keeping) {
  const auto no = [&](const char* what) { return fail(Errc::cannotKeep, "transfer", tree.path(node), what); };
  if (tree.kind(node) == EntryKind::other) return no("kind");
  if (tree.kind(node) == EntryKind::symlink && !keeping.symlinks) return no("link");
  if (!keeping.takes(tree.name(node))) return no("name");
  if (tree.kind(node) == EntryKind::file && tree.length(node) > keeping.longestFile) return no("length");
  return keeping.foldsCase && tree.isFolder(node) ? checkCase(tree, node) : Result<void>{};
}

/// How many bytes of a file are no hole; its length where nobody says.
Bytes dataIn(const GuardedDrive& drive, NodeId node) {
  const PathBytes path = drive.tree().path(node);
  const Bytes length = drive.tree().length(node);
  const auto at = look(drive, joinPath(drive.surveyedAt, path));
  if (!at) return length;
  const auto file = drive.files->openFile(*at->parent, baseName(path));
  if (!file) return length;
  Bytes data = 0;
  for (Bytes from = 0; from < length;) {
    const auto next = (*file)->nextData(from);
    if (!next) return length;
    if (next->empty()) break;
    data += std::min(next->to, length) - next->from;
    from = next->to;
  }
  return data;
}

}  // namespace

Result<void> checkFits(const GuardedDrive& drive, const PathBytes& path, const OtherDrive& other) {
  const SurveyTree& tree = drive.tree();
  const NodeId top = drive.nodeAt(path);
  if (top == noNode) return fail(Errc::changed, "transfer", path);
  for (const auto part : splitPath(parentPath(path)))
    if (!other.keeping.takes(part)) return fail(Errc::cannotKeep, "transfer", path, "name");
  const auto usage = other.files->usage(*other.root);
  if (!usage) return tl::unexpected(usage.error());
  if (usage->readOnly) return fail(Errc::notPermitted, "transfer", other.path, "read-only");
  const Bytes block = std::max<Bytes>(usage->block, 512);
  Bytes need = 0;
  std::uint64_t entries = splitPath(path).size();
  std::set<std::uint64_t> counted;  // files with several names
  const auto each = [&](NodeId node) -> Result<void> {
    ++entries;
    if (auto fits = checkEntry(tree, node, other.keeping); !fits) return fits;
    if (tree.isLinked(node) && other.keeping.links && !counted.insert(tree.inode(node)).second) return {};
    const bool sparse = tree.kind(node) == EntryKind::file && tree.occupied(node) < tree.length(node);
    const Bytes bytes = tree.kind(node) != EntryKind::file ? block
                        : sparse && other.keeping.holes    ? dataIn(drive, node)
                                                           : tree.length(node);
    need += (bytes + block - 1) / block * block;
    return {};
  };
  if (auto fits = throughAll(tree, top, each); !fits) return fits;
  const bool room = need + other.headroom <= usage->available &&
                    (usage->inodes == 0 || usage->inodesFree == 0 || entries <= usage->inodesFree);
  return room ? Result<void>{} : fail(Errc::noSpace, "transfer", path, "other-drive");
}

std::vector<std::string> lostThere(const FindContext& context, NodeId node, const Keeping& keeping) {
  const SurveyTree& tree = context.tree;
  std::set<std::string> lost;
  if (!keeping.owners) lost.insert("owners");
  if (!keeping.attributes) lost.insert("attributes");
  if (keeping.timeStep >= nsPerSecond) lost.insert("times");
  (void)throughAll(tree, node, [&](NodeId at) -> Result<void> {
    if (tree.kind(at) != EntryKind::file) return {};
    if (!keeping.links && tree.isLinked(at)) lost.insert("links");
    if (!keeping.holes && tree.occupied(at) + 65536 < tree.length(at)) lost.insert("holes");
    return {};
  });
  return {lost.begin(), lost.end()};
}

}  // namespace zt
