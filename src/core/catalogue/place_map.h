// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/inlined_vector.h>

#include <memory>

#include "core/catalogue/catalogue.h"

namespace zt {

/// A home that lies where homes usually do not, as the drive's own user list says.
struct HomeRoot {
  PathBytes at;  ///< relative to the survey's root
  SystemFamily family = SystemFamily::none;
};

/// Which place speaks for which path of one survey: the places of every family, put to where its systems lie.
/// The deepest place on the way to a path wins; at one depth an exact name beats a wildcard, part by part
/// from the top, then the stricter standing. Of a system that is not certain only what is as strict as
/// "unjudged" or stricter holds. Paths alone do not tell conditions (ages, markers) and forms: `judge` does.
/// Immutable; any thread.
class PlaceMap {
public:
  /// `systems` and `homes` by the survey's paths; `inDrive` is where its root lies below the drive's top.
  PlaceMap(std::vector<SystemRoot> systems, PathBytes inDrive, std::vector<HomeRoot> homes = {},
           std::shared_ptr<const KnownPlaces> known = KnownPlaces::builtIn());

  /// The place that speaks for a path relative to the survey's root, conditions aside; nullptr where none
  /// does.
  const Place* placeOf(std::string_view path) const;
  /// Unjudged where no place speaks.
  Standing standing(std::string_view path) const;
  Regret regret(std::string_view path) const;
  /// Whether a path must not go as a whole: bedrock lies at it, above it or beneath it, or it is a part of
  /// something that goes as a whole or not at all.
  bool locked(std::string_view path) const;
  /// Whether a system or a home lies somewhere in it.
  bool holdsRoot(std::string_view path) const;
  const std::vector<SystemRoot>& systems() const { return systems_; }
  const KnownPlaces& known() const { return *known_; }
  const std::shared_ptr<const KnownPlaces>& shared() const { return known_; }

  /// A catalogue put to a place.
  struct Layer {
    const Catalogue* catalogue = nullptr;
    bool system = false;  ///< all its places speak; else only those for any drive
    bool certain = true;
    PathBytes at;
    PathBytes prefix;
    bool speaks(const Place& place) const { return system || place.anyDrive; }
  };
  const std::vector<Layer>& layers() const { return layers_; }

  struct At {
    std::uint16_t layer = 0;
    std::uint64_t score = 0;  ///< how exactly the last eight parts fit, a byte each, the last one lowest
    const Catalogue::Part* part = nullptr;
  };
  /// Where one is on the way down.
  struct Way {
    absl::InlinedVector<At, 6> spots;
    const Place* place = nullptr;  ///< what has spoken last
    std::uint16_t layer = 0;       ///< in which layer
    bool spoke = false;            ///< it spoke at the last step
    bool certain = true;
    bool inWhole = false;  ///< strictly inside something indivisible
    bool inHome = false;
    bool closed = false;
    bool system = false;  ///< a system lies at or above
  };
  Way start() const;
  /// One part further down. `kind` is the entry's, where it is known.
  Way step(const Way& from, std::string_view name, EntryKind kind = EntryKind::folder) const;
  /// Adds what begins at a path: systems and homes whose root this is, and those that an upgrade left.
  void enter(Way& way, std::string_view path) const;
  /// The paths at which something begins.
  std::vector<PathBytes> entrances() const;

private:
  std::unique_ptr<Place> previousSystem(const SystemRoot& system) const;
  void begin(Way& way, std::uint16_t layer) const;
  Way walkTo(std::string_view path) const;
  bool bedrockBelow(const Way& way) const;
  void speak(Way& way, const Place* place, std::uint16_t layer) const;

  std::shared_ptr<const KnownPlaces> known_;
  std::vector<SystemRoot> systems_;
  std::vector<HomeRoot> homes_;
  std::vector<Layer> layers_;
  std::vector<std::unique_ptr<Place>> previous_;  ///< a place for each system that was kept by an upgrade
};

}  // namespace zt
