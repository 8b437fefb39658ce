// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/detect/place_finds.h"

#include <algorithm>
#include <map>
#include <set>

#include "core/finds/conditions.h"
#include "core/finds/evidence.h"

namespace zt {

namespace {

/// Whether a path of the place ends with this very name, and not with a wildcard that it fits.
bool isNamedExactly(const Place& place, std::string_view name) {
  return std::any_of(place.paths.begin(), place.paths.end(), [&](const std::string& path) {
    const auto last = baseName(path);
    return !path.starts_with("**") && !NamePattern::isWild(last) && lowered(last) == lowered(name);
  });
}

/// Whether it is a thing in a place's entry that was cut out of it, and not the entry itself.
bool isCutOut(const Sighting& s, const Sightings& seen) {
  const Sighting& above = seen.all[s.above];
  return (s.verdict == Verdict::foreign || s.verdict == Verdict::personal) && above.place == s.place &&
         above.verdict == Verdict::asSaid && above.node != s.node;
}

}  // namespace

bool isManySmall(std::uint32_t files, Bytes bytes) {
  constexpr std::uint32_t many = 2000;
  constexpr Bytes small = Bytes{256} * 1024;  // on average
  return files >= many && bytes / files <= small;
}

std::vector<Offer> offersOf(const Place& place) {
  std::vector<Offer> offers;
  const auto add = [&](std::string_view action) {
    offers.push_back({std::string(action), {}, {}, place.needs});
  };
  if (place.go == LetGo::here) {
    add(place.whole ? "discard" : "empty");
    add("hold");
  }
  const bool told = place.go == LetGo::system || (place.go == LetGo::owner && !place.command.empty());
  if (told) add("advise");
  if (place.kind == "memory-files") add("switch-off");  // where the running system uses it
  if (place.id == "journal") add("limit");
  return offers;
}

std::uint32_t likelihoodOf(const Place& place) {
  switch (place.standing) {
    case Standing::spent:
      return 90;
    case Standing::rebuilds:
      return 80;
    case Standing::ownersCall:
      return place.regret <= Regret::wayBack ? 70 : 45;
    default:
      return 10;
  }
}

/// The folder under which a thing is gathered with others of its place. What a place knows by its form alone
/// can lie in a thousand folders: the small ones are one find, beneath the nearest folder that a person would
/// name: in a home the first in it, else the second from the top.
NodeId PlaceFinds::gatheredAt(const Sighting& s) const {
  const SurveyTree& tree = context_.tree;
  if (s.node == 0) return 0;
  if (!s.place->isForm() || tree.weight(s.node) >= context_.large()) return tree.parent(s.node);
  std::vector<NodeId> way;
  for (NodeId up = tree.parent(s.node); up != 0; up = tree.parent(up)) way.push_back(up);
  const auto& homes = context_.sightings.homes;
  for (std::size_t i = 1; i < way.size(); ++i)
    if (std::find(homes.begin(), homes.end(), way[i]) != homes.end()) return way[i - 1];
  return way.size() < 2 ? tree.parent(s.node) : way[way.size() - 2];
}

PlaceFinds::Face PlaceFinds::faceOf(const Sighting& s) {
  if (s.verdict == Verdict::personal || s.verdict == Verdict::foreign) return Face::foreign;
  return s.verdict == Verdict::tooYoung || s.isNewestToAskFor() ? Face::waiting : Face::asSaid;
}

PlaceFinds::Group& PlaceFinds::groupAt(Groups& groups, const Place* place, NodeId folder, Face face) {
  Group& group = groups[{place, folder, face}];
  group.place = place;
  group.folder = folder;
  group.face = face;
  return group;
}

PlaceFinds::Groups PlaceFinds::groups() const {
  Groups groups;
  const Sightings& seen = context_.sightings;
  for (std::uint32_t i = 1; i < seen.all.size(); ++i) {
    const Sighting& s = seen.all[i];
    if (s.place->kind != kind_ || context_.tree.isGone(s.node)) continue;
    if (isCutOut(s, seen)) {
      ++groupAt(groups, s.place, gatheredAt(seen.all[s.above]), Face::asSaid).left;
      // What persons left in an earlier system is one question.
      if (s.verdict == Verdict::personal)
        groupAt(groups, s.place, seen.all[s.above].node, Face::foreign).sightings.push_back(i);
      continue;
    }
    const Face face = faceOf(s);
    const NodeId folder = gatheredAt(s);
    if (face != Face::asSaid || s.verdict == Verdict::asSaid)
      groupAt(groups, s.place, folder, face).sightings.push_back(i);
    if (s.verdict == Verdict::tooYoung) ++groupAt(groups, s.place, folder, Face::asSaid).young;
    if (s.verdict == Verdict::stays) ++groupAt(groups, s.place, folder, Face::asSaid).stay;
  }
  return groups;
}

/// Folders in which another place speaks of something further down: they are not taken as they are.
absl::flat_hash_set<NodeId> PlaceFinds::broken() const {
  absl::flat_hash_set<NodeId> all;
  const Sightings& seen = context_.sightings;
  for (std::uint32_t i = 1; i < seen.all.size(); ++i) {
    const Sighting& s = seen.all[i];
    const NodeId end = seen.all[s.above].node;
    // Where the way up is known already it is known to the end: what is above spoke for itself.
    for (NodeId up = s.node; up != 0 && up != end;) {
      up = context_.tree.parent(up);
      if (!all.insert(up).second) break;
    }
  }
  // What somebody holds open does not go, and must not keep its neighbours.
  for (const NodeId held : context_.held)
    for (NodeId up = held; up != 0;) {
      up = context_.tree.parent(up);
      all.insert(up);
    }
  return all;
}

void PlaceFinds::collect(NodeId node, std::uint32_t sighting, const absl::flat_hash_set<NodeId>& broken,
                         std::vector<NodeId>& items) const {
  if (context_.held.contains(node)) return;
  if (!broken.contains(node)) {
    items.push_back(node);
    return;
  }
  const FolderTotals& t = context_.tree.totals(node);
  for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id)
    if (context_.sightings.of[id] == sighting) collect(id, sighting, broken, items);
}

