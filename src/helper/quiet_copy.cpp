// SPDX-License-Identifier: GPL-3.0-or-later
#include "helper/quiet_copy.h"

#include <fcntl.h>
#include <linux/mount.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <cerrno>

#include "core/os/linux_folder.h"

namespace zt::helper {

Result<FolderPtr> quietCopy(const PathBytes& path) {
  constexpr unsigned treeFlags = OPEN_TREE_CLONE | OPEN_TREE_CLOEXEC | AT_NO_AUTOMOUNT | AT_RECURSIVE;
  const auto copy = static_cast<int>(::syscall(SYS_open_tree, AT_FDCWD, path.c_str(), treeFlags));
  if (copy < 0) return failErrno("copy-mount", path, errno);
  mount_attr attributes{};
  attributes.attr_set = MOUNT_ATTR_RDONLY | MOUNT_ATTR_NOATIME;
  attributes.attr_clr = MOUNT_ATTR__ATIME;
  const long set =
      ::syscall(SYS_mount_setattr, copy, "", AT_EMPTY_PATH | AT_RECURSIVE, &attributes, sizeof attributes);
  const int fd = set == 0 ? ::openat(copy, ".", O_RDONLY | O_DIRECTORY | O_CLOEXEC) : -1;
  if (fd < 0) {
    const int problem = errno;
    ::close(copy);
    return failErrno("copy-mount", path, problem);
  }
  // The copy lives as long as what was opened in it.
  return FolderPtr(new LinuxFolder(fd, true), [copy](const Folder* folder) {
    delete folder;
    ::close(copy);
  });
}

}  // namespace zt::helper
