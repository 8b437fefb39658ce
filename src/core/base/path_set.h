// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <set>
#include <vector>

#include "core/base/path_bytes.h"

namespace zt {

/// Paths, and whether one lies at, in or above any of them: by its parts, however many there are. A value.
class PathSet {
public:
  PathSet() = default;
  explicit PathSet(const std::vector<PathBytes>& paths) : paths_(paths.begin(), paths.end()) {}
  void insert(const PathBytes& path) { paths_.insert(path); }
  bool empty() const { return paths_.empty(); }

  /// Whether it is one of them, or lies in one.
  bool covers(std::string_view path) const {
    if (paths_.empty()) return false;
    for (PathBytes up(path);; up = parentPath(up)) {
      if (paths_.contains(up)) return true;
      if (up.empty()) return false;
    }
  }
  /// Whether one of them lies in it.
  bool anyIn(std::string_view path) const {
    const PathBytes first = path.empty() ? PathBytes{} : PathBytes(path) + "/";
    const auto at = paths_.upper_bound(first);
    return at != paths_.end() && at->starts_with(first);
  }
  bool touches(std::string_view path) const { return covers(path) || anyIn(path); }

private:
  std::set<PathBytes> paths_;
};

}  // namespace zt
