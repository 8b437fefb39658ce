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
#include "core/os/linux_folder.h"

namespace zt {

namespace {

Result<std::shared_ptr<LinuxFolder>> openBtrfs(const PathBytes& path) {
  const int fd = ::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC | O_NOFOLLOW);
  if (fd < 0) return failErrno("points", path, errno);
  auto folder = std::make_shared<LinuxFolder>(fd, true);
  struct statfs about {};
  if (::fstatfs(fd, &about) != 0 || about.f_type != BTRFS_SUPER_MAGIC)
    return fail(Errc::unsupported, "points", path);
  return folder;
}

bool same(const Subvolume& a, const Subvolume& b) {
  return a.id == b.id && a.uuid == b.uuid && a.made == b.made;
}

}  // namespace

Result<std::vector<Subvolume>> LinuxSnapshots::list(const PathBytes& mountTarget) {
  const auto top = openBtrfs(mountTarget);
  if (!top) return tl::unexpected(top.error());
  auto roots = searchBtrfsRoots((*top)->fd());
  if (!roots) return tl::unexpected(roots.error());
  findPlaces((*top)->fd(), *roots);
  return std::move(roots->subvolumes);
}

Result<void> LinuxSnapshots::drop(const PathBytes& mountTarget, const Subvolume& meant) {
  const auto top = openBtrfs(mountTarget);
  if (!top) return tl::unexpected(top.error());
  const auto all = list(mountTarget);
  if (!all) return tl::unexpected(all.error());
  const auto is = std::find_if(all->begin(), all->end(),
                               [&](const Subvolume& s) { return s.id == meant.id && !s.going; });
  if (is == all->end()) return fail(Errc::notThere, "drop", meant.path);
  if (!same(*is, meant) || !is->isPoint()) return fail(Errc::changed, "drop", meant.path);
  if (is->mounted) return fail(Errc::inUse, "drop", meant.path, "mounted");
  const bool holds =
      std::any_of(all->begin(), all->end(), [&](const Subvolume& s) { return s.parent == is->id; });
  if (is->isDefault || holds) return fail(Errc::bedrock, "drop", meant.path);
  btrfs_ioctl_vol_args_v2 args{};
  args.flags = BTRFS_SUBVOL_SPEC_BY_ID;
  args.subvolid = is->id;
  if (::ioctl((*top)->fd(), BTRFS_IOC_SNAP_DESTROY_V2, &args) != 0)
    return failErrno("drop", meant.path, errno);
  return {};
}

Result<std::size_t> LinuxSnapshots::cleaning(const PathBytes& mountTarget) {
  const auto top = openBtrfs(mountTarget);
  if (!top) return tl::unexpected(top.error());
  // Wakes what cleans up, too.
  (void)::ioctl((*top)->fd(), BTRFS_IOC_SYNC);
  const auto roots = searchBtrfsRoots((*top)->fd());
  if (!roots) return tl::unexpected(roots.error());
  return static_cast<std::size_t>(std::count_if(roots->subvolumes.begin(), roots->subvolumes.end(),
                                                [](const Subvolume& s) { return s.going; }));
}

}  // namespace zt
