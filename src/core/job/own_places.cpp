// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/own_places.h"

#include <cstdlib>
#include <fstream>
#include <sstream>

#include "core/os/paths.h"

namespace zt {

PathBytes ownPlacesFile() {
  const char* config = std::getenv("XDG_CONFIG_HOME");
  const char* home = std::getenv("HOME");
  PathBytes folder = config != nullptr && *config == '/' ? PathBytes(config) : PathBytes();
  if (folder.empty() && home != nullptr && *home == '/') folder = joinPath(home, ".config");
  return folder.empty() ? folder : joinPath(folder, "zip-tally/places.toml");
}

Result<std::shared_ptr<const KnownPlaces>> placesWithOwn(const PathBytes& file) {
  if (file.empty() || !exists(file)) return KnownPlaces::builtIn();
  std::ifstream in(file, std::ios::binary);
  std::ostringstream text;
  text << in.rdbuf();
  if (!in) return fail(Errc::notPermitted, "catalogue", file);
  return KnownPlaces::withOwn(text.str(), file);
}

}  // namespace zt
