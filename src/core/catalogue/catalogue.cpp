// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/catalogue.h"

#include <fnmatch.h>

#include <toml++/toml.h>
#include <algorithm>
#include <cstdlib>

namespace zt {

namespace embedded {
extern const char* const catalogueLinux;
extern const char* const catalogueNt;
extern const char* const catalogueMac;
}  // namespace embedded

Catalogue::Catalogue() : top_(std::make_unique<Part>()) {}
Catalogue::Catalogue(Catalogue&&) noexcept = default;
Catalogue& Catalogue::operator=(Catalogue&&) noexcept = default;
Catalogue::~Catalogue() = default;

bool Catalogue::fits(const std::string& pattern, const std::string& name) {
  return ::fnmatch(pattern.c_str(), name.c_str(), 0) == 0;
}

namespace {

tl::unexpected<Error> wrong(const toml::node* at, std::string what) {
  if (at != nullptr) what += ", line " + std::to_string(at->source().begin.line);
  return fail(Errc::badInput, "catalogue", {}, std::move(what));
}

Result<Place> readPlace(const toml::table& t) {
  Place place;
  place.id = t["id"].value_or(std::string{});
  place.path = t["path"].value_or(std::string{});
  place.anyDrive = t["any_drive"].value_or(false);
  place.whole = t["whole"].value_or(false);
  const auto standing = standingNamed(t["standing"].value_or(std::string{}));
  const auto regret = regretNamed(t["regret"].value_or(std::string("personal-gone")));
  const auto parts = splitPath(place.path);
  const bool climbs = std::find(parts.begin(), parts.end(), "..") != parts.end();
  if (place.id.empty() || parts.empty() || climbs) return wrong(&t, place.id.empty() ? place.path : place.id);
  if (!standing || !regret) return wrong(&t, place.id);
  place.standing = *standing;
  place.regret = *regret;
  return place;
}

std::string lowered(std::string_view text) {
  std::string out(text);
  std::transform(out.begin(), out.end(), out.begin(), [](unsigned char c) { return std::tolower(c); });
  return out;
}

}  // namespace

Result<Catalogue> Catalogue::parse(std::string_view text, SystemFamily family) {
  toml::table table;
  try {
    table = toml::parse(text);
  } catch (const toml::parse_error& e) {
    return fail(Errc::badInput, "catalogue", {},
                std::string(e.description()) + ", line " + std::to_string(e.source().begin.line));
  }
  Catalogue catalogue;
  catalogue.family_ = family;
  const toml::array* list = table["place"].as_array();
  if (list == nullptr) return wrong(nullptr, "place");
  for (const auto& item : *list) {
    const toml::table* t = item.as_table();
    if (t == nullptr) return wrong(&item, "place");
    auto place = readPlace(*t);
    if (!place) return tl::unexpected(place.error());
    Part* at = catalogue.top_.get();
    for (const auto part : splitPath(place->path)) {
      const std::string key = foldsCase(family) ? lowered(part) : std::string(part);
      auto& children = key.find_first_of("*?[") == std::string::npos ? at->exact : at->wild;
      auto& child = children[key];
      if (!child) child = std::make_unique<Part>();
      at = child.get();
    }
    catalogue.places_.push_back(std::make_unique<Place>(std::move(*place)));
    at->place = catalogue.places_.back().get();
  }
  return catalogue;
}

const Catalogue& Catalogue::builtIn(SystemFamily family) {
  static const std::array<Catalogue, systemFamilies> all = [] {
    std::array<Catalogue, systemFamilies> read;
    const auto load = [&](SystemFamily which, const char* text) {
      auto parsed = parse(text, which);
      if (!parsed) std::abort();  // a bug in our own data; without bedrock nothing may run
      read[static_cast<std::size_t>(which)] = std::move(*parsed);
    };
    load(SystemFamily::linuxFamily, embedded::catalogueLinux);
    load(SystemFamily::nt, embedded::catalogueNt);
    load(SystemFamily::mac, embedded::catalogueMac);
    return read;
  }();
  return all[static_cast<std::size_t>(family)];
}

}  // namespace zt
