// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/images/disk_bytes.h"

namespace zt {

/// What a disk is parted into.
struct Partitions {
  std::string table;  ///< "mbr", "gpt"
  std::vector<Stretch> parts;
};

/// Reads a partition table: GPT (UEFI specification 2.10, chapter 5), else MBR with its chain of extended
/// ones. Fails with notOurs where there is none that makes sense: every part must lie on the disk, and none
/// over another. At most 256 parts.
Result<Partitions> readPartitions(DiskBytes& disk);

}  // namespace zt
