// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/find_context.h"

#include <xxhash.h>

#include <algorithm>

#include "core/finds/subject_type.h"

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
      heldBy(openEntries()),
      held(heldOpen()),
      kindsFound_(std::async(std::launch::async, [this] { findKinds(); })),  // beside what follows
      sightings(judge(places, tree, {options.now, options.head})),
      gain(tree, survey.holdings, held),
      names(tree),
      points(survey, gain, this->options.now) {
  takeJudgements();
  findBusy();
  findTrashes();
  findFixed();
  findForeign();
  kindsFound_.get();
}

/// Standings and regrets by node, and the strictest and the worst of every folder with all that it holds.
void FindContext::takeJudgements() {
  standing.resize(tree.size());
  regret.resize(tree.size());
  part.resize(tree.size());
  beneath_.assign(tree.folderNumbers(), {Standing::spent, Regret::none});
  NodeId parent = noNode;  // siblings lie together: the folder they are in is looked up once
  Judgement* in = nullptr;
  const auto add = [](Judgement& sum, const Judgement& j) {
    sum.standing = std::min(sum.standing, j.standing);
    sum.regret = std::max(sum.regret, j.regret);
  };
  for (NodeId id = tree.size(); id-- > 0;) {  // children have larger numbers
    const Judgement own = sightings.judgement(id);
    standing[id] = own.standing;
    regret[id] = own.regret;
    part[id] = own.part;
    if (tree.isGone(id)) continue;
    if (tree.isFolder(id)) add(beneath_[tree.folderIndex(id)], own);
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

/// The top of the subvolume that an entry lies in: it has the first number that Btrfs gives.
NodeId FindContext::subvolumeTop(NodeId node) const {
  NodeId up = node;
  while (up != 0 && !(survey.fsType == "btrfs" && tree.isFolder(up) && tree.inode(up) == subvolumeTopInode))
    up = tree.parent(up);
  return up;
}

absl::flat_hash_map<NodeId, std::string> FindContext::openEntries() const {
  absl::flat_hash_map<NodeId, std::string> all;
  absl::flat_hash_set<std::uint64_t> numbers;  // most entries are held by nobody
  for (const auto& [key, who] : options.openInodes) numbers.insert(key.second);
  for (NodeId id = 1; id < tree.size() && !numbers.empty(); ++id) {
    if (!numbers.contains(tree.inode(id)) || tree.isGone(id)) continue;
    if (const auto who = options.openInodes.find({subvolumeTop(id), tree.inode(id)});
        who != options.openInodes.end())
      all.emplace(id, who->second);
  }
  return all;
}

absl::flat_hash_set<NodeId> FindContext::heldOpen() const {
  absl::flat_hash_set<NodeId> all;
  for (const auto& [node, who] : heldBy)
    if (tree.kind(node) == EntryKind::file) all.insert(node);
  return all;
}

void FindContext::findBusy() {
  for (const auto& [node, who] : heldBy)
    if (tree.isFolder(node)) busy.emplace(node, who);
}

const std::string* FindContext::holderIn(NodeId node) const {
  const auto touches = [&](NodeId other) { return other == node || gain.beneath(other, node); };
  for (const NodeId file : held)
    if (touches(file)) return &heldBy.at(file);
  for (const auto& [folder, who] : busy)
    // What lies in a layer of an overlay is seen through it.
    if (touches(folder) || (who.starts_with("overlay ") && gain.beneath(node, folder))) return &who;
  return nullptr;
}

void FindContext::findKinds() {
  kind.assign(tree.size(), FileKind::other);
  for (NodeId id = 1; id < tree.size(); ++id)
    if (tree.kind(id) == EntryKind::file) kind[id] = options.kinds.of(tree.name(id));
}

/// What cannot go, and so everything that it lies in: what is fixed, what was not seen, what is a snapshot.
void FindContext::findFixed() {
  const auto mark = [&](NodeId node) {
    if (fixed.empty()) fixed.assign(tree.size(), false);
    for (NodeId up = node; !fixed[up]; up = tree.parent(up)) {
      fixed[up] = true;
      if (up == 0) break;
    }
  };
  for (NodeId id = 0; id < tree.size(); ++id)
    if (tree.isFixed(id) && !tree.isGone(id)) mark(id);
  using Kind = SurveyException::Kind;
  for (const SurveyException& e : survey.exceptions)
    if (e.kind == Kind::unreadable || e.kind == Kind::unanswered || e.kind == Kind::mountedOver) mark(e.node);
  for (std::size_t i = 0; i < points.kept(); ++i)
    if (points[i].node != noNode) mark(points[i].node);
}

bool FindContext::cannotGo(NodeId node) const {
  return !fixed.empty() && (fixed[node] || tree.isFixed(tree.parent(node)));
}

void FindContext::findForeign() {
  if (options.self == 0) return;
  foreign.assign(tree.size(), false);
  for (NodeId id = 0; id < tree.size(); ++id)
    if (tree.owner(id) != options.self)
      for (NodeId up = id; !foreign[up]; up = tree.parent(up)) {
        foreign[up] = true;
        if (up == 0) break;
      }
}

bool FindContext::needsRights(NodeId node) const {
  return !foreign.empty() && (foreign[node] || tree.owner(tree.parent(node)) != options.self);
}

void FindContext::findTrashes() {
  inTrash.assign(tree.size(), false);
  const std::uint32_t folders = tree.folderNumbers();
  for (std::uint32_t i = 1; i < folders; ++i) {  // a parent's folder number is smaller than its children's
    NodeId id = noNode;
    (void)tree.growing(i, &id);
    if (id == noNode || id == 0 || tree.isGone(id)) continue;
    inTrash[id] = inTrash[tree.parent(id)];
    const auto form = inTrash[id] ? std::nullopt : trashAt(id);
    if (!form) continue;
    inTrash[id] = true;
    trashes.push_back({id, *form});
  }
  if (trashes.empty()) return;
  for (NodeId id = 1; id < tree.size(); ++id)
    if (!tree.isFolder(id) && !tree.isGone(id)) inTrash[id] = inTrash[tree.parent(id)];
}

/// A folder is a trash only where its family puts one.
std::optional<TrashForm> FindContext::trashAt(NodeId folder) const {
  const NodeId up = tree.parent(folder);
  const auto own = tree.name(folder);
  const bool belowTop = up != 0 && tree.parent(up) == 0;
  if (belowTop && own.starts_with("S-1-") && lowered(tree.name(up)) == "$recycle.bin") return TrashForm::nt;
  const bool number = !own.empty() && own.find_first_not_of("0123456789") == std::string_view::npos;
  if (belowTop && number && tree.name(up) == ".Trashes") return TrashForm::mac;
  const Place* place = own == ".Trash" ? placeOf(folder) : nullptr;
  if (place != nullptr && place->id == "mac-trash") return TrashForm::mac;
  const bool home = own == "Trash" && tree.name(up) == "share";
  const bool top = up == 0 && own.starts_with(".Trash-");
  const bool shared = belowTop && tree.name(up) == ".Trash";
  if (!(home || top || shared)) return std::nullopt;
  const auto files = tree.child(folder, "files");
  const auto info = tree.child(folder, "info");
  if (!files || !info || !tree.isFolder(*files) || !tree.isFolder(*info)) return std::nullopt;
  return TrashForm::freedesktop;
}

bool FindContext::spokenFor(NodeId node) const {
  const Sighting& s = sightings.all[sightings.of[node]];
  const bool told = s.verdict == Verdict::asSaid || s.verdict == Verdict::personal ||
                    s.verdict == Verdict::tooYoung || s.isNewestToAskFor();
  return inTrash[node] || (s.place != nullptr && !s.place->kind.empty() && told);
}

/// What was seen is known by the entries themselves; where something was not looked into, what the places
/// could have there counts too.
bool FindContext::locked(std::string_view path) const {
  const auto node = tree.find(path);
  if (!node || survey.partial) return places.locked(path);
  const Place* place = placeOf(*node);
  if (part[*node] || standing[*node] == Standing::bedrock) return true;
  if (place != nullptr && place->whole) return false;  // all or nothing: its insides do not count
  if (strictest(*node).standing == Standing::bedrock || places.holdsRoot(path)) return true;
  const bool unseen =
      std::any_of(survey.exceptions.begin(), survey.exceptions.end(),
                  [&](const SurveyException& e) { return e.node == *node || gain.beneath(e.node, *node); });
  return unseen && places.locked(path);
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

Subject FindContext::pointSubject(std::uint32_t point) const {
  if (point >= points.kept()) return subject(points[point].node);
  Subject s;
  s.kind = SubjectKind::point;
  s.path = points[point].path;
  s.identity.inode = points[point].id;
  s.identity.modified = points[point].taken;
  s.occupied = points.own(point);
  return s;
}

std::optional<std::uint32_t> FindContext::pointOf(const Subject& s) const {
  return s.kind == SubjectKind::point ? points.find(s.identity.inode, s.identity.modified) : std::nullopt;
}

std::optional<std::uint32_t> FindContext::stateOf(const Subject& s) const {
  return s.inSurvey() ? points.memberAt(s.node) : pointOf(s);
}

FindContext::Pinned FindContext::pinned(std::span<const Subject> items) const {
  Pinned pinned;
  std::vector<NodeId> nodes;
  for (const Subject& item : items)
    if (item.node != noNode) nodes.push_back(item.node);
  pinned.by = gain.keepersOf(nodes);
  if (pinned.by.byPoints == 0) return pinned;
  pinned.mayGo = pinned.by.points;
  for (std::uint32_t p = 0; p < pinned.mayGo.size(); ++p)
    if (!points.mayGoByRule(p)) pinned.mayGo[p] = false;
  pinned.with = gain.of(nodes, pinned.mayGo).sure;
  pinned.helps = pinned.with > gain.of(nodes).sure + gain.of({}, pinned.mayGo).sure;
  return pinned;
}

std::vector<NodeId> FindContext::openIn(std::span<const Subject> items) const {
  std::vector<NodeId> open;
  if (held.empty()) return open;
  absl::flat_hash_set<NodeId> tops;
  for (const Subject& item : items)
    if (item.node != noNode) tops.insert(item.node);
  for (const NodeId file : held) {
    NodeId up = file;
    while (up != 0 && !tops.contains(up)) up = tree.parent(up);
    if (tops.contains(up)) open.push_back(file);
  }
  std::sort(open.begin(), open.end());
  return open;
}

GainBounds FindContext::gainOf(std::span<const Subject> items) const {
  std::vector<NodeId> nodes;
  GainModel::Points going(points.kept(), false);
  for (const Subject& item : items) {
    if (item.node != noNode) nodes.push_back(item.node);
    if (const auto point = pointOf(item)) going[*point] = true;
  }
  return gain.of(nodes, going);
}

std::string FindContext::findId(std::string_view kind, std::string_view about, AgeBand band) {
  char text[24];
  std::snprintf(text, sizeof text, "-%010llx",
                static_cast<unsigned long long>(
                    XXH64(about.data(), about.size(), static_cast<unsigned>(band)) & 0xFFFFFFFFFFull));
  return std::string(kind) + text;
}

void FindContext::weigh(Find& find) const {
  std::vector<NodeId> nodes;
  find.newest = 0;
  find.files = 0;
  find.accessed = 0;
  for (const auto& item : find.items) {
    find.newest = std::max(find.newest, typeOf(item).time(tree, item));
    if (item.node == noNode) continue;
    nodes.push_back(item.node);
    const bool folder = tree.isFolder(item.node);
    find.files += folder ? tree.totals(item.node).files : 1;
    if (options.keepsAccessTimes) find.accessed = std::max(find.accessed, tree.accessedSeconds(item.node));
  }
  const GainBounds bounds = gainOf(find.items);
  find.gain = {bounds.sure, bounds.atMost, GainTime::now};
  find.linksElsewhere = gain.namesElsewhere(nodes);
}

void FindContext::complete(Find& find) const {
  find.live = options.live;
  weigh(find);
  Judgement worst{Standing::spent, Regret::none};
  for (const auto& item : find.items) {
    const Judgement own = strictest(item.node);
    worst.standing = std::min(worst.standing, own.standing);
    worst.regret = std::max(worst.regret, own.regret);
    if (part[item.node]) worst.standing = Standing::bedrock;
  }
  find.standing = find.judged = worst.standing;
  find.regret = worst.regret;
  find.owner = tree.owner(find.items.front().node);
  // Finds that gather have named their place; the others are about one thing.
  const bool gathered = !find.place.empty() || find.items.size() > 1;
  if (!gathered) find.place = std::string(parentPath(find.items.front().path));
  const Place* place = placeOf(find.items.front().node);
  if (place != nullptr) find.placeId = place->id;
  find.id = findId(find.kind, gathered ? find.place + "/" : find.items.front().path, find.band);
}

Find pickedFind(const FindContext& context, NodeId node) {
  Find find;
  find.kind = pickedKind;
  find.items.push_back(context.subject(node));
  find.offers = {{"discard", {}, {}, {}}, {"hold", {}, {}, {}}, {"transfer", {}, {}, {}}};
  // What was picked is named by its path alone: it is the same thing however old it grows.
  context.complete(find);
  if (context.needsRights(node)) find.facts.push_back({"needs-rights", std::uint64_t{1}});
  find.band = ageBand(find.newest, context.options.now);
  return find;
}

}  // namespace zt