/// By when it was made or last changed, asked of the thing itself. `in` and `folder` are kept for the next.
bool PlaceFinds::isYoung(const Place& place, NodeId id, NodeId& in, FolderPtr& folder) const {
  const TimeNs line = context_.options.now - place.ageDays * nsPerDay;
  if (const NodeId up = context_.tree.parent(id); up != in) {
    in = up;
    folder = input_.files->openBeneath(*input_.root, context_.tree.path(up)).value_or(nullptr);
  }
  const auto stat = folder ? input_.files->stat(*folder, context_.tree.name(id))
                           : Result<EntryStat>(fail(Errc::notThere, "stat"));
  return !stat || std::max(stat->changed, stat->born) > line;
}

/// Takes out what was made or changed more lately than it was modified: what is unpacked keeps its old times,
/// and where it lies it is young. It waits with what is young by all its times.
void PlaceFinds::leaveTouched(Groups& groups) const {
  if (!input_.files || !input_.root) return;
  for (auto& [key, group] : groups) {
    if (group.face == Face::waiting || group.place->ageDays == 0) continue;
    NodeId in = noNode;
    FolderPtr folder;
    const auto young = std::stable_partition(group.nodes.begin(), group.nodes.end(), [&](NodeId id) {
      return !isYoung(*group.place, id, in, folder);
    });
    if (young == group.nodes.end()) continue;
    group.young += static_cast<std::uint64_t>(group.nodes.end() - young);
    if (group.face == Face::asSaid) {
      Group& waiting = groupAt(groups, group.place, group.folder, Face::waiting);
      waiting.nodes.insert(waiting.nodes.end(), young, group.nodes.end());
    }
    group.nodes.erase(young, group.nodes.end());
  }
}

