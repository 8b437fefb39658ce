// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/linux/linux_file_system.h"

#include <dirent.h>
#include <fcntl.h>
#include <linux/magic.h>
#include <linux/openat2.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <sys/syscall.h>
#include <sys/sysmacros.h>
#include <sys/vfs.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <limits>
#include <optional>
#include <vector>

#include "core/os/linux/counter_rise.h"
#include "core/os/linux/linux_calls.h"
#include "core/os/paths.h"

namespace zt {

namespace {

/// Opens with O_NOATIME, and without it where the right is lacking. `from`: what it is opened from.
template <class Open>
Result<FolderPtr> openKeepingTimes(std::string_view path, const ReadingMountPtr& from, Open open) {
  int fd = open(folderFlags | O_NOATIME);
  bool keeps = true;
  if (fd < 0 && errno == EPERM) {
    fd = open(folderFlags);
    keeps = false;
  }
  if (fd < 0) return failErrno("open", PathBytes(path), errno);
  return std::make_shared<LinuxFolder>(fd, keeps, from);
}

constexpr std::uint64_t beneathOnly = RESOLVE_BENEATH | RESOLVE_NO_SYMLINKS | RESOLVE_NO_MAGICLINKS;

int openat2Beneath(int at, const char* path, int flags, std::uint64_t resolve) {
  open_how how{};
  how.flags = static_cast<unsigned>(flags);
  how.resolve = resolve;
  for (int attempt = 0;; ++attempt) {
    const auto fd = static_cast<int>(::syscall(SYS_openat2, at, path, &how, sizeof how));
    // EAGAIN: the kernel saw a rename on the way and could not be sure; it asks to try again.
    if (fd >= 0 || errno != EAGAIN || attempt >= 64) return fd;
  }
}

struct LinuxDirent {
  std::uint64_t inode;
  std::int64_t offset;
  std::uint16_t recordLength;
  std::uint8_t type;
  char name[1];
};

EntryKind kindOfType(std::uint8_t type) {
  switch (type) {
    case DT_REG:
      return EntryKind::file;
    case DT_DIR:
      return EntryKind::folder;
    case DT_LNK:
      return EntryKind::symlink;
    default:
      return EntryKind::other;
  }
}

/// Stats the entries of a folder. Where that goes slowly (the inodes are not in memory), it goes on in the
/// order of their numbers, which is their order on the device.
class StatBatch {
public:
  explicit StatBatch(const Folder& folder)
      : fd_(fdOf(folder)), mount_(mountOf(folder).get()), batch_(room()) {
    // In a folder such as /tmp everybody may write, and remove what is his own.
    struct stat st {};
    const UserRights& mine = UserRights::mine();
    onlyOwn_ = !mine.everything() && ::fstat(fd_, &st) == 0 && (st.st_mode & S_ISVTX) != 0 &&
               st.st_uid != mine.user();
  }

  /// Stats every entry of one getdents64 buffer and hands them to the sink: a few at a time, which stay in
  /// the nearest cache; all at once where their order matters. False if the sink wants no more.
  bool read(const char* buffer, std::size_t size, ScanSink& sink) {
    sink.answered();
    for (std::size_t at = 0; at < size;) {
      const auto* entry = reinterpret_cast<const LinuxDirent*>(buffer + at);
      at += entry->recordLength;
      const char* name = entry->name;
      if (name[0] == '.' && (name[1] == 0 || (name[1] == '.' && name[2] == 0))) continue;
      if (count_ == batch_.size()) batch_.resize(2 * count_);
      ScannedEntry& out = batch_[count_++];
      out.name = name;
      out.stat.kind = kindOfType(entry->type);
      out.stat.inode = entry->inode;
      if (count_ == few && !slow_ && !flush(sink)) return false;
    }
    if (slow_)
      std::sort(batch_.begin(), batch_.begin() + static_cast<std::ptrdiff_t>(count_),
                [](const auto& a, const auto& b) { return a.stat.inode < b.stat.inode; });
    return flush(sink);
  }

