// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/linux/limits.h"

#include <malloc.h>
#include <sys/resource.h>

#include <algorithm>

namespace zt {

std::size_t raiseOpenFileLimit() {
  rlimit limit{};
  if (::getrlimit(RLIMIT_NOFILE, &limit) != 0) return 256;
  const rlim_t wanted = std::min<rlim_t>(limit.rlim_max, 65536);
  if (limit.rlim_cur < wanted) {
    limit.rlim_cur = wanted;
    ::setrlimit(RLIMIT_NOFILE, &limit);
    ::getrlimit(RLIMIT_NOFILE, &limit);
  }
  return static_cast<std::size_t>(limit.rlim_cur);
}

void keepLargeBlocksApart() {
  // Setting it keeps the C library from raising it by itself, after which blocks of megabytes would stay on
  // heaps.
  ::mallopt(M_MMAP_THRESHOLD, 128 * 1024);
}

}  // namespace zt
