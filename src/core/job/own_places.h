// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/catalogue/catalogue.h"

namespace zt {

/// Where a user's own file of places lies: `zip-tally/places.toml` in the configuration folder.
PathBytes ownPlacesFile();

/// What is known of places with the user's own file over it, where there is one. Fails with badInput and the
/// line for a file that is wrong; it is not passed over, because it may be what protects something.
Result<std::shared_ptr<const KnownPlaces>> placesWithOwn(const PathBytes& file);

}  // namespace zt
