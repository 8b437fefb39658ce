// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/btrfs/linux_snapshots.h"

#include <fcntl.h>
#include <linux/btrfs.h>
#include <linux/magic.h>
#include <sys/ioctl.h>
#include <sys/vfs.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>

#include "core/os/btrfs/btrfs_search.h"
#include "core/os/btrfs/linux_btrfs.h"
#include "core/os/linux/linux_folder.h"

namespace zt {

namespace {

int fdOf(const FolderPtr& folder) {
  return static_cast<const LinuxFolder&>(*folder).fd();
}

}  // namespace

Result<FolderPtr> LinuxSnapshots::open(const PathBytes& mountTarget) const {
  FolderPtr folder = top_;
  if (!folder) {
    const int fd = ::open(mountTarget.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC | O_NOFOLLOW);
    if (fd < 0) return failErrno("points", mountTarget, errno);
    folder = std::make_shared<LinuxFolder>(fd, true);
  }
  struct statfs about {};
  if (::fstatfs(fdOf(folder), &about) != 0 || about.f_type != BTRFS_SUPER_MAGIC)
    return fail(Errc::unsupported, "points", mountTarget);
  return folder;
}

Result<std::vector<Subvolume>> LinuxSnapshots::list(const PathBytes& mountTarget) {
  const auto top = open(mountTarget);
  if (!top) return tl::unexpected(top.error());
  auto roots = searchBtrfsRoots(fdOf(*top));
  if (!roots && roots.error().code == Errc::notPermitted) return visibleSubvolumes(fdOf(*top));
  if (!roots) return tl::unexpected(roots.error());
  findPlaces(fdOf(*top), *roots);
  return std::move(roots->subvolumes);
}

Result<void> LinuxSnapshots::begin(const PathBytes& mountTarget, const DropOrder&) {
  const auto left = cleaning(mountTarget);
  return left ? Result<void>{} : Result<void>(tl::unexpected(left.error()));
}

Result<void> LinuxSnapshots::drop(const PathBytes& mountTarget, const Subvolume& meant) {
  const auto top = open(mountTarget);
  if (!top) return tl::unexpected(top.error());
  auto roots = searchBtrfsRoots(fdOf(*top));
  if (!roots) return tl::unexpected(roots.error());
  findPlaces(fdOf(*top), *roots);
  if (auto may = checkDrop(roots->subvolumes, meant); !may) return may;
  btrfs_ioctl_vol_args_v2 args{};
  args.flags = BTRFS_SUBVOL_SPEC_BY_ID;
  args.subvolid = meant.id;
  if (::ioctl(fdOf(*top), BTRFS_IOC_SNAP_DESTROY_V2, &args) != 0) return failErrno("drop", meant.path, errno);
  return {};
}

Result<std::size_t> LinuxSnapshots::cleaning(const PathBytes& mountTarget) {
  const auto top = open(mountTarget);
  if (!top) return tl::unexpected(top.error());
  // Wakes what cleans up, too.
  (void)::ioctl(fdOf(*top), BTRFS_IOC_SYNC);
  const auto roots = searchBtrfsRoots(fdOf(*top));
  if (!roots) return tl::unexpected(roots.error());
  return static_cast<std::size_t>(std::count_if(roots->subvolumes.begin(), roots->subvolumes.end(),
                                                [](const Subvolume& s) { return s.going; }));
}

}  // namespace zt
