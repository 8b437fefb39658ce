// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/find.h"

#include <xxhash.h>

#include <algorithm>
#include <array>

namespace zt {

std::string_view name(FindKind kind) {
  static constexpr std::array<std::string_view, 5> names{"large", "old", "dormant", "trash", "picked"};
  return names[static_cast<std::size_t>(kind)];
}

std::string_view name(GainTime time) {
  static constexpr std::array<std::string_view, 4> names{"now", "on-release", "at-restart",
                                                         "until-next-start"};
  return names[static_cast<std::size_t>(time)];
}

Bytes largeThreshold(Bytes capacity) {
  return std::clamp<Bytes>(capacity / 2500, 1'000'000, 100'000'000);
}

FindContext::FindContext(const Survey& s, const Catalogue& c, Anchor a, FindOptions o, bool keeps)
    : survey(s),
      tree(s.tree),
      catalogue(c),
      anchor(std::move(a)),
      options(o),
      keepsAccessTimes(keeps),
      setGain(s.tree),
      standing(c.standings(s.tree, anchor)) {
  kind.assign(tree.size(), FileKind::other);
  for (NodeId id = 1; id < tree.size(); ++id)
    if (tree.kind(id) == EntryKind::file) kind[id] = options.kinds.of(tree.name(id));
  findTrashes();
}

/// A folder is a trash if it lies where the freedesktop trash specification 1.0 puts one and has `files` and
/// `info`.
void FindContext::findTrashes() {
  inTrash.assign(tree.size(), false);
  for (NodeId id = 1; id < tree.size(); ++id) {
    const NodeId up = tree.parent(id);
    inTrash[id] = inTrash[up];
    if (inTrash[id] || !tree.isFolder(id)) continue;
    const auto own = tree.name(id);
    const bool home = own == "Trash" && tree.name(up) == "share";
    const bool top = up == 0 && own.starts_with(".Trash-");
    const bool shared = up != 0 && tree.parent(up) == 0 && tree.name(up) == ".Trash";
    if (!(home || top || shared)) continue;
    const auto files = tree.child(id, "files");
    const auto info = tree.child(id, "info");
    if (!files || !info || !tree.isFolder(*files) || !tree.isFolder(*info)) continue;
    trashes.push_back(id);
    inTrash[id] = true;
  }
}

Bytes FindContext::large() const {
  return options.largeBytes != 0 ? options.largeBytes : largeThreshold(survey.usage.capacity);
}

FindItem FindContext::item(NodeId node) const {
  return {node, tree.path(node), tree.identity(node), tree.weight(node), {}, {}};
}

Regret FindContext::regretOf(NodeId node) const {
  const Place* place = catalogue.placeOf(anchor, tree.path(node));
  return place == nullptr ? Regret::personalGone : place->regret;
}

namespace {

/// Names outside `nodes` of inodes that have a name inside.
std::uint32_t outsideLinks(const FindContext& c, std::span<const NodeId> nodes) {
  absl::flat_hash_map<std::uint32_t, std::pair<std::uint32_t, std::uint32_t>> seen;  // group → inside, all
  const bool folders = std::any_of(nodes.begin(), nodes.end(), [&](NodeId n) { return c.tree.isFolder(n); });
  const bool linked = std::any_of(nodes.begin(), nodes.end(), [&](NodeId n) { return c.tree.isLinked(n); });
  if (!folders && !linked) return 0;
  for (const LinkedNode& link : c.tree.linked()) {
    const bool inside = std::any_of(nodes.begin(), nodes.end(), [&](NodeId n) {
      return n == link.node || c.tree.isBeneath(link.node, n);
    });
    if (!inside) continue;
    auto& count = seen[link.group];
    ++count.first;
    count.second = link.links;
  }
  std::uint32_t outside = 0;
  for (const auto& [group, count] : seen)
    outside += count.second > count.first ? count.second - count.first : 0;
  return outside;
}

}  // namespace

void FindContext::complete(Find& find) const {
  std::vector<NodeId> nodes;
  for (const auto& item : find.items) {
    nodes.push_back(item.node);
    const bool folder = tree.isFolder(item.node);
    find.newest = std::max(find.newest, folder ? tree.totals(item.node).newest : tree.modified(item.node));
    find.files += folder ? tree.totals(item.node).files : 1;
    if (keepsAccessTimes) find.accessed = std::max(find.accessed, tree.accessedSeconds(item.node));
  }
  const Bytes bytes = setGain.of(nodes);
  find.gain = {bytes, bytes, GainTime::now};
  if (nodes.size() <= 64 || tree.linked().size() < 100'000) find.linksElsewhere = outsideLinks(*this, nodes);
  find.owner = tree.owner(nodes.front());
  const bool gathered = find.kind == FindKind::old || find.kind == FindKind::trash;
  if (!gathered) find.place = std::string(parentPath(find.items.front().path));
  const Place* place = catalogue.placeOf(anchor, find.items.front().path);
  if (place != nullptr) find.placeId = place->id;
  const std::string key = gathered ? find.place + "/" : find.items.front().path;
  char text[24];
  std::snprintf(text, sizeof text, "-%010llx",
                static_cast<unsigned long long>(
                    XXH64(key.data(), key.size(), static_cast<unsigned>(find.band)) & 0xFFFFFFFFFFull));
  find.id = std::string(name(find.kind)) + text;
}

std::vector<Find> detectAll(const FindContext& context, FileSystemReader& files, const Folder& root) {
  std::vector<Find> all = detectTrash(context, files, root);
  for (auto* detect : {&detectDormant, &detectLarge, &detectOld}) {
    auto found = detect(context);
    std::move(found.begin(), found.end(), std::back_inserter(all));
  }
  std::stable_sort(all.begin(), all.end(),
                   [](const Find& a, const Find& b) { return a.gain.sure > b.gain.sure; });
  return all;
}

Find pickedFind(const FindContext& context, NodeId node) {
  Find find;
  find.kind = FindKind::picked;
  find.standing = context.standing[node];
  find.regret = context.regretOf(node);
  find.items.push_back(context.item(node));
  context.complete(find);
  find.band = ageBand(find.newest, context.options.now);
  return find;
}

}  // namespace zt
