// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/linux/counter_rise.h"

#include <fcntl.h>
#include <linux/fs.h>
#include <linux/magic.h>
#include <linux/quota.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <sys/sysmacros.h>
#include <sys/vfs.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <fstream>
#include <string>

#include "core/os/btrfs/btrfs_room.h"

namespace zt {

namespace {

std::optional<std::string> nameOf(dev_t device) {
  std::ifstream facts("/sys/dev/block/" + std::to_string(major(device)) + ":" +
                      std::to_string(minor(device)) + "/uevent");
  for (std::string line; std::getline(facts, line);)
    if (line.starts_with("DEVNAME=")) return line.substr(8);
  return std::nullopt;
}

class Ext4SuperBlock {
public:
  static std::optional<Ext4SuperBlock> read(const std::string& device) {
    Ext4SuperBlock block;
    const int fd = ::open(("/dev/" + device).c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW);
    if (fd < 0) return std::nullopt;
    const auto got = ::pread(fd, block.bytes_.data(), block.bytes_.size(), 1024);
    ::close(fd);
    const bool whole = got == static_cast<ssize_t>(block.bytes_.size()) &&
                       block.u16(0x38) == EXT4_SUPER_MAGIC && block.u32(0x18) <= 6 && block.u32(0x1c) <= 20;
    return whole ? std::optional(block) : std::nullopt;
  }
  Bytes blockSize() const { return Bytes{1024} << u32(0x18); }
  Bytes clusterSize() const {
    constexpr std::uint32_t bigalloc = 0x200;  // of the features that only writers must know
    return (u32(0x64) & bigalloc) != 0 ? Bytes{1024} << u32(0x1c) : blockSize();
  }
  Bytes reserved() const {
    constexpr std::uint32_t wide = 0x80;  // of the features that everybody must know
    const Bytes high = (u32(0x60) & wide) != 0 ? u32(0x154) : 0;
    return ((high << 32) + u32(0x08)) * blockSize();
  }

private:
  std::uint32_t u16(std::size_t at) const { return bytes_[at] | std::uint32_t{bytes_[at + 1]} << 8; }
  std::uint32_t u32(std::size_t at) const { return u16(at) | u16(at + 2) << 16; }
  std::array<std::uint8_t, 1024> bytes_{};
};

std::optional<Bytes> keptByExt4(int folder) {
  struct stat st {};
  if (::fstat(folder, &st) != 0) return std::nullopt;
  const auto device = nameOf(st.st_dev);
  const auto block = device ? Ext4SuperBlock::read(*device) : std::nullopt;
  if (!block) return std::nullopt;
  std::ifstream clusters("/sys/fs/ext4/" + device->substr(device->rfind('/') + 1) + "/reserved_clusters");
  Bytes own = 0;
  if (!(clusters >> own)) own = 0;
  return block->reserved() + own * block->clusterSize();
}

/// The project whose quota the counters of a folder are of; 0 if of none.
std::uint32_t projectOf(int folder) {
  struct fsxattr facts {};
  if (::ioctl(folder, FS_IOC_FSGETXATTR, &facts) != 0) return 0;
  return (facts.fsx_xflags & FS_XFLAG_PROJINHERIT) != 0 ? facts.fsx_projid : 0;
}

std::optional<Bytes> beyondQuota(int folder, std::uint32_t project) {
  constexpr Bytes unit = 1024;                                         // of limits; what is used is in bytes
  constexpr unsigned ask = (unsigned{Q_GETQUOTA} << SUBCMDSHIFT) | 2;  // of projects
  struct if_dqblk quota {};
  if (::syscall(SYS_quotactl_fd, folder, ask, project, &quota) != 0) return std::nullopt;
  const Bytes limit = (quota.dqb_bsoftlimit != 0 ? quota.dqb_bsoftlimit : quota.dqb_bhardlimit) * unit;
  return limit == 0 || quota.dqb_curspace <= limit ? 0 : quota.dqb_curspace - limit;
}

CounterRise riseOnBtrfs(int folder, const struct statvfs& counters) {
  constexpr Bytes twoChunks = Bytes{128} << 20, atWork = Bytes{16} << 20;
  const Bytes free = counters.f_bfree * counters.f_frsize, available = counters.f_bavail * counters.f_frsize;
  const auto devices = btrfsRoom(folder);
  Bytes spare = 0, reserve = 0;
  unsigned least = 0, most = 0;  // how often files are stored
  for (const BtrfsSpace& s : btrfsSpaces(folder)) {
    if (s.kind == BtrfsSpace::Kind::reserve) reserve += s.total;
    if (s.kind == BtrfsSpace::Kind::records) spare += s.total - std::min(s.total, s.used);
    if (s.kind != BtrfsSpace::Kind::data) continue;
    least = least == 0 ? s.copies : std::min(least, s.copies);
    most = std::max(most, s.copies);
  }
  CounterRise rise;
  const bool known = devices && least > 0;
  if (known) {
    // The capacity is that of the devices, divided by the copies that the counters are of.
    const Bytes capacity = counters.f_blocks * counters.f_frsize;
    rise.of = static_cast<unsigned>(std::clamp<Bytes>((devices->total + capacity / 2) / capacity, 1, 16));
    rise.least = least;
    rise.most = most;
  }
  const bool tight = !known || (devices->unallocated < twoChunks && spare < reserve + atWork);
  if (!tight && (available > 0 || free == 0)) return rise;
  rise.refill = std::nullopt;
  rise.follows = free - std::min(free, available);
  return rise;
}

}  // namespace

CounterRise counterRise(int folder, const struct statvfs& counters) {
  if (counters.f_blocks == 0) return {};
  struct statfs type {};
  if (::fstatfs(folder, &type) != 0) return {std::nullopt};
  if (type.f_type == BTRFS_SUPER_MAGIC) return riseOnBtrfs(folder, counters);
  if (counters.f_bavail > 0) return {};
  const Bytes free = counters.f_bfree * counters.f_frsize;
  if (type.f_type == EXT4_SUPER_MAGIC || type.f_type == XFS_SUPER_MAGIC)
    if (const std::uint32_t project = projectOf(folder); project != 0 && free == 0)
      return {beyondQuota(folder, project)};
  // Others keep nothing back that counts as free.
  if (type.f_type != EXT4_SUPER_MAGIC) return {free == 0 ? std::optional<Bytes>(0) : std::nullopt};
  const auto kept = keptByExt4(folder);
  return {!kept ? std::nullopt : std::optional(*kept > free ? *kept - free : 0)};
}

}  // namespace zt
