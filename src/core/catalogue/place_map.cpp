// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/place_map.h"

#include <algorithm>

namespace zt {

namespace {

/// Names of a survey. Case is folded by going through the children of a folder.
class TreeNames final : public NameView {
public:
  explicit TreeNames(const SurveyTree& tree) : tree_(tree) {}

  bool has(std::string_view path, bool fold) const override {
    NodeId at = 0;
    for (const auto part : splitPath(path)) {
      const NodeId next = fold ? folded(at, part) : tree_.child(at, part).value_or(noNode);
      if (next == noNode) return false;
      at = next;
    }
    return true;
  }
  std::vector<PathBytes> foldersIn(std::string_view path) const override {
    std::vector<PathBytes> folders;
    const auto node = tree_.find(path);
    if (!node || !tree_.isFolder(*node)) return folders;
    const FolderTotals& t = tree_.totals(*node);
    for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id)
      if (tree_.isFolder(id)) folders.emplace_back(tree_.name(id));
    return folders;
  }

private:
  NodeId folded(NodeId folder, std::string_view wanted) const {
    if (!tree_.isFolder(folder)) return noNode;
    const FolderTotals& t = tree_.totals(folder);
    const auto same = [](char a, char b) {
      return std::tolower(static_cast<unsigned char>(a)) == std::tolower(static_cast<unsigned char>(b));
    };
    for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id) {
      const auto name = tree_.name(id);
      if (std::equal(name.begin(), name.end(), wanted.begin(), wanted.end(), same)) return id;
    }
    return noNode;
  }
  const SurveyTree& tree_;
};

/// `path` as seen from `base`, if it lies at or in it.
std::optional<PathBytes> within(std::string_view path, std::string_view base) {
  if (path == base) return PathBytes{};
  if (!beneath(path, base)) return std::nullopt;
  return PathBytes(path.substr(base.empty() ? 0 : base.size() + 1));
}

PathBytes inDriveOf(const Drive& drive, const PathBytes& root) {
  return within(root, drive.target == "/" ? PathBytes{} : drive.target).value_or(PathBytes{});
}

}  // namespace

std::vector<SystemRoot> systemsSeen(const Drive& drive, const Survey& survey) {
  std::vector<SystemRoot> seen;
  // Of the running machine every drive is a part of the one system, seen from "/".
  if (drive.liveSystem)
    seen.push_back({{},
                    survey.root.substr(std::min<std::size_t>(1, survey.root.size())),
                    SystemFamily::linuxFamily,
                    true,
                    false});
  const PathBytes inDrive = inDriveOf(drive, survey.root);
  for (const SystemRoot& system : drive.systems) {
    SystemRoot turned = system;
    if (const auto deeper = within(system.at, inDrive)) {
      turned.at = *deeper;
    } else if (const auto inside = within(inDrive, system.at)) {
      turned.at.clear();
      turned.prefix = joinPath(system.prefix, *inside);
      turned.previous = false;  // only a part of it is looked at; bedrock holds there
    } else {
      continue;
    }
    seen.push_back(std::move(turned));
  }
  for (SystemRoot& found : systemsIn(TreeNames(survey.tree))) {
    const auto known = std::find_if(seen.begin(), seen.end(), [&](const SystemRoot& s) {
      return s.at == found.at && s.family == found.family && s.prefix == found.prefix;
    });
    if (known == seen.end()) seen.push_back(std::move(found));
  }
  return seen;
}

PlaceMap::PlaceMap(std::vector<SystemRoot> systems, PathBytes inDrive) : systems_(std::move(systems)) {
  for (const auto family : {SystemFamily::linuxFamily, SystemFamily::nt, SystemFamily::mac})
    layers_.push_back({&Catalogue::builtIn(family), false, true, {}, inDrive});
  for (const SystemRoot& s : systems_) {
    if (s.previous) {
      auto place = std::make_unique<Place>();
      *place = {"previous-system", s.at, Standing::kept, Regret::wayBack, false, true};
      previous_.push_back(std::move(place));
    }
    layers_.push_back({&Catalogue::builtIn(s.family), true, s.certain, s.at, s.prefix});
  }
}

/// Puts one layer's start on the way: the top of its catalogue, or as far down as its prefix leads.
void PlaceMap::begin(Way& way, std::uint16_t index) const {
  const Layer& layer = layers_[index];
  Way own;
  own.spots.push_back({index, &layer.catalogue->top()});
  for (const auto part : splitPath(layer.prefix)) own = step(own, part);
  way.spots.insert(way.spots.end(), own.spots.begin(), own.spots.end());
  if (own.place != nullptr) way.place = own.place, way.certain = own.certain;
}

/// What begins just here: systems whose root this is, and those that an upgrade left.
void PlaceMap::enterLayers(Way& way, std::string_view path) const {
  for (std::size_t i = 0; i < layers_.size(); ++i)
    if (layers_[i].at == path) begin(way, static_cast<std::uint16_t>(i));
  for (const auto& place : previous_)
    if (place->path == path) way.place = place.get(), way.certain = true;
}

