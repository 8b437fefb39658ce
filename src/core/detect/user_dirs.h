// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string_view>

#include "core/base/path_bytes.h"

namespace zt {

/// Where a user's downloads arrive, relative to the home, as `user-dirs.dirs` says (xdg-user-dirs 0.18:
/// XDG_DOWNLOAD_DIR="$HOME/…", with \\-escapes). nullopt where it says nothing, or a place outside the home.
std::optional<PathBytes> downloadFolder(std::string_view userDirs);

}  // namespace zt
