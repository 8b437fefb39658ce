// SPDX-License-Identifier: GPL-3.0-or-later
// What makes and changes files.
#include <linux/fs.h>
#include <sys/ioctl.h>
#include <sys/xattr.h>

#include <array>

#include <cerrno>

#include "core/os/linux/linux_calls.h"
#include "core/os/linux/linux_file_system.h"
#include "core/os/linux/linux_opened_file.h"

namespace zt {

namespace {

class LinuxMadeFile final : public MadeFile {
public:
  explicit LinuxMadeFile(int fd) : fd_(fd) {}
  ~LinuxMadeFile() override { ::close(fd_); }
  LinuxMadeFile(const LinuxMadeFile&) = delete;
  LinuxMadeFile& operator=(const LinuxMadeFile&) = delete;

  Result<EntryStat> stat() override { return statOf(fd_); }

  Result<void> write(Bytes offset, std::span<const char> bytes) override {
    for (std::size_t done = 0; done < bytes.size();) {
      const ssize_t put =
          ::pwrite(fd_, bytes.data() + done, bytes.size() - done, static_cast<off_t>(offset + done));
      if (put < 0 && errno == EINTR) continue;
      if (put < 0) return failErrno("write", {}, errno);
      // No error and no progress: it would be asked for ever.
      if (put == 0) return failErrno("write", {}, ENOSPC);
      done += static_cast<std::size_t>(put);
    }
    return {};
  }

  Result<Bytes> copy(OpenedFile& from, Stretch what) override {
    Bytes done = 0;
    // A decorated file has no descriptor to give.
    if (const auto* source = dynamic_cast<LinuxOpenedFile*>(&from.reader())) {
      while (done < what.to - what.from) {
        off_t in = static_cast<off_t>(what.from + done);
        off_t out = in;
        const ssize_t got = ::copy_file_range(source->fd(), &in, fd_, &out, what.to - what.from - done, 0);
        if (got < 0 && errno == EINTR) continue;
        if (got < 0 && isNoWay(errno)) break;
        if (got < 0) return failErrno("copy", {}, errno);
        if (got == 0) break;
        done += static_cast<Bytes>(got);
      }
    }
    // What the kernel did not copy (another kind of file system, a file of /proc, the end) is read and
    // written.
    return what.from + done < what.to ? copyByHand(from, {what.from + done, what.to}, done)
                                      : Result<Bytes>(done);
  }

  Result<Bytes> shareWith(OpenedFile& other, Stretch what) override {
    const auto* source = dynamic_cast<LinuxOpenedFile*>(&other.reader());
    if (source == nullptr) return fail(Errc::unsupported, "share");
    // One range behind the head, as linux/fs.h has it.
    std::array<std::uint64_t, (sizeof(file_dedupe_range) + sizeof(file_dedupe_range_info) + 7) / 8> room{};
    auto* ask = reinterpret_cast<file_dedupe_range*>(room.data());
    ask->src_offset = what.from;
    ask->src_length = what.to - what.from;
    ask->dest_count = 1;
    ask->info[0].dest_fd = fd_;
    ask->info[0].dest_offset = what.from;
    if (::ioctl(source->fd(), FIDEDUPERANGE, ask) != 0) return failErrno("share", {}, errno);
    if (ask->info[0].status == FILE_DEDUPE_RANGE_DIFFERS) return fail(Errc::changed, "share");
    if (ask->info[0].status < 0) return failErrno("share", {}, -ask->info[0].status);
    return ask->info[0].bytes_deduped;
  }

  Result<void> storeLike(OpenedFile& other) override {
    const auto* source = dynamic_cast<LinuxOpenedFile*>(&other.reader());
    int has = 0, now = 0;
    if (source == nullptr || ::ioctl(source->fd(), FS_IOC_GETFLAGS, &has) != 0 || (has & FS_NOCOW_FL) == 0 ||
        ::ioctl(fd_, FS_IOC_GETFLAGS, &now) != 0 || (now & FS_NOCOW_FL) != 0)
      return {};
    now |= FS_NOCOW_FL;
    return ::ioctl(fd_, FS_IOC_SETFLAGS, &now) == 0 ? Result<void>{} : failErrno("store", {}, errno);
  }

  Result<void> punch(Stretch what) override {
    if (what.empty()) return {};
    const int done = ::fallocate(fd_, FALLOC_FL_PUNCH_HOLE | FALLOC_FL_KEEP_SIZE,
                                 static_cast<off_t>(what.from), static_cast<off_t>(what.to - what.from));
    return done == 0 ? Result<void>{} : failErrno("punch", {}, errno);
  }

  Result<void> setLength(Bytes length) override {
    return ::ftruncate(fd_, static_cast<off_t>(length)) == 0 ? Result<void>{}
                                                             : failErrno("length", {}, errno);
  }

  Result<void> sync() override { return ::fsync(fd_) == 0 ? Result<void>{} : failErrno("sync", {}, errno); }