std::vector<NodeId> PlaceFinds::nodesOf(const Group& group, const absl::flat_hash_set<NodeId>& broken) const {
  const Place& place = *group.place;
  const SurveyTree& tree = context_.tree;
  std::vector<NodeId> nodes;
  // "Here" means the contents of a folder that is named exactly; what a wildcard or a form names goes itself.
  for (const std::uint32_t i : group.sightings) {
    const NodeId node = context_.sightings.all[i].node;
    if (place.standing <= Standing::kept) {  // measured only, as it is
      nodes.push_back(node);
      continue;
    }
    const bool contents = place.go == LetGo::here && !place.whole && tree.isFolder(node) &&
                          isNamedExactly(place, tree.name(node));
    if (place.whole && !cutApart(i)) {  // all of it or nothing, whatever is open in it
      nodes.push_back(node);
      continue;
    }
    if (!contents) {
      collect(node, i, broken, nodes);
      continue;
    }
    const FolderTotals& t = tree.totals(node);
    for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id)
      if (context_.sightings.of[id] == i) collect(id, i, broken, nodes);
  }
  return nodes;
}

Find PlaceFinds::findOf(const Group& group) const {
  const Place& place = *group.place;
  const SurveyTree& tree = context_.tree;
  std::vector<NodeId> nodes = group.nodes;
  Find find;
  find.kind = kind_;
  find.likelihood = likelihoodOf(place);
  find.placeId = place.id;
  takeLargest(find, context_, nodes);
  if (find.items.empty()) return find;
  if (group.young > 0) find.facts.push_back({"left-young", group.young});
  if (const auto open = heldIn(group); !open.empty()) {
    find.facts.push_back({"held-open", std::uint64_t{open.size()}});
    find.facts.push_back({"held-by", context_.holderOf(open.front())});
  }
  if (group.left > 0) find.facts.push_back({"left-foreign", group.left});
  if (group.stay > 0) find.facts.push_back({"newest-stay", group.stay});
  const bool one = group.sightings.size() == 1;
  find.place = tree.path(one ? context_.sightings.all[group.sightings.front()].node : group.folder);
  find.offers = offersOf(place);
  // What persons left in a system is not its: it goes by their own hand.
  const bool leftByPersons = group.face == Face::foreign && place.isEarlierSystem();
  if (leftByPersons) find.offers = {{"discard", {}, {}, {}}, {"hold", {}, {}, {}}, {"transfer", {}, {}, {}}};
  const std::string runs = closeUnmet(find, group);
  context_.complete(find);
  find.placeId = place.id;
  // Of a user's own place nobody else knows what it is.
  const Place* shipped = placeOf(find, *KnownPlaces::builtIn());
  if (shipped == nullptr || shipped->what != place.what) find.facts.push_back({"what", place.what});
  sayWhyNotAsSaid(find, group);
  // Its own system's way takes along what persons left in it: that is theirs to decide.
  if (group.face == Face::asSaid && group.left > 0 && place.isEarlierSystem() && place.go != LetGo::here) {
    find.regret = Regret::personalGone;
    find.facts.push_back({"takes-along", group.left});
  }
  if (!runs.empty()) {
    find.facts.push_back({"owner-runs", runs});
    find.standing = find.judged = std::min(find.judged, Standing::unjudged);
  }
  static constexpr std::string_view marks[] = {"/", "//", "/+"};
  find.id = FindContext::findId(
      kind_, place.id + std::string(marks[static_cast<std::size_t>(group.face)]) + find.place, find.band);
  find.band = ageBand(find.newest, context_.options.now);
  addOtherReasons(find);
  return find;
}

/// Why a find is a person's to decide, though its place is known.
void PlaceFinds::sayWhyNotAsSaid(Find& find, const Group& group) const {
  if (group.face == Face::asSaid) return;
  if (group.face == Face::waiting) {
    std::uint64_t newest = 0;
    for (const std::uint32_t i : group.sightings)
      newest += context_.sightings.all[i].verdict == Verdict::stays;
    if (newest > 0) find.facts.push_back({"among-newest", newest});
    if (newest < find.items.size())
      find.facts.push_back({"younger-than", static_cast<std::uint64_t>(group.place->ageDays)});
    // What was made lately is old by its own times: its standing is that of the young.
    find.standing = find.judged = std::min(find.judged, Standing::unjudged);
    find.regret = Regret::personalGone;
    return;
  }
  const Verdict verdict = context_.sightings.all[group.sightings.front()].verdict;
  find.facts.push_back(
      {verdict == Verdict::personal ? "personal-files" : "not-its-makers", std::uint64_t{1}});
}

