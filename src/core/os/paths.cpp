// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/paths.h"

#include <sys/stat.h>

#include <cerrno>
#include <cstdlib>
#include <memory>

namespace zt {

Result<PathBytes> canonicalPath(const PathBytes& path) {
  struct Free {
    void operator()(char* p) const { std::free(p); }
  };
  const std::unique_ptr<char, Free> resolved(::realpath(path.c_str(), nullptr));
  if (!resolved) return failErrno("path", path, errno);
  return PathBytes(resolved.get());
}

Result<PathBytes> canonicalNewPath(const PathBytes& path) {
  const PathBytes name(baseName(path));
  if (name.empty() || name == "." || name == "..") return fail(Errc::badInput, "path", path);
  PathBytes folder(parentPath(path));
  if (folder.empty()) folder = path.front() == '/' ? "/" : ".";
  auto resolved = canonicalPath(folder);
  if (!resolved) return resolved;
  return joinPath(*resolved, name);
}

bool exists(const PathBytes& path) {
  struct stat st;
  return ::lstat(path.c_str(), &st) == 0;
}

Result<void> makeOwnFolders(const PathBytes& path) {
  for (std::size_t at = 1; at <= path.size(); ++at) {
    if (at < path.size() && path[at] != '/') continue;
    const PathBytes folder = path.substr(0, at);
    if (::mkdir(folder.c_str(), 0755) != 0 && errno != EEXIST) return failErrno("make-folder", folder, errno);
  }
  return {};
}

}  // namespace zt
