// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/paths.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

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

namespace {
Result<PathBytes> linkTarget(const std::string& link) {
  PathBytes path(4096, '\0');
  const ssize_t size = ::readlink(link.c_str(), path.data(), path.size());
  if (size < 0) return failErrno("path", link, errno);
  path.resize(static_cast<std::size_t>(size));
  if (path.empty() || path.front() != '/' || path.size() == 4096 || path.ends_with(" (deleted)"))
    return fail(Errc::notThere, "path", path);
  return path;
}
}  // namespace

Result<PathBytes> openedPath(int fd) {
  return linkTarget("/proc/self/fd/" + std::to_string(fd));
}

Result<PathBytes> openedProgram() {
  return linkTarget("/proc/self/exe");
}

bool exists(const PathBytes& path) {
  struct stat st;
  return ::lstat(path.c_str(), &st) == 0;
}

Result<void> makeFolders(const PathBytes& path) {
  for (std::size_t at = 1; at != std::string::npos && !path.empty();) {
    at = path.find('/', at);
    const PathBytes part = path.substr(0, at);
    if (::mkdir(part.c_str(), 0700) != 0 && errno != EEXIST && (at == std::string::npos || !exists(part)))
      return failErrno("make-folder", part, errno);
    if (at != std::string::npos) ++at;
  }
  return {};
}

Result<FileHead> readHead(const PathBytes& path, std::size_t count) {
  const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
  if (fd < 0) return failErrno("read", path, errno);
  FileHead head;
  head.bytes.resize(count);
  struct stat st;
  const bool known = ::fstat(fd, &st) == 0;
  const ssize_t got = known ? ::pread(fd, head.bytes.data(), count, 0) : -1;
  const int err = errno;
  ::close(fd);
  if (got < 0) return failErrno("read", path, err);
  head.size = static_cast<std::uint64_t>(st.st_size);
  head.bytes.resize(static_cast<std::size_t>(got));
  return head;
}

}  // namespace zt
