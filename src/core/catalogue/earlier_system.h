// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/catalogue/place_map.h"
#include "core/survey/tree/survey_tree.h"

namespace zt {

/// Whether anything lies in an earlier system's folder that the system itself did not make: what no place of
/// its family speaks for, what is somebody's, and guests' disks, data bases, mail and keys wherever they lie.
/// By names alone, entry by entry, as far as the first such thing. Any thread.
bool holdsOthersThings(const SurveyTree& tree, NodeId system, SystemFamily family,
                       const std::shared_ptr<const KnownPlaces>& known);

}  // namespace zt
