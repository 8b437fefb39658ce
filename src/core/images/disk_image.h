// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <stop_token>

#include "core/images/disk_bytes.h"

namespace zt {

/// A run of a guest's disk that a file has room for.
struct GuestRun {
  enum class Kind : std::uint8_t {
    stored,  ///< byte for byte at `at`
    packed,  ///< compressed, `packed` bytes at `at`
    zeros    ///< reads as zeros, though the file has room for it
  };
  Bytes guest = 0;
  Bytes length = 0;
  Bytes at = 0;
  std::uint32_t packed = 0;
  Kind kind = Kind::stored;
  Bytes end() const { return guest + length; }
};

/// How runs are compressed.
enum class Packing : std::uint8_t { deflate, zlib, zstd };

/// What the tables of a disk image say. Content of the guest is not read for it.
struct DiskImage {
  std::string format;  ///< "raw", "qcow2", "qcow", "vhd", "vhdx", "vmdk", "vdi", "sparse-bundle"
  Bytes guestLength = 0;
  Bytes unit = 4096;           ///< room is given in multiples of this
  std::vector<GuestRun> runs;  ///< by guest offset; they do not overlap
  Packing packing = Packing::deflate;
  Bytes unused = 0;             ///< bytes of the file that the format gives to nothing
  std::string backing;          ///< name of the image that it lies upon, as written in it
  std::uint32_t snapshots = 0;  ///< kept inside it
  bool encrypted = false;
  bool unclean = false;  ///< was not closed as it should be: its tables may be behind
  /// Guest bytes that the file has room for and that are not said to be zeros.
  Bytes allocated() const;
  std::vector<Stretch> stored() const;
};

/// Reads the tables of an image; it is told by its content alone. Fails with notOurs for what is no image,
/// corrupt for tables that contradict themselves or lead out of the file, unsupported for what can be named
/// but not read, tooMany… as `corrupt` for more than four million runs. Bounded: no table is read that lies
/// in a hole, none twice.
Result<DiskImage> readImage(DiskBytes& file, const std::stop_token& stop);

/// The formats, each as `readImage`, told by magic; notOurs for another one.
Result<DiskImage> readQcow(DiskBytes& file, const std::stop_token& stop);
Result<DiskImage> readVhd(DiskBytes& file, const std::stop_token& stop);
Result<DiskImage> readVhdx(DiskBytes& file, const std::stop_token& stop);
Result<DiskImage> readVmdk(DiskBytes& file, const std::stop_token& stop);
Result<DiskImage> readVdi(DiskBytes& file, const std::stop_token& stop);
/// A file that is a disk byte for byte: with a partition table, or a file system straight.
Result<DiskImage> readRaw(DiskBytes& file, const std::stop_token& stop);

/// Puts runs together as tables are read, in the guest's order.
class RunList {
public:
  explicit RunList(DiskImage& image) : image_(image) {}
  /// False where there are too many, or one begins before the last ended.
  bool add(GuestRun run);

  /// All that is stored of a file, byte for byte, up to an offset. Fails like `readImage`.
  Result<void> addStored(DiskBytes& file, Bytes end, const std::stop_token& stop);

private:
  DiskImage& image_;
};

/// The disk as the guest sees it.
class GuestDisk final : public DiskBytes {
public:
  /// All must outlive it; `below` is what the image lies upon, nullptr where there is nothing or it cannot be
  /// had.
  GuestDisk(DiskBytes& file, const DiskImage& image, DiskBytes* below = nullptr)
      : file_(file), image_(image), below_(below) {}
  Bytes length() const override { return image_.guestLength; }
  Result<void> read(Bytes at, std::span<char> into) override;
  /// Runs of zeros are not stored.
  Result<Stretch> nextData(Bytes at) override;

private:
  std::vector<GuestRun>::const_iterator runAt(Bytes at) const;
  Result<void> readStored(Bytes place, std::span<char> into);
  Result<void> readBelow(Bytes at, std::span<char> into);
  Result<void> readPacked(const GuestRun& run, Bytes at, std::span<char> into);
  DiskBytes& file_;
  const DiskImage& image_;
  DiskBytes* below_;
  const GuestRun* unpackedOf_ = nullptr;
  std::string unpacked_;
};

}  // namespace zt
