// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace zt {

/// A file name or path as the file system keeps it: any bytes but NUL (and '/' in a name).
using PathBytes = std::string;

/// Joins two parts with one '/'; either may be empty.
PathBytes joinPath(std::string_view a, std::string_view b);

/// The parts of a path, without empty ones. "." and ".." are kept, so that a guard can refuse them.
std::vector<std::string_view> splitPath(std::string_view path);

/// All but the last part ("" for a single name), and the last part.
std::string_view parentPath(std::string_view path);
std::string_view baseName(std::string_view path);

/// For showing and for JSON: valid UTF-8 stays, but control characters, bidirectional marks, the backslash
/// and bytes that are not UTF-8 become \xNN. `unescapePath` gives the exact bytes back.
std::string escapePath(std::string_view bytes);

/// Takes \xNN back to bytes; other backslashes stay as they are.
PathBytes unescapePath(std::string_view text);

/// Whether `escapePath` would change it.
bool needsEscape(std::string_view bytes);

/// Whether `path` lies in `folder`, both relative to the same root ("" is the root).
inline bool beneath(std::string_view path, std::string_view folder) {
  return folder.empty() || (path.size() > folder.size() && path.substr(0, folder.size()) == folder &&
                            path[folder.size()] == '/');
}

/// A path without a leading slash, doubled and trailing ones, "." and "..", by its letters alone; nothing
/// where it climbs out of where it begins.
std::optional<PathBytes> withoutDots(std::string_view path);

/// ASCII letters in lower case, as file systems of the nt and mac families compare names.
std::string lowered(std::string_view text);

/// Whether a path is relative, not empty, and without "." and "..".
bool plainRelative(std::string_view path);

}  // namespace zt