  /// The inode of the folder itself, if its "." stands in the buffer's first records; else 0.
  static std::uint64_t self(const char* buffer, std::size_t size) {
    for (std::size_t at = 0, record = 0; at < size && record < 2; ++record) {
      const auto* entry = reinterpret_cast<const LinuxDirent*>(buffer + at);
      if (entry->name[0] == '.' && entry->name[1] == 0) return entry->inode;
      at += entry->recordLength;
    }
    return 0;
  }

private:
  static constexpr std::size_t few = 64;
  static constexpr std::chrono::microseconds slowEntry{10};

  bool flush(ScanSink& sink) {
    if (count_ == 0) return true;
    const std::span<ScannedEntry> entries = std::span(batch_).first(count_);
    const bool timed = !timed_ && count_ == few;
    const auto start = timed ? std::chrono::steady_clock::now() : std::chrono::steady_clock::time_point();
    for (ScannedEntry& entry : entries) {
      stat(entry);
      // Where answers come slowly each of them counts; where they come fast nobody waits for them.
      if (timed || slow_) sink.answered();
    }
    if (timed) slow_ = std::chrono::steady_clock::now() - start > few * slowEntry;
    timed_ = timed_ || timed;
    count_ = 0;
    return sink.take(entries);
  }

  void stat(ScannedEntry& out) const {
    struct statx x;
    const bool done = ::statx(fd_, out.name.data(), AT_SYMLINK_NOFOLLOW | AT_NO_AUTOMOUNT, statMask, &x) == 0;
    out.error = done ? 0 : errno;
    if (done) {
      fillStat(out.stat, x);
      if (onlyOwn_ && x.stx_uid != UserRights::mine().user()) out.stat.foreign = true;
      if (mount_ != nullptr) out.stat.mountId = mount_->asOthersSeeIt(out.stat.mountId);
      return;
    }
    // The room was used before; of this entry only what the listing says is known.
    EntryStat known;
    known.kind = out.stat.kind;
    known.inode = out.stat.inode;
    out.stat = known;
  }

  /// One thread lists one folder after another; the room for entries is made once.
  static std::vector<ScannedEntry>& room() {
    static thread_local std::vector<ScannedEntry> entries(few);
    return entries;
  }

