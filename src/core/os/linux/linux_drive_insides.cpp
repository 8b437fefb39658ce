// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/linux/linux_drive_insides.h"

#include <fcntl.h>
#include <linux/btrfs.h>
#include <linux/btrfs_tree.h>
#include <linux/fsmap.h>
#include <linux/mount.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <sys/syscall.h>
#include <sys/sysmacros.h>
#include <unistd.h>
#include <xfs/xfs.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fstream>
#include <optional>

#include "core/os/btrfs/btrfs_room.h"
#include "core/os/btrfs/linux_btrfs.h"
#include "core/os/linux/counter_rise.h"
#include "core/os/linux/linux_folder.h"
#include "core/os/ntfs_record.h"

namespace zt {

namespace {

/// The top of a mount, opened for asking. fd −1 if it cannot be.
LinuxFolder openTop(const PathBytes& path) {
  int fd = ::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC | O_NOATIME);
  if (fd < 0) fd = ::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  return {fd, true};
}

/// All free extents of the file system's map, in bytes.
std::optional<Bytes> freeInMap(int fd) {
  constexpr std::uint32_t room = 1024;
  std::vector<std::uint64_t> memory((sizeof(fsmap_head) + room * sizeof(fsmap)) / sizeof(std::uint64_t) + 1,
                                    0);
  auto* head = reinterpret_cast<fsmap_head*>(memory.data());
  head->fmh_count = room;
  head->fmh_keys[1].fmr_device = ~0u;
  head->fmh_keys[1].fmr_flags = ~0u;
  head->fmh_keys[1].fmr_physical = head->fmh_keys[1].fmr_owner = head->fmh_keys[1].fmr_offset = ~0ull;
  Bytes free = 0;
  for (;;) {
    if (::ioctl(fd, FS_IOC_GETFSMAP, head) != 0) return std::nullopt;
    if (head->fmh_entries == 0) return free;
    const fsmap* last = nullptr;
    for (std::uint32_t i = 0; i < head->fmh_entries; ++i) {
      last = &head->fmh_recs[i];
      const bool special = (last->fmr_flags & FMR_OF_SPECIAL_OWNER) != 0;
      if (special && last->fmr_owner == FMR_OWN_FREE) free += last->fmr_length;
    }
    if ((last->fmr_flags & FMR_OF_LAST) != 0) return free;
    head->fmh_keys[0] = *last;
  }
}

/// Blocks that every allocation group of XFS has from its making on: its headers, and the roots of its trees.
Bytes xfsFixedBlocks(const xfs_fsop_geom& g) {
  const Bytes headerBlocks = (4 * Bytes{g.sectsize} + g.blocksize - 1) / g.blocksize;
  Bytes roots = 3;  // free space by place and by size, inodes
  roots += (g.flags & XFS_FSOP_GEOM_FLAGS_FINOBT) != 0;
  roots += (g.flags & XFS_FSOP_GEOM_FLAGS_RMAPBT) != 0;
  roots += (g.flags & XFS_FSOP_GEOM_FLAGS_REFLINK) != 0;
  return Bytes{g.agcount} * (headerBlocks + roots) * g.blocksize;
}

void addXfs(int fd, Overhead& o) {
  xfs_fsop_geom geometry{};
  struct statvfs v {};
  if (::ioctl(fd, XFS_IOC_FSGEOMETRY, &geometry) != 0 || ::fstatvfs(fd, &v) != 0) return;
  Bytes inodeBytes = 0;
  for (std::uint32_t ag = 0; ag < geometry.agcount; ++ag) {
    xfs_ag_geometry group{};
    group.ag_number = ag;
    if (::ioctl(fd, XFS_IOC_AG_GEOMETRY, &group) != 0) return;
    inodeBytes += Bytes{group.ag_icount} * geometry.inodesize;
  }
  const auto mapped = freeInMap(fd);
  const Bytes free = v.f_bfree * v.f_frsize;
  if (!mapped || *mapped < free) return;
  o.known = true;
  o.parts = {{"pool", *mapped - free}, {"inode-chunks", inodeBytes}, {"headers", xfsFixedBlocks(geometry)}};
}

void addBtrfs(int fd, Overhead& o) {
  Bytes reserve = 0, metadata = 0, system = 0;
  const auto spaces = btrfsSpaces(fd);
  for (const BtrfsSpace& s : spaces) {
    if (s.kind == BtrfsSpace::Kind::reserve) reserve += s.total;
    if (s.kind == BtrfsSpace::Kind::system) system += s.used * s.copies;
    if (s.kind == BtrfsSpace::Kind::records) metadata += s.used * s.copies;
  }
  if (spaces.empty()) return;
  o.known = true;
  // The counters divide all by the copies that files have.
  struct statvfs v {};
  const Bytes of = ::fstatvfs(fd, &v) == 0 ? counterRise(fd, v).of : 1;
  o.parts = {{"metadata", metadata / of}, {"system-blocks", system / of}, {"global-reserve", reserve}};
}

/// Size of the device that holds the open folder; 0 where there is none (tmpfs, network, Btrfs subvolumes).
Bytes deviceBytes(int fd) {
  struct stat st {};
  if (::fstat(fd, &st) != 0) return 0;
  std::ifstream in("/sys/dev/block/" + std::to_string(major(st.st_dev)) + ":" +
                   std::to_string(minor(st.st_dev)) + "/size");
  Bytes sectors = 0;
  in >> sectors;
  return sectors * 512;
}

}  // namespace

