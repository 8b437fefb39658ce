// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/inlined_vector.h>

#include <memory>

#include "core/catalogue/catalogue.h"
#include "core/drive/drive.h"
#include "core/survey/survey.h"

namespace zt {

/// The systems of a drive as a survey of it sees them: roots and prefixes are turned from the drive's top to
/// the survey's root, and what the survey's own names tell is added.
std::vector<SystemRoot> systemsSeen(const Drive& drive, const Survey& survey);

/// What the places say of one entry.
struct Judgement {
  Standing standing = Standing::unjudged;
  Regret regret = Regret::personalGone;  ///< of letting it go
  bool part =
      false;  ///< lies in something that goes as a whole or not at all: nothing may be done with it alone
};

/// Which place speaks for which path of one survey: the places of every family, put to where its systems lie.
/// The deepest place on the way to a path wins; at one depth an exact name beats a wildcard, then the
/// stricter standing. Of a system that is not certain only what is as strict as "unjudged" or stricter holds.
/// Immutable; any thread.
class PlaceMap {
public:
  /// `systems` by the survey's paths; `inDrive` is where its root lies below the drive's top.
  PlaceMap(std::vector<SystemRoot> systems, PathBytes inDrive);

  /// The place that speaks for a path relative to the survey's root; nullptr where none does.
  const Place* placeOf(std::string_view path) const;
  /// Unjudged where no place speaks.
  Standing standing(std::string_view path) const;
  Regret regret(std::string_view path) const;
  /// Whether a path must not go as a whole: bedrock lies at it, above it or beneath it, or it is a part of
  /// something that goes as a whole or not at all.
  bool locked(std::string_view path) const;
  /// What is said of every entry of a survey, by node number; one pass.
  std::vector<Judgement> judge(const SurveyTree& tree) const;
  const std::vector<SystemRoot>& systems() const { return systems_; }

private:
  /// A catalogue put to a place.
  struct Layer {
    const Catalogue* catalogue = nullptr;
    bool system = false;  ///< all its places speak; else only those for any drive
    bool certain = true;
    PathBytes at;
    PathBytes prefix;
  };
  struct At {
    std::uint16_t layer = 0;
    const Catalogue::Part* part = nullptr;
  };
  using Spots = absl::InlinedVector<At, 6>;
  /// Where one is on the way down, and what has spoken so far.
  struct Way {
    Spots spots;
    const Place* place = nullptr;
    bool certain = true;
    bool inWhole = false;  ///< strictly inside something indivisible
  };
  Way start() const;
  void enterLayers(Way& way, std::string_view path) const;
  void begin(Way& way, std::uint16_t layer) const;
  Way step(const Way& from, std::string_view name) const;
  Way walkTo(std::string_view path) const;
  static Judgement judgementOf(const Way& way);
  bool bedrockBelow(const Way& way) const;

  std::vector<SystemRoot> systems_;
  std::vector<Layer> layers_;
  std::vector<std::unique_ptr<Place>> previous_;  ///< a place for each system that was kept by an upgrade
};

}  // namespace zt
