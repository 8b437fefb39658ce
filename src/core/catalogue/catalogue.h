// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/path_bytes.h"
#include "core/base/result.h"
#include "core/catalogue/standing.h"
#include "core/drive/drive.h"
#include "core/survey/survey.h"

namespace zt {

/// A known location.
struct Place {
  std::string id;
  std::string path;  ///< parts relative to the drive's top; a part may hold the wildcards of fnmatch(3)
  Standing standing = Standing::unjudged;
  Regret regret = Regret::personalGone;  ///< of letting it go
  bool anyDrive = false;                 ///< speaks for data drives too, not only where a system lies
};

/// Where a survey's root lies in the catalogue's view of a drive.
struct Anchor {
  PathBytes prefix;    ///< from the drive's top (or the live system's "/") to the survey's root
  bool system = true;  ///< a system lies on the drive: system places speak
};

/// The anchor of a folder on a drive. Drives of the running machine are seen from "/", others from their own
/// top.
Anchor anchorOf(const Drive& drive, const PathBytes& root);

/// The places, as a tree of path parts. Immutable; any thread.
class Catalogue {
public:
  /// Reads places from TOML (docs/formats/catalogue.md). Fails with badInput on unknown standings, empty or
  /// climbing paths.
  static Result<Catalogue> parse(std::string_view toml);
  /// The places that come with the program.
  static const Catalogue& builtIn();

  Catalogue();
  Catalogue(Catalogue&&) noexcept;
  Catalogue& operator=(Catalogue&&) noexcept;
  ~Catalogue();

  /// The standing of a path below an anchor: that of the deepest place on the way to it. Unjudged where none
  /// speaks.
  Standing standing(const Anchor& anchor, std::string_view relative) const;
  /// The deepest place on the way to a path; nullptr where none speaks.
  const Place* placeOf(const Anchor& anchor, std::string_view relative) const;
  /// Whether bedrock lies at the path, above it or beneath it: such a path must not go as a whole.
  bool touchesBedrock(const Anchor& anchor, std::string_view relative) const;
  /// The standing of every entry of a survey, by node number; one pass.
  std::vector<Standing> standings(const SurveyTree& tree, const Anchor& anchor) const;

private:
  struct Part;
  using State = std::vector<const Part*>;
  State start(const Anchor& anchor, const Place*& place) const;
  State step(const State& state, std::string_view part, bool system, const Place*& place) const;
  std::unique_ptr<Part> top_;
  std::vector<std::unique_ptr<Place>> places_;
};

}  // namespace zt
