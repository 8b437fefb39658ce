// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string_view>

namespace zt {

/// Whether a file's name is of a kind that people make by hand: office papers, camera pictures, films, sound.
/// By its ending, in any case. Pictures that programs draw for themselves (PNG, SVG, GIF, WebP) are none.
bool looksPersonal(std::string_view name);

}  // namespace zt
