// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/find_context.h"

#include <xxhash.h>

#include <algorithm>

namespace zt {

Bytes largeThreshold(Bytes capacity) {
  return std::clamp<Bytes>(capacity / 2500, 1'000'000, 100'000'000);
}

FindContext::FindContext(SurveyPtr s, PlaceMap p, FindOptions o)
    : kept(std::move(s)),
      survey(*kept),
      tree(kept->tree),
      places(std::move(p)),
      options(std::move(o)),
      kindsFound_(std::async(std::launch::async, [this] { findKinds(); })),  // beside what follows
      gain(tree) {
  takeJudgements(places.judge(tree));
  findTrashes();
  kindsFound_.get();
}

/// Standings and regrets by node, and the strictest and the worst of every folder with all that it holds.
void FindContext::takeJudgements(const std::vector<Judgement>& all) {
  standing.resize(all.size());
  regret.resize(all.size());
  part.resize(all.size());
  beneath_.assign(tree.folderNumbers(), {Standing::spent, Regret::none});
  NodeId parent = noNode;  // siblings lie together: the folder they are in is looked up once
  Judgement* in = nullptr;
  const auto add = [](Judgement& sum, const Judgement& j) {
    sum.standing = std::min(sum.standing, j.standing);
    sum.regret = std::max(sum.regret, j.regret);
  };
  for (NodeId id = tree.size(); id-- > 0;) {  // children have larger numbers
    standing[id] = all[id].standing;
    regret[id] = all[id].regret;
    part[id] = all[id].part;
    if (tree.isGone(id)) continue;
    if (tree.isFolder(id)) add(beneath_[tree.folderIndex(id)], all[id]);
    if (id == 0) break;
    if (tree.parent(id) != parent) {
      parent = tree.parent(id);
      in = &beneath_[tree.folderIndex(parent)];
    }
    add(*in, strictest(id));
  }
}

Judgement FindContext::strictest(NodeId node) const {
  return tree.isFolder(node) ? beneath_[tree.folderIndex(node)]
                             : Judgement{standing[node], regret[node], part[node]};
}

void FindContext::findKinds() {
  kind.assign(tree.size(), FileKind::other);
  for (NodeId id = 1; id < tree.size(); ++id)
    if (tree.kind(id) == EntryKind::file) kind[id] = options.kinds.of(tree.name(id));
}

/// A folder is a trash if it lies where the freedesktop trash specification 1.0 puts one and has `files` and
/// `info`.
void FindContext::findTrashes() {
  inTrash.assign(tree.size(), false);
  const std::uint32_t folders = tree.folderNumbers();
  for (std::uint32_t i = 1; i < folders; ++i) {  // a parent's folder number is smaller than its children's
    NodeId id = noNode;
    (void)tree.growing(i, &id);
    if (id == noNode || id == 0 || tree.isGone(id)) continue;
    inTrash[id] = inTrash[tree.parent(id)] || isTrash(id);
    if (inTrash[id] && !inTrash[tree.parent(id)]) trashes.push_back(id);
  }
  if (trashes.empty()) return;
  for (NodeId id = 1; id < tree.size(); ++id)
    if (!tree.isFolder(id) && !tree.isGone(id)) inTrash[id] = inTrash[tree.parent(id)];
}

bool FindContext::isTrash(NodeId folder) const {
  const NodeId up = tree.parent(folder);
  const auto own = tree.name(folder);
  const bool home = own == "Trash" && tree.name(up) == "share";
  const bool top = up == 0 && own.starts_with(".Trash-");
  const bool shared = up != 0 && tree.parent(up) == 0 && tree.name(up) == ".Trash";
  if (!(home || top || shared)) return false;
  const auto files = tree.child(folder, "files");
  const auto info = tree.child(folder, "info");
  return files && info && tree.isFolder(*files) && tree.isFolder(*info);
}

Bytes FindContext::large() const {
  return options.largeBytes != 0 ? options.largeBytes : largeThreshold(survey.usage.capacity);
}

Subject FindContext::subject(NodeId node) const {
  Subject s;
  s.node = node;
  s.path = tree.path(node);
  s.identity = tree.identity(node);
  s.occupied = tree.weight(node);
  return s;
}

std::string FindContext::findId(std::string_view kind, std::string_view about, AgeBand band) {
  char text[24];
  std::snprintf(text, sizeof text, "-%010llx",
                static_cast<unsigned long long>(
                    XXH64(about.data(), about.size(), static_cast<unsigned>(band)) & 0xFFFFFFFFFFull));
  return std::string(kind) + text;
}

void FindContext::complete(Find& find) const {
  std::vector<NodeId> nodes;
  Judgement worst{Standing::spent, Regret::none};
  for (const auto& item : find.items) {
    nodes.push_back(item.node);
    const bool folder = tree.isFolder(item.node);
    find.newest = std::max(find.newest, folder ? tree.totals(item.node).newest : tree.modified(item.node));
    find.files += folder ? tree.totals(item.node).files : 1;
    if (options.keepsAccessTimes) find.accessed = std::max(find.accessed, tree.accessedSeconds(item.node));
    const Judgement own = strictest(item.node);
    worst.standing = std::min(worst.standing, own.standing);
    worst.regret = std::max(worst.regret, own.regret);
    if (part[item.node]) worst.standing = Standing::bedrock;
  }
  find.standing = find.judged = worst.standing;
  find.regret = worst.regret;
  const GainBounds bounds = gain.of(nodes);
  find.gain = {bounds.sure, bounds.atMost, GainTime::now};
  find.linksElsewhere = gain.namesElsewhere(nodes);
  find.owner = tree.owner(nodes.front());
  // Finds that gather have named their place; the others are about one thing.
  const bool gathered = !find.place.empty() || find.items.size() > 1;
  if (!gathered) find.place = std::string(parentPath(find.items.front().path));
  const Place* place = places.placeOf(find.items.front().path);
  if (place != nullptr) find.placeId = place->id;
  find.id = findId(find.kind, gathered ? find.place + "/" : find.items.front().path, find.band);
}

Find pickedFind(const FindContext& context, NodeId node) {
  Find find;
  find.kind = pickedKind;
  find.items.push_back(context.subject(node));
  find.offers = {{"discard", {}, {}, {}}, {"hold", {}, {}, {}}};
  // What was picked is named by its path alone: it is the same thing however old it grows.
  context.complete(find);
  find.band = ageBand(find.newest, context.options.now);
  return find;
}

}  // namespace zt
