// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/btrfs/linux_btrfs.h"

#include <btrfsutil.h>
#include <fcntl.h>
#include <linux/btrfs.h>
#include <linux/btrfs_tree.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <fstream>
#include <map>
#include <sstream>

#include "core/os/btrfs/btrfs_forest.h"
#include "core/os/btrfs/btrfs_search.h"

namespace zt {

namespace {

/// A block device, read past the page cache: that may hold what lay there before.
class BlockDevice final : public BtrfsDevice {
public:
  explicit BlockDevice(const char* path) : fd_(::open(path, O_RDONLY | O_CLOEXEC | O_DIRECT | O_NOFOLLOW)) {
    struct stat st {};
    if (fd_ >= 0 && (::fstat(fd_, &st) != 0 || !S_ISBLK(st.st_mode))) ::close(fd_), fd_ = -1;
  }
  ~BlockDevice() override {
    if (fd_ >= 0) ::close(fd_);
  }
  BlockDevice(const BlockDevice&) = delete;
  BlockDevice& operator=(const BlockDevice&) = delete;
  bool there() const { return fd_ >= 0; }

  bool read(Bytes at, std::span<char> into) override {
    while (!into.empty()) {
      const ssize_t got = ::pread(fd_, into.data(), into.size(), static_cast<off_t>(at));
      if (got < 0 && errno == EINTR) continue;
      if (got <= 0) return false;
      at += static_cast<Bytes>(got);
      into = into.subspan(static_cast<std::size_t>(got));
    }
    return true;
  }

private:
  int fd_;
};

/// Those that the file system says it lies on.
class Devices {
public:
  explicit Devices(int fd) {
    btrfs_ioctl_fs_info_args info{};
    if (::ioctl(fd, BTRFS_IOC_FS_INFO, &info) != 0) return;
    constexpr std::uint64_t most = 1024;
    for (std::uint64_t id = 0; id <= std::min<std::uint64_t>(info.max_id, most); ++id) {
      btrfs_ioctl_dev_info_args device{};
      device.devid = id;
      if (::ioctl(fd, BTRFS_IOC_DEV_INFO, &device) != 0 || device.path[0] == 0) continue;
      device.path[sizeof device.path - 1] = 0;
      auto opened = std::make_unique<BlockDevice>(reinterpret_cast<const char*>(device.path));
      if (opened->there()) all_[id] = std::move(opened);
    }
  }
  std::uint64_t first() const { return all_.empty() ? 0 : all_.begin()->first; }
  bool any() const { return !all_.empty(); }
  BtrfsDevice* find(std::uint64_t id) const {
    const auto at = all_.find(id);
    return at == all_.end() ? nullptr : at->second.get();
  }

private:
  std::map<std::uint64_t, std::unique_ptr<BlockDevice>> all_;
};

/// The path of a folder from the top of its subvolume, with a slash behind it unless it is the top.
std::string folderPath(int fd, std::uint64_t tree, std::uint64_t folder) {
  btrfs_ioctl_ino_lookup_args args{};
  args.treeid = tree;
  args.objectid = folder;
  if (::ioctl(fd, BTRFS_IOC_INO_LOOKUP, &args) != 0) return {};
  args.name[sizeof args.name - 1] = 0;
  return args.name;
}

void findPaths(int fd, std::vector<Subvolume>& all) {
  const auto of = [&](std::uint64_t id) {
    return std::find_if(all.begin(), all.end(), [&](const Subvolume& s) { return s.id == id; });
  };
  std::map<std::uint64_t, PathBytes> within;
  for (const Subvolume& s : all)
    if (s.parent != 0) within[s.id] = folderPath(fd, s.parent, s.folder) + s.name;
  constexpr int deepest = 64;
  for (Subvolume& s : all) {
    PathBytes path;
    int depth = 0;
    for (auto up = all.begin() + (&s - all.data()); up != all.end() && up->parent != 0 && depth < deepest;
         up = of(up->parent), ++depth)
      path = joinPath(within[up->id], path);
    s.path = path;
  }
}

/// What the mount table says of the file system that a folder lies in.
struct MountedHere {
  PathBytes root;                                           ///< what is mounted, from its top
  std::vector<std::pair<std::string, std::uint64_t>> seen;  ///< devices and subvolumes, of all mounts
  std::string device;
};

/// All mounts of one file system have the same device number there.
MountedHere mountedHere(int fd) {
  MountedHere here;
  struct statx about {};
  if (::statx(fd, "", AT_EMPTY_PATH, STATX_MNT_ID, &about) != 0 || (about.stx_mask & STATX_MNT_ID) == 0)
    return here;
  std::ifstream table("/proc/self/mountinfo");
  for (std::string line; std::getline(table, line);) {
    std::istringstream words(line);
    std::uint64_t id = 0, parent = 0;
    std::string number, root;
    words >> id >> parent >> number >> root;
    if (id == about.stx_mnt_id) here.device = number, here.root = root.empty() ? root : root.substr(1);
    const auto at = line.rfind("subvolid=");
    if (at != std::string::npos && line.find(" - btrfs ") != std::string::npos)
      here.seen.emplace_back(number, std::strtoull(line.c_str() + at + 9, nullptr, 10));
  }
  return here;
}

void findMounted(const MountedHere& here, std::vector<Subvolume>& all) {
  for (Subvolume& s : all)
    s.mounted =
        std::find(here.seen.begin(), here.seen.end(), std::pair(here.device, s.id)) != here.seen.end();
}

Subvolume subvolumeOf(const struct btrfs_util_subvolume_info& info, PathBytes path) {
  Subvolume s;
  s.id = info.id;
  s.parent = info.parent_id;
  s.folder = info.dir_id;
  s.name = PathBytes(baseName(path));
  s.path = std::move(path);
  const auto digits = [](const std::uint8_t(&uuid)[16]) {
    return uuidDigits({reinterpret_cast<const char*>(uuid), sizeof uuid});
  };
  s.uuid = digits(info.uuid);
  s.parentUuid = digits(info.parent_uuid);
  s.receivedUuid = digits(info.received_uuid);
  s.sent = s.receivedUuid.empty() ? 0 : info.stransid;
  s.made = info.otime.tv_sec * nsPerSecond + info.otime.tv_nsec;
  s.readOnly = (info.flags & BTRFS_ROOT_SUBVOL_RDONLY) != 0;
  s.changed = info.ctransid > info.otransid;
  return s;
}

}  // namespace

void findPlaces(int fd, BtrfsRoots& roots) {
  findPaths(fd, roots.subvolumes);
  findMounted(mountedHere(fd), roots.subvolumes);
}

Result<std::vector<Subvolume>> visibleSubvolumes(int fd) {
  const MountedHere here = mountedHere(fd);
  btrfs_util_subvolume_iterator* opened = nullptr;
  if (btrfs_util_create_subvolume_iterator_fd(fd, 0, 0, &opened) != BTRFS_UTIL_OK)
    return failErrno("points", {}, errno);
  const std::unique_ptr<btrfs_util_subvolume_iterator, void (*)(btrfs_util_subvolume_iterator*)> iterator(
      opened, btrfs_util_destroy_subvolume_iterator);
  std::vector<Subvolume> all;
  for (;;) {
    char* path = nullptr;
    struct btrfs_util_subvolume_info info {};
    const auto got = btrfs_util_subvolume_iterator_next_info(iterator.get(), &path, &info);
    if (got == BTRFS_UTIL_ERROR_STOP_ITERATION) break;
    if (got != BTRFS_UTIL_OK) return failErrno("points", {}, errno);
    all.push_back(subvolumeOf(info, joinPath(here.root, path)));
    std::free(path);
  }
  std::sort(all.begin(), all.end(), [](const Subvolume& a, const Subvolume& b) { return a.id < b.id; });
  findMounted(here, all);
  return all;
}

Result<StoredSizes> readMountedBtrfs(int fd, const std::stop_token& stop) {
  const Devices devices(fd);
  constexpr int tries = 4;
  // While somebody writes, what was to be read may be overwritten: then all is read once more.
  for (int i = 0; i < tries && devices.any(); ++i) {
    BtrfsNodes nodes([&](std::uint64_t id) { return devices.find(id); });
    if (auto begun = nodes.begin(devices.first()); !begun) break;
    auto roots = readBtrfsRoots(nodes, stop);
    if (roots) {
      findPlaces(fd, *roots);
      auto sizes = readBtrfsForest(nodes, *roots, stop);
      if (sizes || sizes.error().code == Errc::cancelled) return sizes;
    }
  }
  auto roots = searchBtrfsRoots(fd);
  if (!roots) return tl::unexpected(roots.error());
  findPlaces(fd, *roots);
  return searchBtrfsTrees(fd, *roots, stop);
}

}  // namespace zt
