// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/exclusive.h"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <cerrno>

#include "core/os/paths.h"

namespace zt {

Result<std::shared_ptr<void>> takeLock(const PathBytes& file) {
  if (auto made = makeFolders(PathBytes(parentPath(file))); !made) return tl::unexpected(made.error());
  const int fd = ::open(file.c_str(), O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0600);
  if (fd < 0) return failErrno("lock", file, errno);
  if (::flock(fd, LOCK_EX | LOCK_NB) != 0) {
    const int why = errno;
    ::close(fd);
    return why == EWOULDBLOCK ? Result<std::shared_ptr<void>>(fail(Errc::busy, "lock", file))
                              : failErrno("lock", file, why);
  }
  return std::shared_ptr<void>(nullptr, [fd](void*) { ::close(fd); });
}

}  // namespace zt