  Result<void> lock() override {
    struct flock all {};
    all.l_type = F_WRLCK;
    if (::fcntl(fd_, F_OFD_SETLK, &all) == 0) return {};
    return errno == EAGAIN || errno == EACCES ? fail(Errc::inUse, "lock") : Result<void>{};
  }

private:
  static bool isNoWay(int why) {
    return why == EXDEV || why == EINVAL || why == ENOSYS || why == EOPNOTSUPP || why == EBADF ||
           why == ETXTBSY;
  }

  Result<Bytes> copyByHand(OpenedFile& from, Stretch what, Bytes done) {
    std::vector<char> block(std::size_t{1} << 20);
    for (Bytes at = what.from; at < what.to;) {
      const auto want = static_cast<std::size_t>(std::min<Bytes>(block.size(), what.to - at));
      const auto got = from.read(at, std::span(block).first(want));
      if (!got) return tl::unexpected(got.error());
      if (*got == 0) break;
      if (auto put = write(at, std::span<const char>(block).first(*got)); !put)
        return tl::unexpected(put.error());
      at += *got;
      done += *got;
    }
    return done;
  }

  int fd_;
};

/// An entry by a handle that opens nothing, for calls that know no AT_SYMLINK_NOFOLLOW.
class Handle {
public:
  Handle(const Folder& at, const CName& name, bool self)
      : fd_(self ? ::openat(fdOf(at), ".", O_PATH | O_CLOEXEC)
                 : ::openat(fdOf(at), name.get(), O_PATH | O_NOFOLLOW | O_CLOEXEC)),
        why_(errno),
        way_("/proc/self/fd/" + std::to_string(fd_)) {}
  ~Handle() {
    if (fd_ >= 0) ::close(fd_);
  }
  Handle(const Handle&) = delete;
  Handle& operator=(const Handle&) = delete;
  bool open() const { return fd_ >= 0; }
  int why() const { return why_; }
  const char* way() const { return way_.c_str(); }
  bool isSymlink() const {
    struct stat st {};
    return ::fstat(fd_, &st) == 0 && S_ISLNK(st.st_mode);
  }

private:
  int fd_;
  int why_;
  std::string way_;
};

/// Does `call` with an entry that is reached by no link; `name` may be empty for the folder itself.
template <class Call>
Result<void> withEntry(const Folder& at, std::string_view name, std::string_view operation, Call call) {
  const CName cname(name);
  if (!cname.valid()) return fail(Errc::outsideRoot, operation, PathBytes(name));
  const Handle entry(at, cname, name.empty());
  if (!entry.open()) return failErrno(operation, PathBytes(name), entry.why());
  if (call(entry) == 0) return {};
  if (errno == ENODATA) return fail(Errc::notThere, operation, PathBytes(name));
  return failErrno(operation, PathBytes(name), errno);
}

timespec asTimespec(TimeNs time) {
  auto seconds = time / nsPerSecond;
  auto rest = time % nsPerSecond;
  if (rest < 0) rest += nsPerSecond, --seconds;  // before 1970
  timespec t{};
  t.tv_sec = seconds;
  t.tv_nsec = rest;
  return t;
}

}  // namespace

Result<MadeFilePtr> LinuxFileSystem::createFile(const Folder& at, std::string_view name, std::uint32_t mode) {
  const CName cname(name);
  if (!cname.valid() || name.empty()) return fail(Errc::outsideRoot, "create", PathBytes(name));
  // Until its rights are as asked for, whatever mask this process has, nobody else gets at it.
  const int fd =
      ::openat(fdOf(at), cname.get(), O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, mode & 0700u);
  if (fd < 0) return failErrno("create", PathBytes(name), errno);
  auto file = std::make_unique<LinuxMadeFile>(fd);
  if (::fchmod(fd, mode & 07777u) != 0 && errno != EPERM && errno != EOPNOTSUPP)
    return failErrno("create", PathBytes(name), errno);
  return MadeFilePtr(std::move(file));
}

Result<MadeFilePtr> LinuxFileSystem::openToChange(const Folder& at, std::string_view name) {
  const CName cname(name);
  if (!cname.valid() || name.empty()) return fail(Errc::outsideRoot, "open", PathBytes(name));
  // Without O_NONBLOCK a pipe that somebody put there would be waited at.
  const int fd = ::openat(fdOf(at), cname.get(), O_RDWR | O_NOFOLLOW | O_CLOEXEC | O_NONBLOCK);
  if (fd < 0 && (errno == EISDIR || errno == ELOOP)) return fail(Errc::notAFile, "open", PathBytes(name));
  if (fd < 0) return failErrno("open", PathBytes(name), errno);
  auto file = std::make_unique<LinuxMadeFile>(fd);
  const auto now = file->stat();
  if (!now) return tl::unexpected(now.error());
  if (now->kind != EntryKind::file) return fail(Errc::notAFile, "open", PathBytes(name));
  return MadeFilePtr(std::move(file));
}

Result<void> LinuxFileSystem::link(const Folder& from, std::string_view name, const Folder& to,
                                   std::string_view newName) {
  const CName a(name);
  const CName b(newName);
  if (!a.valid() || !b.valid() || name.empty() || newName.empty())
    return fail(Errc::outsideRoot, "link", PathBytes(name));
  if (::linkat(fdOf(from), a.get(), fdOf(to), b.get(), 0) == 0) return {};
  // EPERM is what file systems say that know one name a file only, too.
  return failErrno("link", PathBytes(name), errno);
}

Result<void> LinuxFileSystem::makeSymlink(const Folder& at, std::string_view name, const PathBytes& target) {
  const CName cname(name);
  if (!cname.valid() || name.empty() || target.empty() || target.find('\0') != PathBytes::npos)
    return fail(Errc::outsideRoot, "symlink", PathBytes(name));
  if (::symlinkat(target.c_str(), fdOf(at), cname.get()) == 0) return {};
  return failErrno("symlink", PathBytes(name), errno);
}

Result<void> LinuxFileSystem::setTimes(const Folder& at, std::string_view name, TimeNs accessed,
                                       TimeNs modified) {
  const CName cname(name);
  if (!cname.valid()) return fail(Errc::outsideRoot, "times", PathBytes(name));
  const std::array times{asTimespec(accessed), asTimespec(modified)};
  const int done = name.empty() ? ::futimens(fdOf(at), times.data())
                                : ::utimensat(fdOf(at), cname.get(), times.data(), AT_SYMLINK_NOFOLLOW);
  return done == 0 ? Result<void>{} : failErrno("times", PathBytes(name), errno);
}

Result<void> LinuxFileSystem::setOwner(const Folder& at, std::string_view name, std::uint32_t owner,
                                       std::uint32_t group) {
  const CName cname(name);
  if (!cname.valid()) return fail(Errc::outsideRoot, "owner", PathBytes(name));
  const int flags = AT_SYMLINK_NOFOLLOW | (name.empty() ? AT_EMPTY_PATH : 0);
  if (::fchownat(fdOf(at), cname.get(), owner, group, flags) == 0) return {};
  return failErrno("owner", PathBytes(name), errno);
}

Result<void> LinuxFileSystem::setMode(const Folder& at, std::string_view name, std::uint32_t mode) {
  return withEntry(at, name, "mode", [&](const Handle& entry) {
    if (entry.isSymlink()) return errno = EOPNOTSUPP, -1;
    return ::chmod(entry.way(), mode & 07777u);
  });
}

Result<void> LinuxFileSystem::setAttribute(const Folder& at, std::string_view name, const std::string& key,
                                           const std::optional<std::string>& value) {
  return withEntry(at, name, "attribute", [&](const Handle& entry) {
    return value ? ::setxattr(entry.way(), key.c_str(), value->data(), value->size(), 0)
                 : ::removexattr(entry.way(), key.c_str());
  });
}

Result<std::vector<std::string>> LinuxFileSystem::attributes(const Folder& at, std::string_view name) {
  std::vector<std::string> all;
  auto listed = withEntry(at, name, "attribute", [&](const Handle& entry) {
    std::string names(65536, '\0');
    const ssize_t size = ::listxattr(entry.way(), names.data(), names.size());
    for (std::size_t from = 0; size > 0 && from < static_cast<std::size_t>(size);) {
      all.emplace_back(names.c_str() + from);
      from += all.back().size() + 1;
    }
    return size < 0 ? -1 : 0;
  });
  if (!listed) return tl::unexpected(listed.error());
  return all;
}

Result<void> LinuxFileSystem::rewriteFile(const Folder& at, std::string_view name, std::string_view expected,
                                          std::string_view bytes) {
  const auto now = readFile(at, name, std::size_t{1} << 20);
  if (!now) return tl::unexpected(now.error());
  if (*now != expected) return fail(Errc::changed, "rewrite", PathBytes(name));
  const auto was = stat(at, name);
  if (!was) return tl::unexpected(was.error());
  const PathBytes aside = ".zip-tally-new-" + std::to_string(::getpid());
  auto made = createFile(at, aside, 0600);
  if (!made) return tl::unexpected(made.error());
  const auto fill = [&]() -> Result<void> {
    if (auto done = (*made)->write(0, bytes); !done) return done;
    if (auto done = setOwner(at, aside, was->owner, was->group); !done) return done;
    if (auto done = setMode(at, aside, was->mode); !done) return done;
    const auto keys = attributes(at, name);
    for (const std::string& key : keys ? *keys : std::vector<std::string>{})
      if (const auto value = attribute(at, name, key))
        if (auto done = setAttribute(at, aside, key, *value); !done) return done;
    if (auto done = (*made)->sync(); !done) return done;
    const CName from(aside), to(name);
    if (::renameat(fdOf(at), from.get(), fdOf(at), to.get()) != 0)
      return failErrno("rewrite", PathBytes(name), errno);
    return syncFolder(at);
  };
  auto done = fill();
  if (!done) (void)unlink(at, aside);
  return done;
}

}  // namespace zt
