// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/btrfs/btrfs_room.h"

#include <linux/btrfs.h>
#include <linux/btrfs_tree.h>
#include <sys/ioctl.h>

#include <algorithm>

namespace zt {

namespace {

unsigned copiesOf(std::uint64_t profile) {
  if ((profile & BTRFS_BLOCK_GROUP_RAID1C4) != 0) return 4;
  if ((profile & BTRFS_BLOCK_GROUP_RAID1C3) != 0) return 3;
  constexpr std::uint64_t two = BTRFS_BLOCK_GROUP_DUP | BTRFS_BLOCK_GROUP_RAID1 | BTRFS_BLOCK_GROUP_RAID10;
  return (profile & two) != 0 ? 2 : 1;
}

BtrfsSpace::Kind kindOf(std::uint64_t flags) {
  if ((flags & BTRFS_SPACE_INFO_GLOBAL_RSV) != 0) return BtrfsSpace::Kind::reserve;
  if ((flags & BTRFS_BLOCK_GROUP_SYSTEM) != 0) return BtrfsSpace::Kind::system;
  return (flags & BTRFS_BLOCK_GROUP_DATA) != 0 ? BtrfsSpace::Kind::data : BtrfsSpace::Kind::records;
}

}  // namespace

std::vector<BtrfsSpace> btrfsSpaces(int folder) {
  constexpr std::uint64_t most = 64;
  std::vector<std::uint64_t> memory(
      (sizeof(btrfs_ioctl_space_args) + most * sizeof(btrfs_ioctl_space_info)) / 8 + 1);
  auto* const asked = reinterpret_cast<btrfs_ioctl_space_args*>(memory.data());
  asked->space_slots = most;
  std::vector<BtrfsSpace> all;
  if (::ioctl(folder, BTRFS_IOC_SPACE_INFO, asked) != 0) return all;
  for (std::uint64_t i = 0; i < std::min(most, std::uint64_t{asked->total_spaces}); ++i) {
    const btrfs_ioctl_space_info& s = asked->spaces[i];
    all.push_back({kindOf(s.flags), copiesOf(s.flags), s.total_bytes, s.used_bytes});
  }
  return all;
}

std::optional<BtrfsRoom> btrfsRoom(int folder) {
  constexpr std::uint64_t mostNumbers = 4096;  // a drive may have any, and all are tried
  struct btrfs_ioctl_fs_info_args info {};
  if (::ioctl(folder, BTRFS_IOC_FS_INFO, &info) != 0) return std::nullopt;
  BtrfsRoom all;
  std::uint64_t seen = 0;
  for (std::uint64_t id = 1;
       id <= std::min<std::uint64_t>(info.max_id, mostNumbers) && seen < info.num_devices; ++id) {
    struct btrfs_ioctl_dev_info_args device {};
    device.devid = id;
    if (::ioctl(folder, BTRFS_IOC_DEV_INFO, &device) != 0) continue;
    ++seen;
    all.total += device.total_bytes;
    all.unallocated += device.total_bytes - std::min<Bytes>(device.total_bytes, device.bytes_used);
  }
  return seen == info.num_devices ? std::optional(all) : std::nullopt;
}

}  // namespace zt
