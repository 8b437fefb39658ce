// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/finds/find_context.h"

namespace zt {

/// Whether a running program is one of those that a place's maker names ("pip, uv"): by its whole name, or
/// with a dash and more behind it ("apt" is "apt-get", too). Case does not matter.
bool isOneOf(std::string_view program, std::string_view makers);

/// Which of a place's conditions ("idle", "live", "off") are not met at one of its entries, by what was seen
/// when the survey was made. That a drive was closed properly ("clean") is asked of the drive itself whenever
/// something is changed.
std::vector<std::string> unmetNeeds(const FindContext& context, const Place& place, NodeId entry);

}  // namespace zt
