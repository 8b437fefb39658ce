// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/catalogue/judge.h"

namespace zt {

/// Makes a sighting say less than its place does: its verdict is not `asSaid`. An age that is not reached,
/// being the newest of what is made again and again, or something personal or foreign in it, makes it
/// unjudged: a person may be asked. Any other condition that is not met leaves it as the place above says,
/// never milder than unjudged.
void holdBack(Sighting& sighting, const Sightings& all);

/// What a place says of an entry holds for each thing beneath it that its maker made: by the kinds that it
/// makes, or, of an earlier system, by what that system's own places say. All else is cut out, by the highest
/// folders in which nothing is made: it is a person's, with a sighting of its own (`foreign`; `personal` in
/// an earlier system). Where nothing is made the whole entry is. Does nothing for places of other sorts.
void cutApart(std::uint32_t sighting, const PlaceMap& map, const SurveyTree& tree, Sightings& all);

}  // namespace zt
