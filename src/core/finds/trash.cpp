// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/finds/find.h"
#include "core/finds/trash_info.h"

namespace zt {

namespace {

/// Adds one trashed item with what its info file says, and the info file itself, so that both go together.
void addTrashed(const FindContext& c, FileSystemReader& files, const FolderPtr& infoFolder, NodeId item,
                NodeId infoNode, Find& find) {
  FindItem trashed = c.item(item);
  if (infoNode != noNode && infoFolder) {
    const auto text = files.readFile(*infoFolder, c.tree.name(infoNode), 64 * 1024);
    if (const auto info = text ? parseTrashInfo(*text) : std::nullopt) {
      trashed.origin = info->path;
      trashed.deleted = info->deleted;
    }
  }
  find.items.push_back(std::move(trashed));
  if (infoNode != noNode) find.items.push_back(c.item(infoNode));
}

}  // namespace

/// One find a trash folder: every item in `files` with its info file (freedesktop.org Trash
/// specification 1.0).
std::vector<Find> detectTrash(const FindContext& c, FileSystemReader& files, const Folder& root) {
  std::vector<Find> finds;
  for (const NodeId trash : c.trashes) {
    const auto content = c.tree.child(trash, "files");
    const auto infos = c.tree.child(trash, "info");
    if (!content || !infos || c.tree.totals(*content).children == 0) continue;
    Find find;
    find.kind = FindKind::trash;
    find.standing = Standing::ownersCall;
    find.regret = Regret::personalGone;
    find.place = c.tree.path(trash);
    const auto opened = files.openBeneath(root, c.tree.path(*infos));
    const FolderTotals& t = c.tree.totals(*content);
    const ChildIndex infoByName(c.tree, *infos);
    for (NodeId id = t.firstChild; id < t.firstChild + t.children; ++id) {
      const NodeId info = infoByName.find(std::string(c.tree.name(id)) + ".trashinfo");
      addTrashed(c, files, opened ? *opened : nullptr, id, info, find);
    }
    std::stable_sort(find.items.begin(), find.items.end(),
                     [](const FindItem& a, const FindItem& b) { return a.occupied > b.occupied; });
    c.complete(find);
    find.owner = c.tree.owner(trash);
    find.band = ageBand(find.newest, c.options.now);
    finds.push_back(std::move(find));
  }
  return finds;
}

}  // namespace zt
