// SPDX-License-Identifier: GPL-3.0-or-later
// What reads in files, and around them.
#include <linux/fiemap.h>
#include <linux/fs.h>
#include <sys/ioctl.h>
#include <sys/statvfs.h>
#include <sys/xattr.h>
#include <unistd.h>

#include <cerrno>
#include <climits>
#include <span>
#include <vector>

#include "core/os/linux/linux_calls.h"
#include "core/os/linux/linux_file_system.h"
#include "core/os/linux/linux_opened_file.h"
#include "core/os/paths.h"

namespace zt {

namespace {
/// Gets at an entry without opening it.
class Pointed {
public:
  Pointed(int at, const char* name)
      : fd_(::openat(at, name, O_PATH | O_NOFOLLOW | O_CLOEXEC)),
        way_("/proc/self/fd/" + std::to_string(fd_)) {}
  ~Pointed() {
    if (fd_ >= 0) ::close(fd_);
  }
  Pointed(const Pointed&) = delete;
  Pointed& operator=(const Pointed&) = delete;
  bool stat(struct stat& st) const { return fd_ >= 0 && ::fstat(fd_, &st) == 0; }
  /// Bytes put into `room`; −1 and errno where there are none.
  ssize_t attribute(const char* key, std::span<char> room) const {
    if (fd_ < 0) return -1;
    return ::getxattr(way_.c_str(), key, room.data(), room.size());
  }

private:
  int fd_;
  std::string way_;
};

/// Attributes and reparse tags of files whose content lies elsewhere: FILE_ATTRIBUTE_OFFLINE,
/// _RECALL_ON_OPEN, _RECALL_ON_DATA_ACCESS and IO_REPARSE_TAG_CLOUD to _CLOUD_F ([MS-FSCC] 2.6 and 2.1.2.1),
/// as the NTFS driver in user space shows them.
bool saysElsewhere(const Pointed& file) {
  constexpr std::uint32_t elsewhere = 0x1000 | 0x40000 | 0x400000;
  unsigned char raw[16]{};
  const auto room = std::span(reinterpret_cast<char*>(raw), sizeof raw);
  if (file.attribute("system.ntfs_attrib_be", room) != 4) return false;
  const std::uint32_t flags = std::uint32_t{raw[0]} << 24 | std::uint32_t{raw[1]} << 16 |
                              std::uint32_t{raw[2]} << 8 | std::uint32_t{raw[3]};
  if ((flags & elsewhere) != 0) return true;
  std::vector<char> reparse(65536);
  if (file.attribute("system.ntfs_reparse_data", reparse) < 4) return false;
  const auto* tag = reinterpret_cast<const unsigned char*>(reparse.data());
  const std::uint32_t value = std::uint32_t{tag[3]} << 24 | std::uint32_t{tag[2]} << 16 |
                              std::uint32_t{tag[1]} << 8 | std::uint32_t{tag[0]};
  return (value & 0xFFFF0FFF) == 0x9000001A;
}

/// Whether nothing of a file is stored here. Without a block there is nothing to read but zeros; where a
/// system has put a placeholder, opening it would fetch the content over the net.
bool isPlaceholder(int at, const char* name) {
  constexpr off_t mayLieInItsRecord = 4096;
  const Pointed file(at, name);
  struct stat st {};
  if (!file.stat(st) || !S_ISREG(st.st_mode)) return false;
  if (st.st_blocks == 0 && st.st_size > mayLieInItsRecord) return true;
  return saysElsewhere(file);
}

/// Opens a file for reading so that its access time stays: by O_NOATIME, or because the mount keeps none.
int openUntouched(int at, const char* name) {
  const int flags = O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK;
  const int fd = ::openat(at, name, flags | O_NOATIME);
  if (fd >= 0 || errno != EPERM) return fd;  // EPERM: it is somebody else's
  struct statvfs v;
  const bool kept = ::fstatvfs(at, &v) == 0 && (v.f_flag & (ST_NOATIME | ST_RDONLY)) != 0;
  if (kept) return ::openat(at, name, flags);
  errno = EPERM;
  return -1;
}

/// A regular file that is stored here, opened so that its access time stays.
struct Opened {
  int fd = -1;
  std::uint64_t size = 0;
};
Result<Opened> openRegular(const Folder& at, std::string_view name, std::string_view operation) {
  const CName cname(name);
  if (!cname.valid() || name.empty()) return fail(Errc::outsideRoot, operation, PathBytes(name));
  if (isPlaceholder(fdOf(at), cname.get())) return fail(Errc::placeholder, operation, PathBytes(name));
  const int fd = openUntouched(fdOf(at), cname.get());
  if (fd < 0) return failErrno(operation, PathBytes(name), errno);
  struct stat st;
  const bool known = ::fstat(fd, &st) == 0;
  if (known && S_ISREG(st.st_mode)) return Opened{fd, static_cast<std::uint64_t>(st.st_size)};
  const int why = errno;
  ::close(fd);
  if (known) return fail(Errc::notAFile, operation, PathBytes(name));
  return failErrno(operation, PathBytes(name), why);
}
}  // namespace

Result<std::string> LinuxFileSystem::readFile(const Folder& at, std::string_view name, std::size_t limit) {
  const auto file = openRegular(at, name, "read");
  if (!file) return tl::unexpected(file.error());
  const int fd = file->fd;
  const LinuxFolder closer(fd, true);
  std::string content;
  char block[16384];
  for (;;) {
    const ssize_t got = ::read(fd, block, sizeof block);
    if (got < 0 && errno == EINTR) continue;
    if (got < 0) return failErrno("read", PathBytes(name), errno);
    if (got == 0) return content;
    content.append(block, static_cast<std::size_t>(got));
    if (content.size() > limit) return fail(Errc::badInput, "read", PathBytes(name));
  }
}

Result<std::string> LinuxFileSystem::attribute(const Folder& at, std::string_view name,
                                               const std::string& key) {
  const CName cname(name);
  if (!cname.valid() || name.empty()) return fail(Errc::outsideRoot, "attribute", PathBytes(name));
  std::string value(65536, '\0');
  const ssize_t got = Pointed(fdOf(at), cname.get()).attribute(key.c_str(), value);
  if (got < 0 && errno == ENODATA) return fail(Errc::notThere, "attribute", PathBytes(name));
  if (got < 0) return failErrno("attribute", PathBytes(name), errno);
  value.resize(static_cast<std::size_t>(got));
  return value;
}

Result<FileHead> LinuxFileSystem::readHead(const Folder& at, std::string_view name, std::size_t count) {
  const auto file = openRegular(at, name, "look");
  if (!file) return tl::unexpected(file.error());
  const int fd = file->fd;
  const LinuxFolder closer(fd, true);
  FileHead head{file->size, {}};
  head.bytes.resize(std::min<std::size_t>(count, head.size));
  const ssize_t got = ::pread(fd, head.bytes.data(), head.bytes.size(), 0);
  if (got < 0) return failErrno("look", PathBytes(name), errno);
  head.bytes.resize(static_cast<std::size_t>(got));
  return head;
}

Result<OpenedFilePtr> LinuxFileSystem::openFile(const Folder& at, std::string_view name) {
  const CName cname(name);
  if (!cname.valid() || name.empty()) return fail(Errc::outsideRoot, "open", PathBytes(name));
  {
    const Pointed file(fdOf(at), cname.get());
    struct stat st {};
    const bool known = file.stat(st);
    if (known && !S_ISREG(st.st_mode)) return fail(Errc::notAFile, "open", PathBytes(name));
    if (known && saysElsewhere(file)) return fail(Errc::placeholder, "open", PathBytes(name));
  }
  const int fd = openUntouched(fdOf(at), cname.get());
  if (fd < 0) return failErrno("open", PathBytes(name), errno);
  auto file = std::make_unique<LinuxOpenedFile>(fd);
  const auto now = file->stat();
  if (!now) return tl::unexpected(now.error());
  if (now->kind != EntryKind::file) return fail(Errc::notAFile, "open", PathBytes(name));
  return OpenedFilePtr(std::move(file));
}

namespace {
/// Hands over a file's extents in their order until `each` has enough. Linux:
/// Documentation/filesystems/fiemap. `flags`: FIEMAP_FLAG_SYNC where what was written a moment ago counts.
template <class Each>
Result<void> eachExtent(const Folder& at, std::string_view name, std::uint32_t flags, Each each) {
  const CName cname(name);
  if (!cname.valid() || name.empty()) return fail(Errc::outsideRoot, "extents", PathBytes(name));
  // Opening alone sets no access time.
  const int fd = ::openat(fdOf(at), cname.get(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK);
  if (fd < 0) return failErrno("extents", PathBytes(name), errno);
  const LinuxFolder closer(fd, true);
  constexpr std::uint32_t room = 128;
  alignas(fiemap) char memory[sizeof(fiemap) + room * sizeof(fiemap_extent)];
  auto* map = reinterpret_cast<fiemap*>(memory);
  for (std::uint64_t from = 0;;) {
    std::memset(map, 0, sizeof *map);
    map->fm_start = from;
    map->fm_length = ~std::uint64_t{0} - from;
    map->fm_extent_count = room;
    map->fm_flags = flags;
    if (::ioctl(fd, FS_IOC_FIEMAP, map) != 0) return failErrno("extents", PathBytes(name), errno);
    for (std::uint32_t i = 0; i < map->fm_mapped_extents; ++i) {
      const fiemap_extent& e = map->fm_extents[i];
      if (!each(e) || (e.fe_flags & FIEMAP_EXTENT_LAST) != 0) return {};
      // A file system that does not get on would be asked without end.
      if (e.fe_logical + e.fe_length <= from && from != 0)
        return fail(Errc::corrupt, "extents", PathBytes(name));
      from = e.fe_logical + e.fe_length;
    }
    if (map->fm_mapped_extents < room) return {};
  }
}
constexpr std::uint32_t elsewise =
    FIEMAP_EXTENT_ENCODED | FIEMAP_EXTENT_DATA_INLINE | FIEMAP_EXTENT_DATA_TAIL;
}  // namespace

Result<ExtentFacts> LinuxFileSystem::extents(const Folder& at, std::string_view name) {
  ExtentFacts facts;
  const auto asked = eachExtent(at, name, 0, [&](const fiemap_extent& e) {
    constexpr std::uint32_t nowhere = FIEMAP_EXTENT_UNKNOWN | FIEMAP_EXTENT_DATA_INLINE;
    if (facts.first == 0 && (e.fe_flags & nowhere) == 0) facts.first = e.fe_physical;
    facts.shared = facts.shared || (e.fe_flags & FIEMAP_EXTENT_SHARED) != 0;
    facts.encoded = facts.encoded || (e.fe_flags & elsewise) != 0;
    return !facts.shared;
  });
  if (!asked) return tl::unexpected(asked.error());
  return facts;
}

namespace {
Result<std::vector<FileExtent>> mapOf(const Folder& at, std::string_view name, std::uint32_t flags) {
  constexpr std::size_t mostExtents = FileSystemReader::mostExtents;
  std::vector<FileExtent> all;
  const auto asked = eachExtent(at, name, flags, [&](const fiemap_extent& e) {
    constexpr std::uint32_t unsettled = FIEMAP_EXTENT_UNKNOWN | FIEMAP_EXTENT_DELALLOC;
    all.push_back({e.fe_logical, e.fe_physical, e.fe_length, (e.fe_flags & FIEMAP_EXTENT_SHARED) != 0,
                   (e.fe_flags & (elsewise | unsettled)) == 0, (e.fe_flags & FIEMAP_EXTENT_UNWRITTEN) == 0});
    return all.size() <= mostExtents;
  });
  if (!asked) return tl::unexpected(asked.error());
  if (all.size() > mostExtents) return fail(Errc::badInput, "extents", PathBytes(name));
  return all;
}
}  // namespace

namespace {
/// What the names and values of a file's attributes come to, but for those that the system itself puts there.
Bytes attributeBytes(int folder, std::string_view name) {
  const CName cname(name);
  const int fd = ::openat(folder, cname.get(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK);
  if (fd < 0) return 0;
  const LinuxFolder closer(fd, true);
  std::string names(65536, 0);
  const ssize_t size = ::flistxattr(fd, names.data(), names.size());
  Bytes sum = 0;
  for (std::size_t from = 0; from < static_cast<std::size_t>(std::max<ssize_t>(0, size));) {
    const char* const key = names.c_str() + from;
    from += std::strlen(key) + 1;
    sum += std::strlen(key) + static_cast<Bytes>(std::max<ssize_t>(0, ::fgetxattr(fd, key, nullptr, 0)));
  }
  return sum;
}
}  // namespace

Result<std::vector<FileExtent>> LinuxFileSystem::fileMap(const Folder& at, std::string_view name) {
  return mapOf(at, name, FIEMAP_FLAG_SYNC);
}

/// No flag keeps the access time of a link: only a mount does, or a drive that cannot be written to. Whoever
/// has the right looks through a copy of the mount that lives as long as the look.
Result<std::string> LinuxFileSystem::readLink(const Folder& at, std::string_view name) {
  const std::string text(name);
  struct statvfs about {};
  if (::fstatvfs(fdOf(at), &about) != 0) return failErrno("read", text, errno);
  int from = fdOf(at);
  ReadingMountPtr copy;
  if ((about.f_flag & (ST_NOATIME | ST_RDONLY)) == 0) {
    if (mayKeepAllTimes())
      if (const auto path = openedPath(fdOf(at))) copy = readingMount(fdOf(at), *path);
    if (!copy || copy->copy < 0) return fail(Errc::notPermitted, "read", text);
    from = copy->copy;
  }
  std::string target(PATH_MAX, '\0');
  const auto length = ::readlinkat(from, text.c_str(), target.data(), target.size());
  if (length < 0) return failErrno("read", text, errno);
  target.resize(static_cast<std::size_t>(length));
  return target;
}

/// Of ext4 an attribute block may be several files' (the kernel's fs/ext4/xattr.c); FIEMAP tells where it
/// lies. Values that do not fit there lie in inodes of their own, of which it tells nothing: then it fails
/// with unsupported.
Result<std::vector<FileExtent>> LinuxFileSystem::attributeMap(const Folder& at, std::string_view name) {
  auto map = mapOf(at, name, FIEMAP_FLAG_XATTR);
  if (!map) return map;
  // What fits into the inode is told as an inline extent.
  std::erase_if(*map, [](const FileExtent& e) { return !e.plain; });
  Bytes room = 900;  // that the largest usual inodes have
  for (const FileExtent& e : *map) room = e.bytes;
  return attributeBytes(fdOf(at), name) > room ? fail(Errc::unsupported, "extents", PathBytes(name))
                                               : std::move(map);
}

}  // namespace zt
