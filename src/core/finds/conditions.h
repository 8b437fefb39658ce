// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/finds/find_context.h"

namespace zt {

/// Whether a running program is one of those that a place's maker names ("pip, uv"): by its whole name, or
/// with a dash and more behind it ("apt" is "apt-get", too). Case does not matter.
bool isOneOf(std::string_view program, std::string_view makers);

/// A condition of a place that is not met.
struct UnmetNeed {
  std::string need;    ///< "idle", "live", "off"
  std::string who;     ///< the program that runs, where that is all that is in the way
  bool waits = false;  ///< a person may plan it: it is asked once more when the step acts
};

/// Which of a place's conditions are not met at one of its entries, by what was seen when the survey was
/// made. That a drive was closed properly ("clean") is asked of the drive itself whenever something is
/// changed.
std::vector<UnmetNeed> unmetNeeds(const FindContext& context, const Place& place, NodeId entry);

}  // namespace zt
