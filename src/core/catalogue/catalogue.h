// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <map>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/path_bytes.h"
#include "core/base/result.h"
#include "core/catalogue/standing.h"
#include "core/drive/system_family.h"

namespace zt {

/// A known location.
struct Place {
  std::string id;
  std::string path;  ///< parts relative to the system's top; a part may hold the wildcards of fnmatch(3)
  Standing standing = Standing::unjudged;
  Regret regret = Regret::personalGone;  ///< of letting it go
  bool anyDrive = false;                 ///< speaks for data drives too, not only where a system lies
  bool whole = false;                    ///< goes as a whole or not at all: nothing in it is judged by itself
};

/// The places of one family, as a tree of path parts. Immutable; any thread.
class Catalogue {
public:
  /// Reads places from TOML (docs/formats/catalogue.md). Fails with badInput and the line on unknown
  /// standings and regrets, and on empty or climbing paths.
  static Result<Catalogue> parse(std::string_view toml, SystemFamily family);
  /// The places that come with the program. `none` has none.
  static const Catalogue& builtIn(SystemFamily family);

  Catalogue();
  Catalogue(Catalogue&&) noexcept;
  Catalogue& operator=(Catalogue&&) noexcept;
  ~Catalogue();

  SystemFamily family() const { return family_; }

  /// A part of a path on the way down.
  struct Part {
    std::map<std::string, std::unique_ptr<Part>, std::less<>> exact;
    std::map<std::string, std::unique_ptr<Part>, std::less<>> wild;
    const Place* place = nullptr;
  };
  const Part& top() const { return *top_; }
  /// Calls `each` for every way on from a part by a name, wildcards first, so that an exact name has the last
  /// word. `name` is in lower case where the family folds case.
  template <class Each>
  void step(const Part& from, const std::string& name, Each each) const {
    for (const auto& [pattern, to] : from.wild)
      if (fits(pattern, name)) each(*to);
    if (const auto to = from.exact.find(name); to != from.exact.end()) each(*to->second);
  }

private:
  static bool fits(const std::string& pattern, const std::string& name);
  SystemFamily family_ = SystemFamily::none;
  std::unique_ptr<Part> top_;
  std::vector<std::unique_ptr<Place>> places_;
};

}  // namespace zt
