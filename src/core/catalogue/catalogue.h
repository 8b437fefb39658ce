// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>

#include <array>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/path_bytes.h"
#include "core/base/result.h"
#include "core/catalogue/name_pattern.h"
#include "core/catalogue/place.h"
#include "core/drive/system_family.h"

namespace zt {

/// A place that is told by its shape, wherever it lies ("**/node_modules"), not by its path.
struct Form {
  std::vector<NamePattern> parts;  ///< from the outermost in; empty: its markers alone tell it
  std::shared_ptr<const Place> place;
};

/// The places of one family: those with a path as a tree of its parts, and the forms. Immutable; any thread.
class Catalogue {
public:
  struct Text {
    std::string name;  ///< for messages: "linux/homes.toml"
    std::string_view toml;
  };
  /// Reads places from TOML (docs/formats/catalogue.md). Fails with badInput, and file and line in `detail`:
  /// unknown keys and words, empty or climbing paths, two of one id or one path.
  static Result<Catalogue> parse(std::span<const Text> texts, SystemFamily family);

  Catalogue();
  Catalogue(Catalogue&&) noexcept;
  Catalogue& operator=(Catalogue&&) noexcept;
  ~Catalogue();

  SystemFamily family() const { return family_; }
  const std::vector<std::shared_ptr<const Place>>& places() const { return places_; }
  const Place* find(std::string_view id) const;

  /// A part of a path on the way down.
  struct Part {
    absl::flat_hash_map<std::string, std::unique_ptr<Part>> exact;
    std::vector<std::pair<NamePattern, std::unique_ptr<Part>>> wild;
    std::unique_ptr<Part> deep;  ///< what may lie here or any number of folders further down ("a/**/b")
    bool anyDepth = false;       ///< it is such a `deep` itself
    const Place* place = nullptr;
    bool home = false;  ///< the folders here are homes
  };
  const Part& top() const { return *top_; }
  /// The parts of paths that begin with "{user}".
  const Part& home() const { return *home_; }
  const std::vector<Form>& forms() const { return forms_; }
  /// Whether a folder that a home's place fits is none: an account's pattern, what all users share.
  bool isNoHome(std::string_view foldedName) const;

  /// Calls `each(part, score)` for every way on from a part by a name. The score says how exactly it fits:
  /// more letters without wildcards count more, and a whole name counts most. `name` is in lower case where
  /// the family folds case.
  static constexpr std::uint8_t wholeName = 255;
  template <class Each>
  void step(const Part& from, const std::string& name, Each each) const {
    if (from.anyDepth) each(from, std::uint8_t{0});
    if (from.deep) step(*from.deep, name, each);
    for (const auto& [pattern, to] : from.wild)
      if (pattern.fits(name)) each(*to, pattern.letters());
    if (const auto to = from.exact.find(name); to != from.exact.end()) each(*to->second, wholeName);
  }
  /// Adds a user's own place, or lets it speak instead of one of the same id. Fails with badInput if it would
  /// loosen bedrock.
  Result<void> addOwn(Place place);

private:
  friend class KnownPlaces;
  void put(const std::shared_ptr<const Place>& place);
  Result<void> checkFree(const Place& place) const;
  Part* partFor(std::string_view path);
  const Place* speaksAt(std::string_view path) const;
  const Place* placeWrittenAt(std::string_view path) const;
  void putHomes();

  SystemFamily family_ = SystemFamily::none;
  std::unique_ptr<Part> top_;
  std::unique_ptr<Part> home_;
  std::vector<Form> forms_;
  std::vector<std::shared_ptr<const Place>> places_;
};

/// All that is known of places, by family.
class KnownPlaces {
public:
  /// What comes with the program. It is compiled in, so that bedrock is never missing.
  static std::shared_ptr<const KnownPlaces> builtIn();
  /// The same, with a user's own file over it. Fails with badInput, and the line.
  static Result<std::shared_ptr<const KnownPlaces>> withOwn(std::string_view toml, std::string_view fileName);

  const Catalogue& of(SystemFamily family) const { return all_[static_cast<std::size_t>(family)]; }
  const Place* find(std::string_view id) const;

private:
  std::array<Catalogue, systemFamilies> all_;
};

/// Reads `[[place]]` tables. Fails like Catalogue::parse. `families`, where it is given, takes each place's
/// own "family" key: "linux", "nt", "mac", "any".
Result<std::vector<Place>> readPlaces(const Catalogue::Text& text,
                                      std::vector<std::string>* families = nullptr);

}  // namespace zt
