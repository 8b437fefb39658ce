// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string_view>

namespace zt {

/// The name of the folder that holds are kept in, at the top of the drive or subvolume.
constexpr std::string_view holdName = ".zip-tally-hold";

}  // namespace zt
