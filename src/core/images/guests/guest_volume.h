// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <stop_token>

#include "core/images/disk_bytes.h"

namespace zt {

/// What lies in one partition of a guest, or on its whole disk.
struct GuestVolume {
  std::string system;  ///< "ext4", "xfs", "btrfs", "ntfs", "fat32", "exfat", "swap", "lvm"…; empty: unknown
  Stretch on;          ///< of the guest's disk
  std::optional<Bytes> used;  ///< as its own file system counts; nothing where that cannot be told
  std::vector<Stretch> free;  ///< in order, from the volume's beginning; empty where only the sum is told
  bool unclean = false;       ///< was not unmounted as it should be: its counts may be behind
};

/// Tells what lies in a volume and how much of it is in use, from its own records and without its system.
/// A volume that nobody knows has no name. Fails as reading does, and with corrupt for records that
/// contradict themselves.
Result<GuestVolume> lookAtVolume(DiskBytes& volume, const std::stop_token& stop);

// Each fails with notOurs for what is not of its kind.
/// ext2, ext3, ext4 by the kernel's documentation (filesystems/ext4).
Result<GuestVolume> readExt(DiskBytes& volume, const std::stop_token& stop);
/// XFS by "XFS Algorithms & Data Structures", versions 4 and 5: the free space of every allocation group.
Result<GuestVolume> readXfs(DiskBytes& volume, const std::stop_token& stop);
/// Btrfs by its on-disk format documentation: what no chunk has taken is free.
Result<GuestVolume> readBtrfs(DiskBytes& volume, const std::stop_token& stop);
/// NTFS: the file `$Bitmap`, by the records documented by the Linux-NTFS project.
Result<GuestVolume> readNtfs(DiskBytes& volume, const std::stop_token& stop);
/// FAT12, FAT16, FAT32 by the Microsoft FAT specification.
Result<GuestVolume> readFat(DiskBytes& volume, const std::stop_token& stop);
/// exFAT by the Microsoft exFAT specification: its allocation bitmap.
Result<GuestVolume> readExfat(DiskBytes& volume, const std::stop_token& stop);
/// What is only named: swap, LVM, encrypted volumes, file systems of other families, read-only ones.
Result<GuestVolume> readNamed(DiskBytes& volume, const std::stop_token& stop);

/// Takes bits, lowest first, one a unit of a volume; what is not set is free.
class FreeBits {
public:
  /// Units stand from `first` on.
  FreeBits(GuestVolume& volume, Bytes first, Bytes unit) : volume_(volume), at_(first), unit_(unit) {}
  void take(std::string_view bytes, Bytes units);
  void allFree(Bytes units);
  Bytes freeUnits() const { return free_; }

private:
  GuestVolume& volume_;
  Bytes at_;
  Bytes unit_;
  Bytes free_ = 0;
};

}  // namespace zt
