// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/fs_overhead.h"

#include <fcntl.h>
#include <linux/btrfs.h>
#include <linux/btrfs_tree.h>
#include <linux/fsmap.h>
#include <sys/ioctl.h>
#include <sys/statvfs.h>
#include <unistd.h>
#include <xfs/xfs.h>

#include <cstring>
#include <optional>
#include <vector>

namespace zt {

namespace {

class Opened {
public:
  explicit Opened(const PathBytes& path)
      : fd_(::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC | O_NOATIME)) {
    if (fd_ < 0) fd_ = ::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  }
  ~Opened() {
    if (fd_ >= 0) ::close(fd_);
  }
  Opened(const Opened&) = delete;
  Opened& operator=(const Opened&) = delete;
  int fd() const { return fd_; }

private:
  int fd_;
};

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

Bytes xfsOverhead(int fd) {
  xfs_fsop_geom geometry{};
  struct statvfs v {};
  if (::ioctl(fd, XFS_IOC_FSGEOMETRY, &geometry) != 0 || ::fstatvfs(fd, &v) != 0) return 0;
  Bytes inodeBytes = 0;
  for (std::uint32_t ag = 0; ag < geometry.agcount; ++ag) {
    xfs_ag_geometry group{};
    group.ag_number = ag;
    if (::ioctl(fd, XFS_IOC_AG_GEOMETRY, &group) != 0) return 0;
    inodeBytes += Bytes{group.ag_icount} * geometry.inodesize;
  }
  const auto mapped = freeInMap(fd);
  const Bytes free = v.f_bfree * v.f_frsize;
  if (!mapped || *mapped < free) return 0;
  return *mapped - free + inodeBytes;
}

/// How often a block group profile writes each byte.
Bytes copies(std::uint64_t flags) {
  if ((flags & BTRFS_BLOCK_GROUP_RAID1C4) != 0) return 4;
  if ((flags & BTRFS_BLOCK_GROUP_RAID1C3) != 0) return 3;
  const auto two = BTRFS_BLOCK_GROUP_DUP | BTRFS_BLOCK_GROUP_RAID1 | BTRFS_BLOCK_GROUP_RAID10;
  return (flags & two) != 0 ? 2 : 1;
}

Bytes btrfsOverhead(int fd) {
  constexpr std::uint64_t slots = 64;
  std::vector<std::uint64_t> memory(
      (sizeof(btrfs_ioctl_space_args) + slots * sizeof(btrfs_ioctl_space_info)) / 8 + 1, 0);
  auto* args = reinterpret_cast<btrfs_ioctl_space_args*>(memory.data());
  args->space_slots = slots;
  if (::ioctl(fd, BTRFS_IOC_SPACE_INFO, args) != 0) return 0;
  Bytes sum = 0;
  for (std::uint64_t i = 0; i < std::min<std::uint64_t>(args->total_spaces, slots); ++i) {
    const btrfs_ioctl_space_info& space = args->spaces[i];
    if ((space.flags & BTRFS_SPACE_INFO_GLOBAL_RSV) != 0)
      sum += space.total_bytes;
    else if ((space.flags & BTRFS_BLOCK_GROUP_DATA) == 0)
      sum += space.used_bytes * copies(space.flags);
  }
  return sum;
}

}  // namespace

Bytes fileSystemOverhead(std::string_view fsType, const PathBytes& mountTarget) {
  if (fsType != "xfs" && fsType != "btrfs") return 0;
  const Opened top(mountTarget);
  if (top.fd() < 0) return 0;
  return fsType == "xfs" ? xfsOverhead(top.fd()) : btrfsOverhead(top.fd());
}

}  // namespace zt
