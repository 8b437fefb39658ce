// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/paths.h"

#include <fcntl.h>
#include <pwd.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstdio>
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

Result<void> renameOwn(const PathBytes& from, const PathBytes& to) {
  if (std::rename(from.c_str(), to.c_str()) == 0 || errno == ENOENT) return {};
  return failErrno("rename", from, errno);
}

Result<void> removeOwn(const PathBytes& file) {
  if (std::remove(file.c_str()) == 0 || errno == ENOENT) return {};
  return failErrno("remove", file, errno);
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

namespace {
bool belongsToUs(const struct stat& st) {
  return st.st_uid == ::geteuid() || st.st_uid == 0;
}
bool isOurFolder(const char* path) {
  struct stat st;
  return path != nullptr && path[0] == '/' && ::stat(path, &st) == 0 && S_ISDIR(st.st_mode) &&
         st.st_uid == ::geteuid();
}
/// Whether it will be ours once it is made.
bool mayBecomeOurs(const char* path) {
  struct stat st;
  return path != nullptr && path[0] == '/' && ::stat(path, &st) != 0 && errno == ENOENT;
}
}  // namespace

PathBytes ownBase(const char* variable, const char* under) {
  const char* said = std::getenv(variable);
  if (isOurFolder(said) || mayBecomeOurs(said)) return said;
  const char* home = std::getenv("HOME");
  if (isOurFolder(home)) return joinPath(home, under);
  passwd entry{};
  passwd* found = nullptr;
  char room[4096];
  if (::getpwuid_r(::geteuid(), &entry, room, sizeof room, &found) != 0 || found == nullptr) return {};
  return isOurFolder(entry.pw_dir) ? joinPath(entry.pw_dir, under) : PathBytes{};
}

Result<void> checkOwn(const PathBytes& file) {
  for (const PathBytes& path : {PathBytes(parentPath(file)), file}) {
    struct stat link;
    struct stat st;
    if (::lstat(path.c_str(), &link) != 0) {
      if (errno == ENOENT) continue;
      return failErrno("own", path, errno);
    }
    // A link may be anybody's who could make it there, and what it leads to as well.
    const bool there = ::stat(path.c_str(), &st) == 0;
    if (!belongsToUs(link) || (there && (!belongsToUs(st) || (st.st_mode & S_IWOTH) != 0)))
      return fail(Errc::someoneElses, "own", path);
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
