// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/catalogue.h"

#include <algorithm>
#include <cstdlib>

namespace zt {

namespace embedded {
/// Name and text of every file of data/catalogue, "any/…" among them.
extern const std::pair<const char*, const char*> catalogueFiles[];
extern const std::size_t catalogueFileCount;
}  // namespace embedded

Catalogue::Catalogue() : top_(std::make_unique<Part>()), home_(std::make_unique<Part>()) {}
Catalogue::Catalogue(Catalogue&&) noexcept = default;
Catalogue& Catalogue::operator=(Catalogue&&) noexcept = default;
Catalogue::~Catalogue() = default;

namespace {
constexpr std::string_view userMark = "{user}";

/// Where homes lie, by family. What `isNoHome` says is none of them.
std::vector<std::string_view> homesOf(SystemFamily family) {
  if (family == SystemFamily::linuxFamily) return {"home/*", "root"};
  if (family == SystemFamily::nt || family == SystemFamily::mac) return {"Users/*"};
  return {};
}

tl::unexpected<Error> wrong(std::string what) {
  return fail(Errc::badInput, "catalogue", {}, std::move(what));
}
}  // namespace

bool Catalogue::isNoHome(std::string_view folded) const {
  if (family_ == SystemFamily::nt)
    return folded == "public" || folded == "default" || folded == "all users" || folded == "default user" ||
           folded == "defaultapppool";
  if (family_ == SystemFamily::mac)
    return folded == "shared" || folded == "guest" || folded == "deleted users";
  return false;
}

const Place* Catalogue::find(std::string_view id) const {
  const auto at = std::find_if(places_.begin(), places_.end(), [&](const auto& p) { return p->id == id; });
  return at == places_.end() ? nullptr : at->get();
}

Catalogue::Part* Catalogue::partFor(std::string_view path) {
  Part* at = top_.get();
  for (const auto part : splitPath(path)) {
    if (part == userMark) {
      at = home_.get();
      continue;
    }
    std::string key = foldsCase(family_) ? lowered(part) : std::string(part);
    if (key == "**") {
      if (!at->deep) at->deep = std::make_unique<Part>();
      at = at->deep.get();
      at->anyDepth = true;
      continue;
    }
    if (!NamePattern::isWild(key)) {
      auto& child = at->exact[key];
      if (!child) child = std::make_unique<Part>();
      at = child.get();
      continue;
    }
    const auto same =
        std::find_if(at->wild.begin(), at->wild.end(), [&](const auto& w) { return w.first.text() == key; });
    if (same != at->wild.end()) {
      at = same->second.get();
    } else {
      at->wild.emplace_back(NamePattern(key), std::make_unique<Part>());
      at = at->wild.back().second.get();
    }
  }
  return at;
}

/// The deepest place that speaks on the way to a path, wildcards in it taken as letters of a name.
const Place* Catalogue::speaksAt(std::string_view path) const {
  const Place* speaking = nullptr;
  const Part* at = top_.get();
  for (const auto part : splitPath(path)) {
    const Part* next = part == userMark ? home_.get() : nullptr;
    if (next == nullptr)
      step(*at, foldsCase(family_) ? lowered(part) : std::string(part),
           [&](const Part& to, std::uint8_t) { next = &to; });  // the most exact way comes last
    if (next == nullptr) break;
    at = next;
    if (at->place != nullptr) speaking = at->place;
  }
  return speaking;
}

void Catalogue::put(const std::shared_ptr<const Place>& place) {
  places_.push_back(place);
  for (const std::string& path : place->paths) {
    if (!path.starts_with("**")) {
      partFor(path)->place = place.get();
      continue;
    }
    Form form{{}, place};
    for (const auto part : splitPath(std::string_view(path).substr(2)))
      form.parts.emplace_back(foldsCase(family_) ? lowered(part) : std::string(part));
    forms_.push_back(std::move(form));
  }
}

/// The place of a path as it is written, wildcards taken as letters.
const Place* Catalogue::placeWrittenAt(std::string_view path) const {
  const Part* at = top_.get();
  for (const auto part : splitPath(path)) {
    if (part == userMark) {
      at = home_.get();
      continue;
    }
    const std::string key = foldsCase(family_) ? lowered(part) : std::string(part);
    if (key == "**") {
      at = at->deep.get();
      if (at == nullptr) return nullptr;
      continue;
    }
    const auto exact = at->exact.find(key);
    const auto wild =
        std::find_if(at->wild.begin(), at->wild.end(), [&](const auto& w) { return w.first.text() == key; });
    at = exact != at->exact.end() ? exact->second.get()
         : wild != at->wild.end() ? wild->second.get()
                                  : nullptr;
    if (at == nullptr) return nullptr;
  }
  return at->place;
}

Result<void> Catalogue::checkFree(const Place& place) const {
  if (find(place.id) != nullptr) return wrong("two places are called " + place.id);
  for (const std::string& path : place.paths)
    if (const Place* other = path.starts_with("**") ? nullptr : placeWrittenAt(path))
      return wrong(place.id + " and " + other->id + " speak for one path: " + path);
  return {};
}

void Catalogue::putHomes() {
  for (const auto path : homesOf(family_)) partFor(path)->home = true;
}

Result<Catalogue> Catalogue::parse(std::span<const Text> texts, SystemFamily family) {
  Catalogue catalogue;
  catalogue.family_ = family;
  for (const Text& text : texts) {
    auto places = readPlaces(text);
    if (!places) return tl::unexpected(places.error());
    for (Place& place : *places) {
      if (auto free = catalogue.checkFree(place); !free) {
        free.error().detail = text.name + ": " + free.error().detail;
        return tl::unexpected(free.error());
      }
      catalogue.put(std::make_shared<const Place>(std::move(place)));
    }
  }
  catalogue.putHomes();
  return catalogue;
}

/// A form is silent where bedrock lies, and what hides behind wildcards is stopped where a path is walked;
/// what can be told from the text is an error.
Result<void> Catalogue::addOwn(Place place) {
  const bool milder = place.standing != Standing::bedrock;
  for (const std::string& path : place.paths) {
    if (path.starts_with("**")) continue;
    for (const Place* known : {speaksAt(path), placeWrittenAt(path)})
      if (milder && known != nullptr && known->standing == Standing::bedrock)
        return wrong(place.id + " would loosen " + known->id + " (" + path + ")");
  }
  if (const Place* same = find(place.id); milder && same != nullptr && same->standing == Standing::bedrock)
    return wrong(place.id + " would loosen bedrock");
  put(std::make_shared<const Place>(std::move(place)));
  return {};
}

std::shared_ptr<const KnownPlaces> KnownPlaces::builtIn() {
  static const std::shared_ptr<const KnownPlaces> known = [] {
    auto all = std::make_shared<KnownPlaces>();
    for (const auto family : {SystemFamily::linuxFamily, SystemFamily::nt, SystemFamily::mac}) {
      std::vector<Catalogue::Text> texts;
      for (std::size_t i = 0; i < embedded::catalogueFileCount; ++i) {
        const auto& [file, text] = embedded::catalogueFiles[i];
        const std::string_view named = file;
        if (named.starts_with(name(family)) || named.starts_with("any/"))
          texts.push_back({std::string(named), text});
      }
      auto parsed = Catalogue::parse(texts, family);
      if (!parsed) {  // a bug in our own data; without bedrock nothing may run
        std::fprintf(stderr, "%s\n", parsed.error().detail.c_str());
        std::abort();
      }
      all->all_[static_cast<std::size_t>(family)] = std::move(*parsed);
    }
    return all;
  }();
  return known;
}

Result<std::shared_ptr<const KnownPlaces>> KnownPlaces::withOwn(std::string_view toml,
                                                                std::string_view fileName) {
  std::vector<std::string> families;
  const Catalogue::Text text{std::string(fileName), toml};
  auto places = readPlaces(text, &families);
  if (!places) return tl::unexpected(places.error());
  auto all = std::make_shared<KnownPlaces>();
  const auto shipped = builtIn();
  for (const auto family : {SystemFamily::linuxFamily, SystemFamily::nt, SystemFamily::mac}) {
    Catalogue& catalogue = all->all_[static_cast<std::size_t>(family)];
    catalogue.family_ = family;
    for (const auto& place : shipped->of(family).places_) catalogue.put(place);
    catalogue.putHomes();
    for (std::size_t i = 0; i < places->size(); ++i) {
      if (families[i] != "any" && families[i] != name(family)) continue;
      if (auto added = catalogue.addOwn((*places)[i]); !added) {
        added.error().detail =
            text.name + ", line " + std::to_string((*places)[i].line) + ": " + added.error().detail;
        return tl::unexpected(added.error());
      }
    }
  }
  return all;
}

const Place* KnownPlaces::find(std::string_view id) const {
  for (const Catalogue& catalogue : all_)
    if (const Place* place = catalogue.find(id)) return place;
  return nullptr;
}

}  // namespace zt
