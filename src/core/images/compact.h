// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <functional>
#include <stop_token>

#include "core/images/disk_image.h"

namespace zt {

/// What is left out when an image is made compact, and who is told.
struct Compacting {
  std::vector<Stretch> leave;  ///< of the guest's disk, in order: what the guest has free, and may be lost
  std::stop_token stop;
  std::function<void(Bytes)> went;  ///< guest bytes gone through; may be empty
};

/// Calls `each` with every 4 KiB that are not all zeros, and where they begin: the others become holes of a
/// file that is written.
template <class Each>
void throughGrains(std::span<const char> bytes, const Each& each) {
  constexpr std::size_t grain = 4096;
  for (std::size_t at = 0; at < bytes.size(); at += grain)
    if (const auto part = bytes.subspan(at, std::min(grain, bytes.size() - at)); !allZeros(part))
      each(at, part);
}

/// Gives the runs of zeros of a raw image back, and what may be left out, in blocks of `unit`. Fails with
/// cancelled; what was given back until then reads as it did.
Result<void> punchZeros(DiskBytes& image, MadeFile& file, Bytes unit, const Compacting& how);

/// How many bytes a new image of a guest's disk takes at most.
Result<Bytes> neededFor(DiskBytes& disk, const Compacting& how);

/// Writes a guest's disk as a qcow2 image, version 3, without compression, clusters of 64 KiB; clusters of
/// zeros and what may be left out take no room, zeros in others are holes. Format: docs/interop/qcow2.txt of
/// QEMU.
Result<void> writeQcow2(DiskBytes& disk, MadeFile& out, const Compacting& how);

/// How many bytes a file takes that is written as it is, with holes for zeros and for what may be left out of
/// it (`leave` in the file's own offsets), and its writing.
Result<Bytes> neededAsItIs(DiskBytes& file, const Compacting& how);
Result<void> writeAsItIs(DiskBytes& file, MadeFile& out, const Compacting& how);

/// Whether a file is an image as `writeQcow2` makes them, of a disk of `guest` bytes, down to the last bit of
/// all that is not the guest's: header, tables, and counts that have every cluster used once.
Result<bool> isWholeQcow2(DiskBytes& file, Bytes guest);

/// Whether a disk reads as another, block by block; where something may be left out, as that or as zeros.
/// Gives the offset of the first difference.
Result<std::optional<Bytes>> firstDifference(DiskBytes& was, DiskBytes& is, const Compacting& how);

}  // namespace zt
