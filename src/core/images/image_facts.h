// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <atomic>
#include <optional>

#include "core/images/disk_image.h"
#include "core/images/guests/guest_volume.h"

namespace zt {

/// A disk image from outside and from inside. Bytes.
struct ImageFacts {
  std::string format;
  Bytes outside = 0;            ///< what the file occupies
  Bytes guestLength = 0;        ///< how large the guest thinks its disk is
  Bytes allocated = 0;          ///< guest bytes that the file has room for
  std::optional<Bytes> inside;  ///< what the guest's file systems use; nothing where they cannot be read
  /// What making it compact gives back without its guest: room that belongs to nothing, and runs of zeros as
  /// far as they were looked for. Never more than a conversion gives.
  Bytes least = 0;
  Bytes most = 0;  ///< with what the guest has free
  std::vector<GuestVolume> volumes;
  std::string backing;  ///< as written in it
  bool backingRead = false;
  std::uint32_t snapshots = 0;
  bool encrypted = false;
  bool unclean = false;    ///< the image, or a file system in it, was not closed as it should be
  bool zerosRead = false;  ///< all that is stored was read
  bool rewritten = false;  ///< this program itself makes images of its kind compact
  bool lies = false;       ///< where it lies, by holes
};

/// Opens what an image lies upon, by the name that is written in it; nullptr where that cannot be had.
using OpenBelow = std::function<std::unique_ptr<DiskBytes>(const std::string& name)>;

struct ImageOptions {
  Bytes outside = 0;      ///< what the file occupies, as surveyed
  bool readZeros = true;  ///< reads all that is stored
  /// Stretches of the file, in order, for which there is room and into which nothing was ever written.
  std::vector<Stretch> setAside = {};
  OpenBelow below;
  std::stop_token stop;
  std::atomic<Bytes>* read = nullptr;  ///< grows while stored bytes are read
  std::function<void()> turn = {};     ///< called between reads, on the calling thread; may wait
};

/// Looks into an image. Changes nothing. Fails like `readImage`. Any thread.
Result<ImageFacts> lookInto(DiskBytes& file, const ImageOptions& options);
/// The same where the tables have been read.
Result<ImageFacts> lookInto(DiskBytes& file, const DiskImage& image, const ImageOptions& options);

/// Whether a file might be an image, by its first 64 KiB and its last sector: no tables are read. What says
/// yes here may still be none.
Result<bool> mayBeImage(DiskBytes& file);

}  // namespace zt
