// SPDX-License-Identifier: GPL-3.0-or-later
#include "demo/writer.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>

#include "core/base/path_bytes.h"

namespace zt::demo {

namespace {

timespec toTime(TimeNs ns) {
  return {ns / nsPerSecond, ns % nsPerSecond};
}

/// Bytes that depend on the key and the place alone.
std::string content(const std::string& key, std::uint64_t part, std::size_t size) {
  // FNV-1a over the key seeds SplitMix64 (both public domain): fast, and all that is needed is that contents
  // differ.
  std::uint64_t state = 0xcbf29ce484222325ull + part;
  for (const char c : key) state = (state ^ static_cast<unsigned char>(c)) * 0x100000001b3ull;
  std::string bytes(size, '\0');
  for (std::size_t at = 0; at < size; at += 8) {
    std::uint64_t value = (state += 0x9e3779b97f4a7c15ull);
    value = (value ^ (value >> 30)) * 0xbf58476d1ce4e5b9ull;
    value = (value ^ (value >> 27)) * 0x94d049bb133111ebull;
    value ^= value >> 31;
    for (std::size_t i = at; i < std::min(at + 8, size); ++i)
      bytes[i] = static_cast<char>(value >> (8 * (i - at)));
  }
  return bytes;
}

bool writeAt(int fd, const std::string& bytes, Bytes offset) {
  return ::pwrite(fd, bytes.data(), bytes.size(), static_cast<off_t>(offset)) ==
         static_cast<ssize_t>(bytes.size());
}

}  // namespace

void TreeWriter::seen(const std::string& path, TimeNs modified) {
  for (std::string_view up = parentPath(path); !up.empty(); up = parentPath(up)) {
    auto& facts = folders_[std::string(up)];
    facts.newest = std::max(facts.newest, modified);
  }
}

Result<void> TreeWriter::folder(const std::string& path, int owner, int mode) {
  if (path.empty() || (folders_.contains(path) && folders_[path].mode == mode)) return {};
  if (auto above = folder(std::string(parentPath(path)), owner); !above) return above;
  if (::mkdir(at(path).c_str(), 0755) != 0 && errno != EEXIST)
    return failErrno("make-folder", at(path), errno);
  if (::geteuid() == 0)
    (void)!::chown(at(path).c_str(), static_cast<uid_t>(owner), static_cast<gid_t>(owner));
  folders_[path].mode = mode;
  ++folders;
  return {};
}

Result<void> TreeWriter::file(const File& f) {
  if (auto above = folder(std::string(parentPath(f.path)), f.owner); !above) return above;
  const int fd = ::open(at(f.path).c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0644);
  if (fd < 0) return failErrno("write", at(f.path), errno);
  constexpr Bytes block = 4096;
  bool good = ::ftruncate(fd, static_cast<off_t>(f.length)) == 0;
  const auto headSize =
      static_cast<std::size_t>(std::min(f.length, f.length <= 2 * block ? f.length : block));
  if (f.pieces.empty()) {
    std::string head = content(f.key, 0, headSize);
    head.replace(0, std::min(f.head.size(), head.size()), f.head.substr(0, head.size()));
    good = good && writeAt(fd, head, 0);
    std::string end = content(f.key, 1, block);
    if (f.differs) end[100] ^= 1;
    if (f.length > 2 * block) good = good && writeAt(fd, end, (f.length - block) / block * block);
  }
  for (const auto& [place, bytes] : f.pieces) good = good && writeAt(fd, bytes, place);
  good = good && ::ftruncate(fd, static_cast<off_t>(f.length)) == 0 &&
         ::fchmod(fd, static_cast<mode_t>(f.mode)) == 0;
  if (::geteuid() == 0) (void)!::fchown(fd, static_cast<uid_t>(f.owner), static_cast<gid_t>(f.owner));
  const timespec times[2] = {toTime(f.modified), toTime(f.modified)};
  good = good && ::futimens(fd, times) == 0;
  const int err = errno;
  ::close(fd);
  if (!good) return failErrno("write", at(f.path), err);
  seen(f.path, f.modified);
  ++files;
  return {};
}

Result<void> TreeWriter::hardLink(const std::string& from, const std::string& to) {
  if (auto above = folder(std::string(parentPath(to))); !above) return above;
  struct stat st;
  if (::link(at(from).c_str(), at(to).c_str()) != 0 || ::stat(at(to).c_str(), &st) != 0)
    return failErrno("link", at(to), errno);
  seen(to, st.st_mtim.tv_sec * nsPerSecond + st.st_mtim.tv_nsec);
  ++files;
  return {};
}

Result<void> TreeWriter::symlink(const std::string& target, const std::string& path) {
  if (auto above = folder(std::string(parentPath(path))); !above) return above;
  if (::symlink(target.c_str(), at(path).c_str()) != 0) return failErrno("link", at(path), errno);
  return {};
}

Result<void> TreeWriter::fifo(const std::string& path) {
  if (auto above = folder(std::string(parentPath(path))); !above) return above;
  if (::mkfifo(at(path).c_str(), 0600) != 0) return failErrno("make-fifo", at(path), errno);
  return {};
}

Result<void> TreeWriter::deepChain(const std::string& top, int levels, TimeNs modified) {
  if (auto made = folder(top); !made) return made;
  int dir = ::open(at(top).c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  const std::string part = "one-more-folder-down-" + std::string(60, 'x');
  for (int i = 0; i < levels && dir >= 0; ++i) {
    ::mkdirat(dir, part.c_str(), 0755);
    const int next = ::openat(dir, part.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    ::close(dir);
    dir = next;
  }
  if (dir < 0) return failErrno("make-folder", at(top), errno);
  const int fd = ::openat(dir, "bottom.txt", O_WRONLY | O_CREAT | O_CLOEXEC, 0644);
  const bool good = fd >= 0 && ::write(fd, "deep\n", 5) == 5;
  const int err = errno;
  if (fd >= 0) ::close(fd);
  ::close(dir);
  if (!good) return failErrno("write", at(top), err);
  seen(top + "/x", modified);
  ++files;
  folders += static_cast<std::uint64_t>(levels);
  return {};
}

Result<void> TreeWriter::settle() {
  for (auto f = folders_.rbegin(); f != folders_.rend(); ++f) {
    const timespec time = toTime(f->second.newest);
    const timespec times[2] = {time, time};
    if (f->second.newest != 0) ::utimensat(AT_FDCWD, at(f->first).c_str(), times, 0);
    if (f->second.mode != 0755) ::chmod(at(f->first).c_str(), static_cast<mode_t>(f->second.mode));
  }
  return {};
}

}  // namespace zt::demo
