// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/catalogue.h"

#include <fnmatch.h>

#include <toml++/toml.h>
#include <cstdlib>

namespace zt {

namespace embedded {
extern const char* const catalogueLinux;
}

struct Catalogue::Part {
  std::map<std::string, std::unique_ptr<Part>, std::less<>> exact;
  std::map<std::string, std::unique_ptr<Part>, std::less<>> wild;
  const Place* place = nullptr;
};

Catalogue::Catalogue() : top_(std::make_unique<Part>()) {}
Catalogue::Catalogue(Catalogue&&) noexcept = default;
Catalogue& Catalogue::operator=(Catalogue&&) noexcept = default;
Catalogue::~Catalogue() = default;

Anchor anchorOf(const Drive& drive, const PathBytes& root) {
  if (drive.liveSystem) return {PathBytes(root.substr(std::min<std::size_t>(1, root.size()))), true};
  PathBytes inside =
      root == drive.target ? PathBytes{} : root.substr(std::min(root.size(), drive.target.size() + 1));
  return {std::move(inside), drive.family != SystemFamily::none};
}

Result<Catalogue> Catalogue::parse(std::string_view text) {
  toml::table table;
  try {
    table = toml::parse(text);
  } catch (const toml::parse_error& e) {
    return fail(Errc::badInput, "catalogue", {}, std::string(e.description()));
  }
  Catalogue catalogue;
  const toml::array* list = table["place"].as_array();
  if (list == nullptr) return fail(Errc::badInput, "catalogue", {}, "place");
  for (const auto& item : *list) {
    const toml::table* t = item.as_table();
    if (t == nullptr) return fail(Errc::badInput, "catalogue", {}, "place");
    auto place = std::make_unique<Place>();
    place->id = (*t)["id"].value_or(std::string{});
    place->path = (*t)["path"].value_or(std::string{});
    place->anyDrive = (*t)["any_drive"].value_or(false);
    const auto standing = standingNamed((*t)["standing"].value_or(std::string{}));
    const auto regret = regretNamed((*t)["regret"].value_or(std::string("personal-gone")));
    const auto parts = splitPath(place->path);
    const bool climbs = std::find(parts.begin(), parts.end(), "..") != parts.end();
    if (place->id.empty() || parts.empty() || climbs || !standing || !regret)
      return fail(Errc::badInput, "catalogue", {}, place->id.empty() ? place->path : place->id);
    place->standing = *standing;
    place->regret = *regret;
    Part* at = catalogue.top_.get();
    for (const auto part : parts) {
      auto& children = part.find_first_of("*?[") == std::string_view::npos ? at->exact : at->wild;
      auto& child = children[std::string(part)];
      if (!child) child = std::make_unique<Part>();
      at = child.get();
    }
    at->place = place.get();
    catalogue.places_.push_back(std::move(place));
  }
  return catalogue;
}

const Catalogue& Catalogue::builtIn() {
  static const Catalogue catalogue = [] {
    auto parsed = parse(embedded::catalogueLinux);
    if (!parsed) std::abort();  // a bug in our own data; without bedrock nothing may run
    return std::move(*parsed);
  }();
  return catalogue;
}

Catalogue::State Catalogue::step(const State& state, std::string_view part, bool system,
                                 const Place*& place) const {
  State next;
  std::string zeroEnded;
  const auto enter = [&](const Part* to) {
    next.push_back(to);
    if (to->place != nullptr && (system || to->place->anyDrive)) place = to->place;
  };
  // Wildcards first, so that an exact name has the last word.
  for (const Part* at : state)
    for (const auto& [pattern, to] : at->wild) {
      if (zeroEnded.empty()) zeroEnded = part;
      if (::fnmatch(pattern.c_str(), zeroEnded.c_str(), 0) == 0) enter(to.get());
    }
  for (const Part* at : state)
    if (const auto to = at->exact.find(part); to != at->exact.end()) enter(to->second.get());
  return next;
}

Catalogue::State Catalogue::start(const Anchor& anchor, const Place*& place) const {
  State state{top_.get()};
  for (const auto part : splitPath(anchor.prefix)) state = step(state, part, anchor.system, place);
  return state;
}

const Place* Catalogue::placeOf(const Anchor& anchor, std::string_view relative) const {
  const Place* place = nullptr;
  State state = start(anchor, place);
  for (const auto part : splitPath(relative)) state = step(state, part, anchor.system, place);
  return place;
}

Standing Catalogue::standing(const Anchor& anchor, std::string_view relative) const {
  const Place* place = placeOf(anchor, relative);
  return place == nullptr ? Standing::unjudged : place->standing;
}

bool Catalogue::touchesBedrock(const Anchor& anchor, std::string_view relative) const {
  const Place* place = nullptr;
  State state = start(anchor, place);
  for (const auto part : splitPath(relative)) state = step(state, part, anchor.system, place);
  if (place != nullptr && place->standing == Standing::bedrock) return true;
  // Anything that the catalogue could match further down, if it is bedrock, holds its parents.
  std::vector<const Part*> waiting(state.begin(), state.end());
  while (!waiting.empty()) {
    const Part* at = waiting.back();
    waiting.pop_back();
    for (const auto* children : {&at->exact, &at->wild})
      for (const auto& [pattern, to] : *children) {
        const bool speaks = to->place != nullptr && (anchor.system || to->place->anyDrive);
        if (speaks && to->place->standing == Standing::bedrock) return true;
        waiting.push_back(to.get());
      }
  }
  return false;
}

std::vector<Standing> Catalogue::standings(const SurveyTree& tree, const Anchor& anchor) const {
  std::vector<Standing> all(tree.size(), Standing::unjudged);
  struct Visit {
    NodeId folder;
    State state;
    const Place* place;
  };
  const Place* rootPlace = nullptr;
  State rootState = start(anchor, rootPlace);
  if (rootPlace != nullptr) all[0] = rootPlace->standing;
  std::vector<Visit> waiting;
  waiting.push_back({0, std::move(rootState), rootPlace});
  while (!waiting.empty()) {
    const Visit at = std::move(waiting.back());
    waiting.pop_back();
    const FolderTotals& t = tree.totals(at.folder);
    for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id) {
      const Place* place = at.place;
      State state = at.state.empty() ? State{} : step(at.state, tree.name(id), anchor.system, place);
      all[id] = place == nullptr ? Standing::unjudged : place->standing;
      if (tree.isFolder(id) && tree.totals(id).children > 0) waiting.push_back({id, std::move(state), place});
    }
  }
  return all;
}

}  // namespace zt