PlaceMap::Way PlaceMap::start() const {
  Way way;
  enterLayers(way, {});
  return way;
}

PlaceMap::Way PlaceMap::step(const Way& from, std::string_view name) const {
  Way next;
  next.place = from.place;
  next.certain = from.certain;
  next.inWhole = from.inWhole || (from.place != nullptr && from.place->whole);
  const std::string plain(name);
  std::string folded;
  const Place* here = nullptr;
  bool certain = true;
  for (const At& at : from.spots) {
    const Layer& layer = layers_[at.layer];
    const bool fold = foldsCase(layer.catalogue->family());
    if (fold && folded.empty()) {
      folded = plain;
      std::transform(folded.begin(), folded.end(), folded.begin(),
                     [](unsigned char c) { return std::tolower(c); });
    }
    const Place* found = nullptr;
    layer.catalogue->step(*at.part, fold ? folded : plain, [&](const Catalogue::Part& to) {
      next.spots.push_back({at.layer, &to});
      if (to.place != nullptr && (layer.system || to.place->anyDrive)) found = to.place;
    });
    // Of several layers that speak at one depth the stricter one is heard.
    if (found != nullptr && (here == nullptr || found->standing < here->standing))
      here = found, certain = layer.certain;
  }
  if (here != nullptr && !next.inWhole) next.place = here, next.certain = certain;
  return next;
}

PlaceMap::Way PlaceMap::walkTo(std::string_view path) const {
  Way way = start();
  PathBytes at;
  for (const auto part : splitPath(path)) {
    way = step(way, part);
    at = joinPath(at, part);
    if (!way.inWhole) enterLayers(way, at);
  }
  return way;
}

Judgement PlaceMap::judgementOf(const Way& way) {
  if (way.place == nullptr) return {};
  if (way.certain) return {way.place->standing, way.place->regret, way.inWhole};
  return {std::min(way.place->standing, Standing::unjudged), Regret::personalGone, way.inWhole};
}

const Place* PlaceMap::placeOf(std::string_view path) const {
  return walkTo(path).place;
}

Standing PlaceMap::standing(std::string_view path) const {
  return judgementOf(walkTo(path)).standing;
}

Regret PlaceMap::regret(std::string_view path) const {
  return judgementOf(walkTo(path)).regret;
}

bool PlaceMap::bedrockBelow(const Way& way) const {
  std::vector<At> waiting(way.spots.begin(), way.spots.end());
  while (!waiting.empty()) {
    const At at = waiting.back();
    waiting.pop_back();
    for (const auto* children : {&at.part->exact, &at.part->wild})
      for (const auto& [pattern, to] : *children) {
        const bool speaks = to->place != nullptr && (layers_[at.layer].system || to->place->anyDrive);
        if (speaks && to->place->standing == Standing::bedrock) return true;
        waiting.push_back({at.layer, to.get()});
      }
  }
  return false;
}

bool PlaceMap::locked(std::string_view path) const {
  const Way way = walkTo(path);
  if (way.inWhole) return true;
  if (way.place != nullptr && way.place->standing == Standing::bedrock) return true;
  if (way.place != nullptr && way.place->whole) return false;  // all or nothing: its insides do not count
  const bool systemBelow = std::any_of(systems_.begin(), systems_.end(), [&](const SystemRoot& s) {
    return !s.at.empty() && beneath(s.at, path);
  });
  return systemBelow || bedrockBelow(way);
}

std::vector<Judgement> PlaceMap::judge(const SurveyTree& tree) const {
  std::vector<Judgement> all(tree.size());
  absl::flat_hash_map<NodeId, PathBytes> tops;
  for (const Layer& layer : layers_)
    if (const auto node = layer.at.empty() ? std::nullopt : tree.find(layer.at)) tops[*node] = layer.at;
  struct Visit {
    NodeId folder;
    Way way;
  };
  std::vector<Visit> waiting;
  waiting.push_back({0, start()});
  all[0] = judgementOf(waiting.back().way);
  while (!waiting.empty()) {
    const Visit at = std::move(waiting.back());
    waiting.pop_back();
    const FolderTotals& t = tree.totals(at.folder);
    const bool open = !at.way.spots.empty() || !tops.empty();
    for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id) {
      const bool folder = tree.isFolder(id) && tree.totals(id).children > 0;
      if (!open && !folder) {
        all[id] = all[at.folder];
        continue;
      }
      Way way = at.way.spots.empty() ? at.way : step(at.way, tree.name(id));
      if (at.way.spots.empty() && at.way.place != nullptr) way.inWhole = way.inWhole || way.place->whole;
      if (const auto top = tops.find(id); top != tops.end() && !way.inWhole) enterLayers(way, top->second);
      all[id] = judgementOf(way);
      if (folder) waiting.push_back({id, std::move(way)});
    }
  }
  return all;
}

}  // namespace zt
