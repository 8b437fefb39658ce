// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/models/composition.h"

#include <absl/container/flat_hash_map.h>

#include <QCoreApplication>
#include <algorithm>
#include <map>

#include "desktop/style/look.h"

namespace zt::desktop {

namespace {

/// What each name of an inode with several names bears of its bytes: equal shares among those that were seen.
absl::flat_hash_map<NodeId, Bytes> sharesOf(const SurveyTree& t) {
  absl::flat_hash_map<NodeId, Bytes> shares;
  const auto& linked = t.linked();
  for (std::size_t from = 0; from < linked.size();) {
    std::size_t to = from;
    while (to < linked.size() && linked[to].group == linked[from].group) ++to;
    const Bytes bytes = t.occupied(linked[from].node);
    const Bytes each = bytes / (to - from);
    for (std::size_t i = from; i < to; ++i)
      shares.emplace(linked[i].node, i == from ? bytes - each * (to - from - 1) : each);
    from = to;
  }
  return shares;
}

}  // namespace

Composition::Composition(ContextPtr context) : keep_(std::move(context)), context_(*keep_) {
  findOwners();
  sumParts();
  findLargest();
  fillField();
  findTops();
}

void Composition::findOwners() {
  const SurveyTree& t = context_.tree;
  std::map<std::uint32_t, Bytes> byOwner;
  for (NodeId id = 0; id < t.size(); ++id) byOwner[t.owner(id)] += t.occupied(id);
  std::vector<std::pair<Bytes, std::uint32_t>> largest;
  for (const auto& [owner, bytes] : byOwner) largest.emplace_back(bytes, owner);
  std::sort(largest.rbegin(), largest.rend());
  for (std::size_t i = 0; i < std::min<std::size_t>(6, largest.size()); ++i)
    owners_.push_back(largest[i].second);
}

void Composition::sumParts() {
  const SurveyTree& t = context_.tree;
  const auto shares = sharesOf(t);
  for (auto& lens : folders_) lens.assign(t.folderNumbers(), Parts{});
  for (NodeId id = t.size(); id-- > 0;) {
    if (t.isGone(id)) continue;
    const bool folder = t.isFolder(id);
    const auto share = shares.find(id);
    const Bytes bytes = share == shares.end() ? t.occupied(id) : share->second;
    for (int l = 0; l < lenses; ++l) {
      auto& sums = folders_[static_cast<std::size_t>(l)];
      const auto part = static_cast<std::size_t>(partOf(static_cast<Lens>(l), id));
      if (folder) sums[t.folderIndex(id)][part] += bytes;
      if (id == 0) continue;
      Parts& above = sums[t.folderIndex(t.parent(id))];
      if (folder) {
        const Parts& own = sums[t.folderIndex(id)];
        for (std::size_t p = 0; p < lensParts; ++p) above[p] += own[p];
      } else {
        above[part] += bytes;
      }
    }
  }
}

void Composition::fillField() {
  const SurveyTree& t = context_.tree;
  for (NodeId id = 1; id < t.size(); ++id) {
    if (t.kind(id) != EntryKind::file) continue;
    const auto age = static_cast<std::size_t>(ageBand(t.modified(id), context_.survey.finished));
    const Bytes bytes = t.occupied(id);
    FieldCell& cell = field_[age][static_cast<std::size_t>(sizeBand(bytes))];
    cell.bytes += bytes;
    cell.by[static_cast<std::size_t>(context_.standing[id])] += bytes;
    ++cell.files;
  }
}

void Composition::findTops() {
  const SurveyTree& t = context_.tree;
  tops_.fill(noNode);
  for (NodeId id = 1; id < t.size(); ++id) {
    if (t.isGone(id) || context_.standing[id] == context_.standing[t.parent(id)]) continue;
    NodeId& top = tops_[static_cast<std::size_t>(context_.standing[id])];
    if (top == noNode || t.weight(id) > t.weight(top)) top = id;
  }
}

/// Folders with more entries than an outline can show: their largest, worked out here, off the GUI thread.
void Composition::findLargest() {
  const SurveyTree& t = context_.tree;
  for (std::uint32_t index = 0; index < t.folderNumbers(); ++index) {
    NodeId folder = noNode;
    (void)t.growing(index, &folder);
    if (folder == noNode || t.isGone(folder) || t.totals(folder).children <= outlineRows) continue;
    const FolderTotals& totals = t.totals(folder);
    std::vector<NodeId> list(totals.children);
    for (NodeId i = 0; i < totals.children; ++i) list[i] = totals.firstChild + i;
    sortList(context_, list, ListColumn::occupied, true, outlineRows);
    list.resize(outlineRows);
    list.shrink_to_fit();
    largest_.emplace(folder, std::move(list));
  }
}

const std::vector<NodeId>* Composition::largestOf(NodeId folder) const {
  const auto at = largest_.find(folder);
  return at == largest_.end() ? nullptr : &at->second;
}

int Composition::partOf(Lens lens, NodeId node) const {
  const SurveyTree& t = context_.tree;
  switch (lens) {
    case Lens::standing:
      return static_cast<int>(context_.standing[node]);
    case Lens::age:
      return static_cast<int>(ageBand(t.modified(node), context_.survey.finished));
    case Lens::kind:
      return static_cast<int>(context_.kind[node]);
    case Lens::owner: {
      const auto at = std::find(owners_.begin(), owners_.end(), t.owner(node));
      return static_cast<int>(at - owners_.begin());
    }
  }
  return 6;
}

Composition::Parts Composition::parts(Lens lens, NodeId node) const {
  if (context_.tree.isFolder(node))
    return folders_[static_cast<std::size_t>(lens)][context_.tree.folderIndex(node)];
  Parts parts{};
  parts[static_cast<std::size_t>(partOf(lens, node))] = context_.tree.occupied(node);
  return parts;
}

QString Composition::partName(Lens lens, int part) const {
  switch (lens) {
    case Lens::standing:
      return part < standings ? say(&Words::standing, static_cast<Standing>(part)) : QString();
    case Lens::age:
      return say(&Words::ageBand, static_cast<AgeBand>(part));
    case Lens::kind:
      return say(&Words::fileKind, static_cast<FileKind>(part));
    case Lens::owner:
      if (part < static_cast<int>(owners_.size()))
        return say(&Words::owner, context_, owners_[static_cast<std::size_t>(part)]);
      return part == lensParts - 1 ? QCoreApplication::translate("Composition", "others") : QString();
  }
  return {};
}

}  // namespace zt::desktop
