// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "core/base/clock.h"
#include "core/base/path_bytes.h"

namespace zt {

/// One `.trashinfo` file of the freedesktop.org Trash specification 1.0.
struct TrashInfo {
  PathBytes path;       ///< where the item came from: absolute, or relative to the top of its drive
  std::string deleted;  ///< local time "YYYY-MM-DDThh:mm:ss"; empty if missing or malformed
};

/// Parses hostile text: percent-encoding is undone, NUL bytes and missing paths are refused.
std::optional<TrashInfo> parseTrashInfo(std::string_view text);

/// "2026-04-12T10:15:00" as a time; 0 where it is none. The zone is not recorded: a day more or less.
TimeNs timeOfDate(const std::string& date);

}  // namespace zt
