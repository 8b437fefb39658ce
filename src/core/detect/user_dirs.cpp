// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/detect/user_dirs.h"

#include <algorithm>

namespace zt {

std::optional<PathBytes> downloadFolder(std::string_view text) {
  constexpr std::string_view key = "XDG_DOWNLOAD_DIR=\"$HOME/";
  std::optional<PathBytes> said;
  while (!text.empty()) {
    std::string_view line = text.substr(0, text.find('\n'));
    text.remove_prefix(std::min(text.size(), line.size() + 1));
    while (!line.empty() && (line.front() == ' ' || line.front() == '\t')) line.remove_prefix(1);
    if (!line.starts_with(key)) continue;
    line.remove_prefix(key.size());
    PathBytes path;
    bool closed = false;
    for (std::size_t i = 0; i < line.size() && !closed; ++i) {
      if (line[i] == '"')
        closed = true;
      else if (line[i] == '\\' && i + 1 < line.size())
        path += line[++i];
      else
        path += line[i];
    }
    while (path.ends_with('/')) path.pop_back();
    const auto parts = splitPath(path);
    const bool plain = !parts.empty() &&
                       std::none_of(parts.begin(), parts.end(), [](auto p) { return p == ".." || p == "."; });
    // The last line counts, as in a shell.
    said = closed && plain ? std::optional(path) : std::nullopt;
  }
  return said;
}

}  // namespace zt
