// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cerrno>

#include "core/os/linux/linux_calls.h"

namespace zt {

inline Result<EntryStat> statOf(int fd) {
  struct statx x;
  if (::statx(fd, "", AT_EMPTY_PATH, statMask, &x) != 0) return failErrno("stat", {}, errno);
  EntryStat s;
  fillStat(s, x);
  return s;
}

/// A regular file that was opened so that its access time stays; closes its descriptor.
class LinuxOpenedFile final : public OpenedFile {
public:
  explicit LinuxOpenedFile(int fd) : fd_(fd) { (void)::posix_fadvise(fd_, 0, 0, POSIX_FADV_SEQUENTIAL); }
  ~LinuxOpenedFile() override { ::close(fd_); }
  LinuxOpenedFile(const LinuxOpenedFile&) = delete;
  LinuxOpenedFile& operator=(const LinuxOpenedFile&) = delete;
  int fd() const { return fd_; }

  Result<EntryStat> stat() override { return statOf(fd_); }

  Result<std::size_t> read(Bytes offset, std::span<char> into) override {
    std::size_t done = 0;
    while (done < into.size()) {
      const ssize_t got =
          ::pread(fd_, into.data() + done, into.size() - done, static_cast<off_t>(offset + done));
      if (got < 0 && errno == EINTR) continue;
      if (got < 0) return failErrno("read", {}, errno);
      if (got == 0) break;
      done += static_cast<std::size_t>(got);
    }
    return done;
  }

  Result<Stretch> nextData(Bytes offset) override {
    const off_t from = ::lseek(fd_, static_cast<off_t>(offset), SEEK_DATA);
    if (from < 0 && errno == ENXIO) return Stretch{offset, offset};
    if (from < 0) return failErrno("read", {}, errno);
    const off_t to = ::lseek(fd_, from, SEEK_HOLE);
    if (to < 0) return failErrno("read", {}, errno);
    return Stretch{static_cast<Bytes>(from), static_cast<Bytes>(to)};
  }

  void letGo(Stretch read) override {
    (void)::posix_fadvise(fd_, static_cast<off_t>(read.from), static_cast<off_t>(read.to - read.from),
                          POSIX_FADV_DONTNEED);
  }

private:
  int fd_;
};

}  // namespace zt
