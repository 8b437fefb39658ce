// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/images/disk_image.h"
#include "core/images/guests/guest_volume.h"
#include "core/images/partitions.h"

namespace zt {

namespace {

/// A machine's disk has parts, or one file system that machines write to. What is only read (installers,
/// packed programs) is none, though it may carry a partition table for machines that start from it.
Result<bool> isDisk(DiskBytes& file, const std::stop_token& stop) {
  const auto named = readNamed(file, stop);
  if (named && (named->system == "iso9660" || named->system == "squashfs")) return false;
  const auto parts = readPartitions(file);
  if (parts) return true;
  if (parts.error().code != Errc::notOurs) return tl::unexpected(parts.error());
  const auto volume = lookAtVolume(file, stop);
  if (!volume) {
    const bool torn = volume.error().code == Errc::corrupt;
    return torn ? Result<bool>(false) : tl::unexpected(volume.error());
  }
  return volume->used.has_value();
}

}  // namespace

Result<DiskImage> readRaw(DiskBytes& file, const std::stop_token& stop) {
  const auto disk = isDisk(file, stop);
  if (!disk) return tl::unexpected(disk.error());
  if (!*disk) return fail(Errc::notOurs, "image");
  DiskImage image;
  image.format = "raw";
  image.guestLength = file.length();
  if (auto added = RunList(image).addStored(file, file.length(), stop); !added)
    return tl::unexpected(added.error());
  return image;
}

}  // namespace zt
