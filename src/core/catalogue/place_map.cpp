// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/place_map.h"

#include <algorithm>

namespace zt {

PlaceMap::PlaceMap(std::vector<SystemRoot> systems, PathBytes inDrive, std::vector<HomeRoot> homes,
                   std::shared_ptr<const KnownPlaces> known)
    : known_(std::move(known)), systems_(std::move(systems)), homes_(std::move(homes)) {
  for (const auto family : {SystemFamily::linuxFamily, SystemFamily::nt, SystemFamily::mac})
    layers_.push_back({&known_->of(family), false, true, {}, inDrive});
  for (const SystemRoot& s : systems_) {
    if (s.previous) {
      previous_.push_back(previousSystem(s));
    }
    layers_.push_back({&known_->of(s.family), true, s.certain, s.at, s.prefix});
  }
}

/// A system that an upgrade left goes as a whole or not at all, and with it the way back.
std::unique_ptr<Place> PlaceMap::previousSystem(const SystemRoot& system) const {
  static constexpr std::string_view told[] = {"", "nested-system", "nt-previous-system",
                                              "mac-previous-systems"};
  const Place* known = known_->find(told[static_cast<std::size_t>(system.family)]);
  auto place = known != nullptr ? std::make_unique<Place>(*known) : std::make_unique<Place>();
  place->paths = {system.at};
  place->standing = Standing::ownersCall;
  place->regret = Regret::wayBack;
  place->kind = "leftovers";
  if (place->go == LetGo::never) place->go = LetGo::here;
  place->onlyIf.clear();
  place->ageDays = 0;
  place->whole = true;
  place->impersonal = true;
  return place;
}

std::vector<PathBytes> PlaceMap::entrances() const {
  std::vector<PathBytes> all;
  for (const Layer& layer : layers_) all.push_back(layer.at);
  for (const HomeRoot& home : homes_) all.push_back(home.at);
  for (const auto& place : previous_) all.push_back(place->paths.front());
  return all;
}

void PlaceMap::speak(Way& way, const Place* place, std::uint16_t layer) const {
  way.place = place;
  way.layer = layer;
  way.certain = layers_[layer].certain;
  way.spoke = true;
  way.closed = way.closed || place->closed;
}

/// Puts one layer's start on the way: the top of its catalogue, or as far down as its prefix leads.
void PlaceMap::begin(Way& way, std::uint16_t index) const {
  const Layer& layer = layers_[index];
  Way own;
  own.spots.push_back({index, 0, &layer.catalogue->top()});
  for (const auto part : splitPath(layer.prefix)) own = step(own, part);
  way.spots.insert(way.spots.end(), own.spots.begin(), own.spots.end());
  way.inHome = way.inHome || own.inHome;
  way.closed = way.closed || own.closed;
  way.system = way.system || layer.system;
  if (own.place != nullptr) speak(way, own.place, index);
}

void PlaceMap::enter(Way& way, std::string_view path) const {
  for (std::size_t i = 0; i < layers_.size(); ++i)
    if (layers_[i].at == path) begin(way, static_cast<std::uint16_t>(i));
  for (const HomeRoot& home : homes_) {
    if (home.at != path || way.inHome) continue;
    const auto layer = std::find_if(layers_.begin(), layers_.end(), [&](const Layer& l) {
      return l.system && l.catalogue->family() == home.family;
    });
    if (layer == layers_.end()) continue;
    way.spots.push_back({static_cast<std::uint16_t>(layer - layers_.begin()), 0, &layer->catalogue->home()});
    way.inHome = true;
  }
  for (const auto& place : previous_)
    if (place->paths.front() == path) speak(way, place.get(), 0);
}

PlaceMap::Way PlaceMap::start() const {
  Way way;
  enter(way, {});
  return way;
}

PlaceMap::Way PlaceMap::step(const Way& from, std::string_view name, EntryKind kind) const {
  Way next;
  next.place = from.place;
  next.layer = from.layer;
  next.certain = from.certain;
  next.inHome = from.inHome;
  next.closed = from.closed;
  next.system = from.system;
  next.inWhole = from.inWhole || (from.place != nullptr && from.place->whole);
  if (from.spots.empty()) return next;
  const std::string plain(name);
  std::string folded;
  const Place* here = nullptr;
  std::uint16_t hereLayer = 0;
  for (const At& at : from.spots) {
    const Layer& layer = layers_[at.layer];
    const bool fold = foldsCase(layer.catalogue->family());
    if (fold && folded.empty()) folded = lowered(plain);
    const Place* found = nullptr;
    std::uint64_t rank = 0;
    layer.catalogue->step(
        *at.part, fold ? folded : plain, [&](const Catalogue::Part& to, std::uint8_t score) {
          const std::uint64_t way = at.score << 8 | score;
          next.spots.push_back({at.layer, way, &to});
          if (to.home && kind == EntryKind::folder && !layer.catalogue->isNoHome(fold ? folded : plain)) {
            next.spots.push_back({at.layer, way, &layer.catalogue->home()});
            next.inHome = true;
          }
          const Place* place = to.place;
          if (place == nullptr || !layer.speaks(*place)) return;
          if ((place->filesOnly && kind == EntryKind::folder) ||
              (place->foldersOnly && kind != EntryKind::folder))
            return;
          // However exactly a user's own place fits, bedrock that is spoken of beside it stays.
          const auto loosens = [](const Place& own, const Place& other) {
            return own.own && other.standing == Standing::bedrock && own.standing != Standing::bedrock;
          };
          if (found != nullptr && loosens(*place, *found)) return;
          if (found != nullptr && loosens(*found, *place)) found = nullptr;
          if (found != nullptr && (rank > way || (rank == way && found->standing <= place->standing))) return;
          found = place;
          rank = way;
        });
    // Of several layers that speak at one depth the stricter one is heard.
    if (found != nullptr && (here == nullptr || found->standing < here->standing))
      here = found, hereLayer = at.layer;
  }
  const bool loosens = here != nullptr && here->own && from.place != nullptr &&
                       from.place->standing == Standing::bedrock && here->standing != Standing::bedrock;
  if (here != nullptr && !next.inWhole && !loosens) speak(next, here, hereLayer);
  return next;
}

PlaceMap::Way PlaceMap::walkTo(std::string_view path) const {
  Way way = start();
  PathBytes at;
  for (const auto part : splitPath(path)) {
    way = step(way, part);
    at = joinPath(at, part);
    if (!way.inWhole) enter(way, at);
  }
  return way;
}

const Place* PlaceMap::placeOf(std::string_view path) const {
  return walkTo(path).place;
}

Standing PlaceMap::standing(std::string_view path) const {
  const Way way = walkTo(path);
  if (way.place == nullptr) return Standing::unjudged;
  return way.certain ? way.place->standing : std::min(way.place->standing, Standing::unjudged);
}

Regret PlaceMap::regret(std::string_view path) const {
  const Way way = walkTo(path);
  return way.place == nullptr || !way.certain ? Regret::personalGone : way.place->regret;
}

bool PlaceMap::bedrockBelow(const Way& way) const {
  std::vector<At> waiting(way.spots.begin(), way.spots.end());
  while (!waiting.empty()) {
    const At at = waiting.back();
    waiting.pop_back();
    const auto look = [&](const Catalogue::Part& to) {
      const bool speaks = to.place != nullptr && layers_[at.layer].speaks(*to.place);
      if (speaks && to.place->standing == Standing::bedrock) return true;
      waiting.push_back({at.layer, 0, &to});
      if (to.home) waiting.push_back({at.layer, 0, &layers_[at.layer].catalogue->home()});
      return false;
    };
    if (at.part->deep && look(*at.part->deep)) return true;
    for (const auto& [text, to] : at.part->exact)
      if (look(*to)) return true;
    for (const auto& [pattern, to] : at.part->wild)
      if (look(*to)) return true;
  }
  return false;
}

bool PlaceMap::locked(std::string_view path) const {
  const Way way = walkTo(path);
  if (way.inWhole) return true;
  if (way.place != nullptr && way.place->standing == Standing::bedrock) return true;
  if (way.place != nullptr && way.place->whole) return false;  // all or nothing: its insides do not count
  return holdsRoot(path) || bedrockBelow(way);
}

bool PlaceMap::holdsRoot(std::string_view path) const {
  const bool system = std::any_of(systems_.begin(), systems_.end(),
                                  [&](const SystemRoot& s) { return !s.at.empty() && beneath(s.at, path); });
  return system ||
         std::any_of(homes_.begin(), homes_.end(), [&](const HomeRoot& h) { return beneath(h.at, path); });
}

}  // namespace zt