  int fd_;
  const ReadingMount* mount_;
  std::vector<ScannedEntry>& batch_;
  std::size_t count_ = 0;  ///< entries of the batch in use
  bool onlyOwn_ = false;   ///< nobody removes what belongs to others
  bool slow_ = false;      ///< the first few took long
  bool timed_ = false;     ///< they have been timed
};

Result<void> asResult(int code, std::string_view operation, std::string_view name) {
  if (code == 0) return {};
  return failErrno(operation, PathBytes(name), errno);
}

}  // namespace

Result<FolderPtr> LinuxFileSystem::openRoot(const PathBytes& path) {
  // The last part may be a link that the user named on purpose; it is resolved once, here, and never again.
  return openKeepingTimes(path, nullptr,
                          [&](int flags) { return ::open(path.c_str(), flags & ~O_NOFOLLOW); });
}

Result<FolderPtr> LinuxFileSystem::openToRead(const PathBytes& path) {
  return mayKeepAllTimes() ? openRoot(path) : openWithoutTrace(path);
}

Result<FolderPtr> LinuxFileSystem::openWithoutTrace(const PathBytes& path) {
  auto opened = openRoot(path);
  if (!opened) return opened;
  const auto at = openedPath(fdOf(**opened));
  if (!at) return opened;
  const ReadingMountPtr mount = readingMount(fdOf(**opened), *at);
  const int from = mount->copy < 0 ? fdOf(**opened) : mount->copy;
  auto quiet = openKeepingTimes(path, mount, [&](int flags) { return ::openat(from, ".", flags); });
  return quiet ? quiet : opened;
}

namespace {

std::optional<std::uint64_t> mountIdOf(int fd) {
  struct statx x;
  if (::statx(fd, "", AT_EMPTY_PATH | AT_NO_AUTOMOUNT, STATX_MNT_ID, &x) != 0) return std::nullopt;
  return x.stx_mnt_id;
}

/// Down one folder, never through a link. With `sameMount` what is mounted there is refused.
Result<FolderPtr> stepInto(const Folder& at, const char* name, bool sameMount) {
  auto opened =
      openKeepingTimes(name, mountOf(at), [&](int flags) { return ::openat(fdOf(at), name, flags); });
  if (!opened || !sameMount) return opened;
  const auto here = mountIdOf(fdOf(at));
  if (!here || here != mountIdOf(fdOf(**opened))) return fail(Errc::otherDevice, "open", name);
  return opened;
}

Result<FolderPtr> openStepByStep(const Folder& root, std::string_view relative, bool sameMount) {
  auto at = stepInto(root, ".", false);
  for (const auto part : splitPath(relative)) {
    const CName name(part);
    if (!at) return at;
    if (!name.valid()) return fail(Errc::outsideRoot, "open", PathBytes(relative));
    at = stepInto(**at, name.get(), sameMount);
  }
  return at;
}

}  // namespace

namespace {
/// A folder beneath one that must be read in pieces, through its piece; nullptr where it needs none.
FolderPtr fromItsPiece(LinuxFileSystem& files, const Folder& at, const Result<FolderPtr>& direct) {
  const auto& mount = mountOf(at);
  if (mount == nullptr || mount->quiet || !direct || (*direct)->keepsAccessTime()) return nullptr;
  const auto path = openedPath(fdOf(**direct));
  const ReadingMountPtr piece = path ? mount->pieceOf(*path) : nullptr;
  if (piece == nullptr) return nullptr;
  const LinuxFolder top(::fcntl(piece->copy, F_DUPFD_CLOEXEC, 0), true, piece);
  const auto read =
      files.openBeneath(top, path->size() > piece->at.size() ? path->substr(piece->at.size() + 1) : "");
  const auto same = files.stat(**direct, {});
  const auto now = read ? files.stat(**read, {}) : Result<EntryStat>(tl::unexpected(read.error()));
  return same && now && same->inode == now->inode && same->device == now->device ? *read : nullptr;
}
}  // namespace

Result<FolderPtr> LinuxFileSystem::openFolder(const Folder& at, std::string_view name) {
  auto direct = openFolderDirectly(at, name);
  const FolderPtr piece = fromItsPiece(*this, at, direct);
  return piece ? piece : std::move(direct);
}

Result<FolderPtr> LinuxFileSystem::openFolderDirectly(const Folder& at, std::string_view name) {
  const CName cname(name);
  if (!cname.valid()) return fail(Errc::outsideRoot, "open", PathBytes(name));
  if (opening_ == Opening::stepByStep) return openStepByStep(at, name, true);
  auto opened = openKeepingTimes(name, mountOf(at), [&](int flags) {
    return openat2Beneath(fdOf(at), cname.get(), flags, beneathOnly | RESOLVE_NO_XDEV);
  });
  // O_DIRECTORY|O_NOFOLLOW says ELOOP or ENOTDIR for a link; both mean that it is no folder.
  if (!opened && opened.error().sysErrno == ELOOP) opened.error().code = Errc::notAFolder;
  return opened;
}

namespace {
Result<FolderPtr> openDown(const Folder& root, std::string_view relative, std::uint64_t resolve) {
  if (relative.find('\0') != std::string_view::npos)
    return fail(Errc::outsideRoot, "open", PathBytes(relative));
  if (!relative.empty() && relative.front() == '/')
    return fail(Errc::outsideRoot, "open", PathBytes(relative));
  for (const auto part : splitPath(relative))
    if (part == "..") return fail(Errc::outsideRoot, "open", PathBytes(relative));
  constexpr std::size_t stepLength =
      3000;  // PATH_MAX is 4096; deeper paths go in several steps, each from a handle
  FolderPtr at;
  std::string_view rest = relative;
  do {
    std::string_view step = rest;
    if (step.size() > stepLength) {
      const auto slash = step.rfind('/', stepLength);
      if (slash == std::string_view::npos) return fail(Errc::notThere, "open", PathBytes(relative));
      step = step.substr(0, slash);
    }
    rest.remove_prefix(std::min(rest.size(), step.size() + 1));
    const std::string text = step.empty() ? "." : std::string(step);
    const int base = at ? fdOf(*at) : fdOf(root);
    auto next = openKeepingTimes(relative, mountOf(root), [&](int flags) {
      return openat2Beneath(base, text.c_str(), flags, resolve);
    });
    if (!next) return next;
    at = std::move(*next);
  } while (!rest.empty());
  return at;
}
}  // namespace

Result<FolderPtr> LinuxFileSystem::openBeneath(const Folder& root, std::string_view relative) {
  auto direct = openBeneathDirectly(root, relative);
  const FolderPtr piece = fromItsPiece(*this, root, direct);
  return piece ? piece : std::move(direct);
}

Result<FolderPtr> LinuxFileSystem::openBeneathDirectly(const Folder& root, std::string_view relative) {
  if (opening_ == Opening::stepByStep) {
    if (relative.starts_with('/')) return fail(Errc::outsideRoot, "open", PathBytes(relative));
    return openStepByStep(root, relative, true);
  }
  return openDown(root, relative, beneathOnly | RESOLVE_NO_XDEV);
}

Result<FolderPtr> LinuxFileSystem::openNoLinks(const Folder& at, std::string_view relative) {
  if (opening_ == Opening::stepByStep) return openStepByStep(at, relative, false);
  return openDown(at, relative, beneathOnly);
}

Result<EntryStat> LinuxFileSystem::stat(const Folder& at, std::string_view name) {
  const CName cname(name);
  if (!cname.valid()) return fail(Errc::outsideRoot, "stat", PathBytes(name));
  struct statx x;
  const int flags = AT_SYMLINK_NOFOLLOW | AT_NO_AUTOMOUNT | (name.empty() ? AT_EMPTY_PATH : 0);
  if (::statx(fdOf(at), cname.get(), flags, statMask, &x) != 0)
    return failErrno("stat", PathBytes(name), errno);
  EntryStat s;
  fillStat(s, x);
  if (const auto& mount = mountOf(at)) s.mountId = mount->asOthersSeeIt(s.mountId);
  return s;
}

Result<void> LinuxFileSystem::scan(const Folder& at, ScanSink& sink) {
  constexpr std::size_t bufferSize =
      std::size_t{32} * 1024;  // with the stats beside it, it stays in the cache
  thread_local std::unique_ptr<char[]> buffer(new char[bufferSize]);
  const int fd = fdOf(at);
  StatBatch batch(at);
  if (static_cast<const LinuxFolder&>(at).listedBefore() && ::lseek(fd, 0, SEEK_SET) != 0)
    return failErrno("list", {}, errno);
  for (;;) {
    const long size = ::syscall(SYS_getdents64, fd, buffer.get(), bufferSize);
    if (size == 0) return {};
    if (size < 0) return failErrno("list", {}, errno);
    if (const auto self = StatBatch::self(buffer.get(), static_cast<std::size_t>(size))) sink.folder(self);
    if (!batch.read(buffer.get(), static_cast<std::size_t>(size), sink)) return {};
  }
}

Result<SpaceUsage> LinuxFileSystem::usage(const Folder& at) {
  struct statvfs v;
  const auto& mount = mountOf(at);  // a copy is read-only, the drive need not be
  const int fd = mount != nullptr && mount->original >= 0 ? mount->original : fdOf(at);
  if (::fstatvfs(fd, &v) != 0) return failErrno("usage", {}, errno);
  SpaceUsage u;
  u.capacity = v.f_blocks * v.f_frsize;
  u.block = std::max<Bytes>(512, v.f_frsize);
  u.free = v.f_bfree * v.f_frsize;
  u.available = v.f_bavail * v.f_frsize;
  u.rise = counterRise(fd, v);
  u.inodes = v.f_files;
  u.inodesFree = v.f_ffree;
  u.readOnly = (v.f_flag & ST_RDONLY) != 0;
  struct statfs kind;
  u.holesGive = ::fstatfs(fd, &kind) != 0 || static_cast<std::uint64_t>(kind.f_type) != BTRFS_SUPER_MAGIC;
  return u;
}

Result<void> LinuxFileSystem::makeFolder(const Folder& at, std::string_view name, std::uint32_t mode) {
  const CName cname(name);
  if (!cname.valid() || name.empty()) return fail(Errc::outsideRoot, "make-folder", PathBytes(name));
  return asResult(::mkdirat(fdOf(at), cname.get(), mode), "make-folder", name);
}

namespace {
/// For file systems that cannot rename without replacing (most of FUSE). A file gets its new name first,
/// which fails where that is taken, and loses the old one then: cut short in between it has both. A folder is
/// renamed where nothing is; at worst that replaces an empty folder which came there meanwhile.
Result<void> renameByLink(int from, const char* name, int to, const char* newName, std::string_view said) {
  struct stat found {};
  if (::fstatat(from, name, &found, AT_SYMLINK_NOFOLLOW) != 0) return asResult(-1, "rename", said);
  if (S_ISDIR(found.st_mode)) {
    struct stat there {};
    if (::fstatat(to, newName, &there, AT_SYMLINK_NOFOLLOW) == 0)
      return fail(Errc::taken, "rename", PathBytes(said));
    return asResult(::renameat(from, name, to, newName), "rename", said);
  }
  if (::linkat(from, name, to, newName, 0) != 0) return asResult(-1, "rename", said);
  return asResult(::unlinkat(from, name, 0), "rename", said);
}
}  // namespace

Result<void> LinuxFileSystem::rename(const Folder& from, std::string_view name, const Folder& to,
                                     std::string_view newName) {
  const CName a(name);
  const CName b(newName);
  if (!a.valid() || !b.valid() || name.empty() || newName.empty())
    return fail(Errc::outsideRoot, "rename", PathBytes(name));
  if (::renameat2(fdOf(from), a.get(), fdOf(to), b.get(), RENAME_NOREPLACE) == 0) return {};
  if (errno != EINVAL && errno != ENOSYS) return asResult(-1, "rename", name);
  return renameByLink(fdOf(from), a.get(), fdOf(to), b.get(), name);
}

Result<void> LinuxFileSystem::unlink(const Folder& at, std::string_view name) {
  const CName cname(name);
  if (!cname.valid() || name.empty()) return fail(Errc::outsideRoot, "unlink", PathBytes(name));
  return asResult(::unlinkat(fdOf(at), cname.get(), 0), "unlink", name);
}

Result<void> LinuxFileSystem::removeFolder(const Folder& at, std::string_view name) {
  const CName cname(name);
  if (!cname.valid() || name.empty()) return fail(Errc::outsideRoot, "remove-folder", PathBytes(name));
  return asResult(::unlinkat(fdOf(at), cname.get(), AT_REMOVEDIR), "remove-folder", name);
}

Result<void> LinuxFileSystem::appendFile(const Folder& at, std::string_view name, std::string_view bytes) {
  const CName cname(name);
  if (!cname.valid() || name.empty()) return fail(Errc::outsideRoot, "append", PathBytes(name));
  const int flags = O_WRONLY | O_APPEND | O_CREAT | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK;
  const int fd = ::openat(fdOf(at), cname.get(), flags, 0600);
  if (fd < 0) return failErrno("append", PathBytes(name), errno);
  const LinuxFolder closer(fd, true);
  struct stat st;
  if (::fstat(fd, &st) != 0) return failErrno("append", PathBytes(name), errno);
  if (!S_ISREG(st.st_mode) || st.st_nlink != 1) return fail(Errc::notAFile, "append", PathBytes(name));
  while (!bytes.empty()) {
    const ssize_t written = ::write(fd, bytes.data(), bytes.size());
    if (written < 0 && errno == EINTR) continue;
    if (written < 0) return failErrno("append", PathBytes(name), errno);
    bytes.remove_prefix(static_cast<std::size_t>(written));
  }
  return asResult(::fdatasync(fd), "append", name);
}

Result<void> LinuxFileSystem::syncFolder(const Folder& at) {
  return asResult(::fsync(fdOf(at)), "sync", {});
}

Result<void> LinuxFileSystem::syncAll(const Folder& at) {
  return asResult(::syncfs(fdOf(at)), "sync", {});
}

}  // namespace zt
