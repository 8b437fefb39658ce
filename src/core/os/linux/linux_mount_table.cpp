// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/linux/linux_mount_table.h"

#include <blkid/blkid.h>
#include <fcntl.h>
#include <libmount/libmount.h>
#include <libudev.h>
#include <linux/magic.h>
#include <sys/stat.h>
#include <sys/statfs.h>
#include <sys/statvfs.h>
#include <sys/sysmacros.h>
#include <unistd.h>

#include <algorithm>
#include <climits>
#include <cstdlib>
#include <fstream>
#include <memory>

namespace zt {

namespace {

struct TableFree {
  void operator()(libmnt_table* t) const { mnt_unref_table(t); }
};
struct IterFree {
  void operator()(libmnt_iter* i) const { mnt_free_iter(i); }
};

std::string text(const char* s) {
  return s == nullptr ? std::string{} : std::string(s);
}

Mount toMount(libmnt_fs* fs) {
  Mount m;
  m.id = static_cast<std::uint64_t>(mnt_fs_get_id(fs));
  const dev_t device = mnt_fs_get_devno(fs);
  m.device = (std::uint64_t{major(device)} << 32) | minor(device);
  m.source = text(mnt_fs_get_source(fs));
  m.root = text(mnt_fs_get_root(fs));
  m.target = text(mnt_fs_get_target(fs));
  m.fsType = text(mnt_fs_get_fstype(fs));
  m.options = text(mnt_fs_get_options(fs));
  m.readOnly = ("," + m.options + ",").find(",ro,") != std::string::npos;
  m.pseudo =
      mnt_fs_is_pseudofs(fs) != 0 || m.fsType == "tmpfs" || m.fsType == "ramfs" || m.fsType == "overlay";
  m.network = mnt_fs_is_netfs(fs) != 0;
  return m;
}

/// The first word of a small sysfs file; empty if it cannot be read.
std::string firstWord(const std::string& path) {
  std::ifstream in(path);
  std::string word;
  in >> word;
  return word;
}

void readHardware(const std::string& sysfs, dev_t device, DeviceFacts& facts) {
  const std::string node =
      sysfs + "/dev/block/" + std::to_string(major(device)) + ":" + std::to_string(minor(device));
  char resolved[PATH_MAX];
  if (::realpath(node.c_str(), resolved) == nullptr) return;
  std::string folder = resolved;
  // A partition has its disk's queue one level up.
  if (::access((folder + "/queue").c_str(), F_OK) != 0) folder = folder.substr(0, folder.rfind('/'));
  const std::string rotating = firstWord(folder + "/queue/rotational");
  facts.known = !rotating.empty();
  facts.rotating = rotating == "1";
  facts.removable = firstWord(folder + "/removable") == "1";
  // A loop device is the file behind it.
  std::ifstream behind(std::string(resolved) + "/loop/backing_file");
  if (std::string file; std::getline(behind, file)) facts.hardware = "file:" + file;
}

/// Number of the block device that a mount comes from. Subvolumes have numbers of their own, so the source is
/// asked.
dev_t deviceNumber(const Mount& mount) {
  struct stat st {};
  if (mount.source.rfind("/dev/", 0) == 0 && ::stat(mount.source.c_str(), &st) == 0 && S_ISBLK(st.st_mode))
    return st.st_rdev;
  return makedev(static_cast<unsigned>(mount.device >> 32),
                 static_cast<unsigned>(mount.device & 0xFFFFFFFFu));
}

/// What the device manager has noted when the device came; needs no rights to the device.
void readNotes(dev_t number, DeviceFacts& facts) {
  struct Release {
    void operator()(udev* u) const { udev_unref(u); }
    void operator()(udev_device* d) const { udev_device_unref(d); }
  };
  const std::unique_ptr<udev, Release> context(udev_new());
  if (!context) return;
  const std::unique_ptr<udev_device, Release> device(udev_device_new_from_devnum(context.get(), 'b', number));
  if (!device) return;
  const auto note = [&](const char* key) { return text(udev_device_get_property_value(device.get(), key)); };
  // Bytes that are not plain letters are kept as \xNN by the device manager.
  facts.label = unescapePath(note("ID_FS_LABEL_ENC"));
  facts.uuid = note("ID_FS_UUID");
  facts.fsType = note("ID_FS_TYPE");
  facts.partitionType = note("ID_PART_ENTRY_TYPE");
  facts.model = unescapePath(note("ID_MODEL_ENC"));
  if (const std::string serial = note("ID_SERIAL"); !serial.empty())
    facts.hardware = serial + ":" + note("ID_PART_ENTRY_NUMBER");
  while (!facts.model.empty() && facts.model.back() == ' ') facts.model.pop_back();
}

/// The header itself, where the device manager knows nothing and the device may be read.
void readHeader(const PathBytes& source, DeviceFacts& facts) {
  if (source.rfind("/dev/", 0) != 0) return;
  blkid_probe probe = blkid_new_probe_from_filename(source.c_str());
  if (probe == nullptr) return;
  blkid_probe_enable_superblocks(probe, 1);
  blkid_probe_set_superblocks_flags(probe, BLKID_SUBLKS_LABEL | BLKID_SUBLKS_UUID | BLKID_SUBLKS_TYPE);
  blkid_probe_enable_partitions(probe, 1);
  blkid_probe_set_partitions_flags(probe, BLKID_PARTS_ENTRY_DETAILS);
  const auto value = [&](const char* key) {
    const char* data = nullptr;
    return blkid_probe_lookup_value(probe, key, &data, nullptr) == 0 ? text(data) : std::string{};
  };
  if (blkid_do_safeprobe(probe) == 0) {
    facts.label = value("LABEL");
    facts.uuid = value("UUID");
    facts.fsType = value("TYPE");
    facts.partitionType = value("PART_ENTRY_TYPE");
  }
  blkid_free_probe(probe);
}

/// Of a process whose root is a folder of some mount (chroot) the kernel does not list that mount: it is
/// known by asking the root itself. Which folder of its file system it is nobody says.
Mount unlistedRoot() {
  static constexpr std::pair<long, const char*> types[] = {
      {EXT4_SUPER_MAGIC, "ext4"}, {XFS_SUPER_MAGIC, "xfs"},    {BTRFS_SUPER_MAGIC, "btrfs"},
      {TMPFS_MAGIC, "tmpfs"},     {MSDOS_SUPER_MAGIC, "vfat"}, {OVERLAYFS_SUPER_MAGIC, "overlay"}};
  Mount m;
  m.target = "/";
  m.root = "/?";
  struct stat st {};
  if (::stat("/", &st) == 0) m.device = (std::uint64_t{major(st.st_dev)} << 32) | minor(st.st_dev);
  struct statx x {};
  if (::statx(AT_FDCWD, "/", 0, STATX_MNT_ID, &x) == 0 && (x.stx_mask & STATX_MNT_ID) != 0)
    m.id = x.stx_mnt_id;
  struct statfs fs {};
  if (::statfs("/", &fs) == 0) {
    m.readOnly = (fs.f_flags & ST_RDONLY) != 0;
    for (const auto& [magic, name] : types)
      if (fs.f_type == magic) m.fsType = name;
  }
  m.pseudo = m.fsType == "tmpfs" || m.fsType == "overlay";
  return m;
}

}  // namespace

Result<std::vector<Mount>> LinuxMountTable::mounts() {
  const std::unique_ptr<libmnt_table, TableFree> table(mnt_new_table());
  if (!table || mnt_table_parse_file(table.get(), mountInfo_.c_str()) != 0)
    return failErrno("mount-table", mountInfo_, errno == 0 ? EIO : errno);
  const std::unique_ptr<libmnt_iter, IterFree> iter(mnt_new_iter(MNT_ITER_FORWARD));
  std::vector<Mount> all;
  libmnt_fs* fs = nullptr;
  while (mnt_table_next_fs(table.get(), iter.get(), &fs) == 0) all.push_back(toMount(fs));
  const auto isRoot = [](const Mount& m) { return m.target == "/"; };
  if (mountInfo_ == ownTable && std::none_of(all.begin(), all.end(), isRoot)) all.push_back(unlistedRoot());
  return all;
}

DeviceFacts LinuxMountTable::facts(const Mount& mount) {
  DeviceFacts facts;
  readHardware(sysfs_, deviceNumber(mount), facts);
  if (mount.network || mount.pseudo) return facts;
  readNotes(deviceNumber(mount), facts);
  if (facts.uuid.empty()) readHeader(mount.source, facts);
  return facts;
}

}  // namespace zt