/// What a place needs, and does not have now, closes the ways that we would go ourselves; where only a
/// program has to be closed they stay open to a person, with that condition. Gives the program.
std::string PlaceFinds::closeUnmet(Find& find, const Group& group) const {
  if (group.place->go != LetGo::here) return {};
  std::set<std::string> unmet;
  std::string runs;
  for (const std::uint32_t i : group.sightings)
    for (const UnmetNeed& need : unmetNeeds(context_, *group.place, context_.sightings.all[i].node)) {
      if (!need.waits) unmet.insert(need.need);
      if (need.waits) runs = need.who;
    }
  for (Offer& offer : find.offers) {
    offer.conditions.clear();
    for (const std::string& need : unmet) offer.conditions.push_back("not-" + need);
    if (unmet.empty() && !runs.empty()) offer.conditions.emplace_back("not-idle");
    if (!unmet.empty()) find.closed.push_back(offer);
  }
  if (unmet.empty()) return runs;
  find.offers.clear();
  return {};
}

/// Whether something was cut out of what a sighting speaks of.
bool PlaceFinds::cutApart(std::uint32_t sighting) const {
  return context_.sightings.cutApart.contains(sighting);
}

std::vector<NodeId> PlaceFinds::heldIn(const Group& group) const {
  const std::set<std::uint32_t> sightings(group.sightings.begin(), group.sightings.end());
  std::vector<NodeId> open;
  std::copy_if(context_.held.begin(), context_.held.end(), std::back_inserter(open),
               [&](NodeId id) { return sightings.contains(context_.sightings.of[id]); });
  return open;
}

/// A thing stands once, with all its reasons: what other detectors would have said of it.
void PlaceFinds::addOtherReasons(Find& find) const {
  const auto also = [&](std::string_view kind) {
    if (kind != kind_) find.facts.push_back({"also", std::string(kind)});
  };
  if (isManySmall(find.files, find.gain.atMost)) also("many-small");
  if (find.newest < context_.line()) also(find.files == 1 ? "old" : "dormant");
  if (find.files == 1 && find.gain.atMost >= context_.large()) also("large");
}

/// What waits and is small is left alone without a question.
bool PlaceFinds::isWorthAsking(const Find& find, const Group& group) const {
  const Bytes least = group.face == Face::waiting ? context_.large() / 10 : 1;
  return !find.items.empty() && find.gain.atMost >= least;
}

Result<void> PlaceFinds::give(const FindSink& sink, const std::stop_token& stop) const {
  Groups all = groups();
  const auto folders = broken();
  for (auto& [key, group] : all) group.nodes = nodesOf(group, folders);
  leaveTouched(all);
  for (const auto& [key, group] : all) {
    if (stop.stop_requested()) return {};
    Find find = findOf(group);
    if (isWorthAsking(find, group) && !sink(std::move(find))) return {};
  }
  return {};
}

namespace {

class OfPlaces final : public Detector {
public:
  explicit OfPlaces(std::string kind) : kind_(std::move(kind)) {}
  std::string_view id() const override { return kind_; }
  Result<void> detect(const DetectInput& input, const FindSink& sink,
                      const std::stop_token& stop) const override {
    return PlaceFinds(input, kind_).give(sink, stop);
  }

private:
  std::string kind_;
};

}  // namespace

std::shared_ptr<const Detector> detectorOfPlaces(std::string kind) {
  return std::make_shared<OfPlaces>(std::move(kind));
}

void takeLargest(Find& find, const FindContext& c, std::vector<NodeId>& nodes) {
  std::sort(nodes.begin(), nodes.end(),
            [&](NodeId a, NodeId b) { return c.tree.weight(a) > c.tree.weight(b); });
  if (nodes.size() > c.options.mostItems) {
    find.facts.push_back({"left-out", std::uint64_t{nodes.size() - c.options.mostItems}});
    nodes.resize(c.options.mostItems);
  }
  for (const NodeId node : nodes) find.items.push_back(c.subject(node));
}

}  // namespace zt
