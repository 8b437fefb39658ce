// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/stored_sizes.h"
#include "core/survey/tree/holdings.h"

namespace zt {

/// Who holds what by the nodes of a finished tree. `walked`: the subvolumes that it is of, by their places in
/// `sizes.trees`; `rootTree`: the one that its root lies in. Points are the other read-only snapshots.
HoldingsPtr holdingsOf(const StoredSizes& sizes, const std::vector<bool>& walked, std::uint64_t rootTree,
                       const SurveyTree& tree, Bytes used);

}  // namespace zt
