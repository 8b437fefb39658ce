// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <vector>

#include "core/base/bytes.h"

namespace zt {

/// What a mounted Btrfs says of its devices and of the kinds of room that it made of them; bytes. Asked
/// without rights (BTRFS_IOC_FS_INFO, _DEV_INFO and _SPACE_INFO, linux/btrfs.h). Any thread.
struct BtrfsSpace {
  enum class Kind : std::uint8_t { data, records, system, reserve };
  Kind kind = Kind::records;
  unsigned copies = 1;  ///< how often each byte is written
  Bytes total = 0, used = 0;
};
/// `folder` is open on any folder of it. Empty where it cannot be asked.
std::vector<BtrfsSpace> btrfsSpaces(int folder);

/// All devices together, and what no room was made of. Nothing where one of them is missing.
struct BtrfsRoom {
  Bytes total = 0, unallocated = 0;
};
std::optional<BtrfsRoom> btrfsRoom(int folder);

}  // namespace zt
