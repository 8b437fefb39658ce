// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/own_places.h"

#include <fstream>
#include <sstream>

#include "core/os/paths.h"

namespace zt {

PathBytes ownPlacesFile() {
  const PathBytes base = ownBase("XDG_CONFIG_HOME", ".config");
  return base.empty() ? base : joinPath(base, "zip-tally/places.toml");
}

Result<std::shared_ptr<const KnownPlaces>> placesWithOwn(const PathBytes& file) {
  if (file.empty() || !exists(file)) return KnownPlaces::builtIn();
  if (auto own = checkOwn(file); !own) return tl::unexpected(own.error());
  std::ifstream in(file, std::ios::binary);
  std::ostringstream text;
  text << in.rdbuf();
  if (!in) return fail(Errc::notPermitted, "catalogue", file);
  return KnownPlaces::withOwn(text.str(), file);
}

}  // namespace zt
