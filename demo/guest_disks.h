// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "core/base/bytes.h"

namespace zt::demo {

/// Bytes at places of a file; the rest of it is never written.
using Pieces = std::vector<std::pair<Bytes, std::string>>;

/// A guest's disk with one partition of ext4, of which the first bytes are in use: tables and counts only.
Pieces rawDisk(Bytes length, Bytes used);

/// The same in a qcow2 file of version 3: its first clusters have room in the file, `idle` bytes of which at
/// the end belong to nobody. `fileLength` is a multiple of 64 KiB.
Pieces qcow2Disk(Bytes fileLength, Bytes guestLength, Bytes used, Bytes idle);

}  // namespace zt::demo