Overhead LinuxDriveInsides::overhead(std::string_view fsType, const PathBytes& mountTarget) {
  Overhead o;
  const LinuxFolder top = openTop(mountTarget);
  if (top.fd() < 0) return o;
  o.deviceBytes = deviceBytes(top.fd());
  if (fsType == "xfs") addXfs(top.fd(), o);
  if (fsType == "btrfs") addBtrfs(top.fd(), o);
  // Their capacity figure leaves their own structures out already.
  if (fsType.starts_with("ext") || fsType == "vfat" || fsType == "tmpfs") o.known = true;
  return o;
}

Result<StoredSizes> LinuxDriveInsides::storedSizes(std::string_view fsType, const PathBytes& mountTarget,
                                                   const std::stop_token& stop) {
  if (fsType != "btrfs") return fail(Errc::unsupported, "extents", mountTarget);
  const LinuxFolder top = openTop(mountTarget);
  if (top.fd() < 0) return failErrno("extents", mountTarget, errno);
  return readMountedBtrfs(top.fd(), stop);
}

Result<std::vector<Subvolume>> LinuxDriveInsides::visible(std::string_view fsType,
                                                          const PathBytes& mountTarget) {
  if (fsType != "btrfs") return fail(Errc::unsupported, "points", mountTarget);
  const LinuxFolder top = openTop(mountTarget);
  if (top.fd() < 0) return failErrno("points", mountTarget, errno);
  return visibleSubvolumes(top.fd());
}

Result<std::uint64_t> LinuxDriveInsides::treeOf(const Folder& folder) {
  btrfs_ioctl_ino_lookup_args args{};
  args.objectid = BTRFS_FIRST_FREE_OBJECTID;
  if (::ioctl(static_cast<const LinuxFolder&>(folder).fd(), BTRFS_IOC_INO_LOOKUP, &args) != 0)
    return failErrno("subvolume", {}, errno);
  return std::uint64_t{args.treeid};
}

Result<bool> LinuxDriveInsides::leftOpen(std::string_view fsType, const PathBytes& source,
                                         std::string_view options) {
  if (fsType == "ntfs3") return ("," + std::string(options) + ",").find(",force,") != std::string::npos;
  if (fsType != "fuseblk" && fsType != "ntfs" && fsType != "ntfs-3g")
    return fail(Errc::unsupported, "volume", source);
  const LinuxFolder device(::open(source.c_str(), O_RDONLY | O_CLOEXEC), true);
  if (device.fd() < 0) return failErrno("volume", source, errno);
  const auto left = ntfsLeftOpen([&](Bytes at, Bytes size) -> Result<std::string> {
    std::string bytes(size, 0);
    const auto got = ::pread(device.fd(), bytes.data(), bytes.size(), static_cast<off_t>(at));
    if (got != static_cast<ssize_t>(size)) return failErrno("volume", source, got < 0 ? errno : EIO);
    return bytes;
  });
  // Other drivers in user space mount other kinds by the same name.
  if (!left && left.error().code == Errc::notOurs) return fail(Errc::unsupported, "volume", source);
  return left;
}

Result<DriveInsides::Uncovered> LinuxDriveInsides::uncovered(const PathBytes& folder) {
  const auto copy = static_cast<int>(::syscall(SYS_open_tree, AT_FDCWD, folder.c_str(),
                                               OPEN_TREE_CLONE | OPEN_TREE_CLOEXEC | AT_NO_AUTOMOUNT));
  if (copy < 0) return failErrno("uncover", folder, errno);
  const LinuxFolder holder(copy, true);
  const int fd = ::openat(copy, ".", O_RDONLY | O_DIRECTORY | O_CLOEXEC | O_NOATIME);
  if (fd < 0) return failErrno("uncover", folder, errno);
  return Uncovered{files_, std::make_shared<LinuxFolder>(fd, true)};
}

}  // namespace zt
