// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/images/compact.h"

namespace zt {

/// How an image of equal blocks lies in its file: everything that is no block stands where it stood in a
/// rewritten one, and blocks only change their places, of which a table tells. A value.
struct BlockImage {
  enum class Entry : std::uint8_t {
    index32,     ///< the block's number from `begin` on, little endian
    sector32be,  ///< its sector, big endian
    sector32,    ///< its sector, little endian
    mebi64       ///< little endian: its place in MiB from bit 20 on, below it the state 6 (fully present)
  };
  struct Block {
    Bytes guest = 0;
    Bytes place = 0;           ///< of its prefix
    std::vector<Bytes> slots;  ///< where in the file the tables tell its place
  };
  Bytes unit = 0;    ///< guest bytes of a block
  Bytes prefix = 0;  ///< bytes of a block before its content, which come along
  Bytes begin = 0;   ///< first place for a block
  Bytes align = 512;
  Entry entry = Entry::index32;
  std::vector<Stretch> kept;  ///< what is no block, in order; the first holds what says that it is an image
  std::vector<Block> blocks;  ///< that are stored, in the guest's order
  std::optional<Bytes> countAt;  ///< 32 bits, little endian: how many blocks are stored
  Bytes tail = 0;                ///< so many bytes at the end of the file stand at the end of the new one
};

/// VDI (dynamic), VHD (dynamic), VHDX and VMDK (sparse, not compressed), by their own specifications; `image`
/// is what `readImage` told of the file. Fails with unsupported for other formats and other kinds of these,
/// corrupt for tables that contradict it.
Result<BlockImage> blockImageOf(DiskBytes& file, const DiskImage& image);

/// How many bytes the image takes when it is rewritten, where a file can have holes.
Result<Bytes> neededFor(DiskBytes& disk, const BlockImage& blocks, const Compacting& how);

/// Writes the image anew: blocks of zeros and what may be left out are not in it, and zeros in other blocks
/// become holes. `disk` is its guest's view.
Result<void> writeBlocks(DiskBytes& file, DiskBytes& disk, const BlockImage& blocks, MadeFile& out,
                         const Compacting& how);

/// Whether all that is no block is in a rewritten image as it was, but for what the tables tell.
Result<bool> isKeptIn(DiskBytes& file, DiskBytes& rewritten, const BlockImage& blocks);

/// How this program makes an image compact.
enum class CompactWay : std::uint8_t {
  none,         ///< not at all
  whereItLies,  ///< zeros are given back, and no byte of the file reads otherwise
  anew          ///< a new one is written; where there is no room for that, where it lies
};
CompactWay compactWay(DiskBytes& file, const DiskImage& image);

/// Where stretches of the guest's disk, in order, are stored in the file: in the file's order.
std::vector<Stretch> inFile(const DiskImage& image, const std::vector<Stretch>& guest);

/// Of whatever format: what one that is written anew takes at most, and the writing. What could be made
/// compact where it lies is written as it is, but for zeros and what may be left out.
Result<Bytes> neededFor(DiskBytes& file, DiskBytes& disk, const DiskImage& image, const Compacting& how);
Result<void> rewrite(DiskBytes& file, DiskBytes& disk, const DiskImage& image, MadeFile& out,
                     const Compacting& how);

/// Whether a rewritten image is what it should be: the guest sees the same, block by block, and it says of
/// itself what the old one said; of a format where nothing but the guest's view is taken over it is whole.
Result<bool> isTheSame(DiskBytes& file, const DiskImage& image, DiskBytes& rewritten, const DiskImage& now,
                       const Compacting& how);

}  // namespace zt
