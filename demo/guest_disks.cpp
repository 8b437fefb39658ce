// SPDX-License-Identifier: GPL-3.0-or-later
#include "demo/guest_disks.h"

#include <algorithm>

namespace zt::demo {

namespace {

/// Puts numbers into a record.
class Record {
public:
  explicit Record(std::size_t size) : bytes(size, '\0') {}
  void little(std::size_t at, std::uint64_t value, std::size_t size) {
    for (std::size_t i = 0; i < size; ++i) bytes[at + i] = static_cast<char>(value >> (8 * i));
  }
  void big(std::size_t at, std::uint64_t value, std::size_t size) {
    for (std::size_t i = 0; i < size; ++i) bytes[at + i] = static_cast<char>(value >> (8 * (size - 1 - i)));
  }
  std::string bytes;
};

constexpr Bytes block = 4096;
constexpr Bytes perGroup = block * 8;
constexpr Bytes partAt = Bytes{1} << 20;

/// ext4 with a bitmap for each group that anything was written to; see the kernel's filesystems/ext4.
Pieces ext4(Bytes length, Bytes used) {
  const Bytes blocks = length / block;
  const Bytes groups = (blocks + perGroup - 1) / perGroup;
  const Bytes full = std::min(used / block, blocks);
  Record super(1024);
  super.little(0, groups * 8192, 4);
  super.little(4, blocks, 4);
  super.little(12, blocks - full, 4);
  super.little(24, 2, 4);
  super.little(32, perGroup, 4);
  super.little(36, perGroup, 4);
  super.little(40, 8192, 4);
  super.little(56, 0xef53, 2);
  super.little(58, 1, 2);
  super.little(76, 1, 4);
  super.little(92, 0x4, 4);
  super.little(96, 0x40, 4);
  super.little(100, 0x10, 4);
  const Bytes tableBlocks = (groups * 32 + block - 1) / block;
  Record table(static_cast<std::size_t>(tableBlocks * block));
  Pieces pieces{{1024, super.bytes}};
  for (Bytes g = 0; g < groups; ++g) {
    const Bytes here = std::min(perGroup, blocks - g * perGroup);
    const Bytes taken = std::min(here, full > g * perGroup ? full - g * perGroup : 0);
    const Bytes bitmapAt = 1 + tableBlocks + g;
    const auto at = static_cast<std::size_t>(g * 32);
    table.little(at, bitmapAt, 4);
    table.little(at + 12, here - taken, 2);
    table.little(at + 18, taken == 0 ? 2 : 0, 2);
    if (taken == 0) continue;
    Record bitmap(block);
    for (Bytes b = 0; b < taken / 8; ++b) bitmap.bytes[b] = '\xff';
    if (taken % 8 != 0) bitmap.bytes[taken / 8] = static_cast<char>((1u << (taken % 8)) - 1);
    for (Bytes b = here; b < perGroup; ++b) bitmap.bytes[b / 8] |= static_cast<char>(1u << (b % 8));
    pieces.emplace_back(bitmapAt * block, bitmap.bytes);
  }
  pieces.emplace_back(block, table.bytes);
  return pieces;
}

}  // namespace

Pieces rawDisk(Bytes length, Bytes used) {
  Record mbr(512);
  mbr.little(446 + 4, 0x83, 1);
  mbr.little(446 + 8, partAt / 512, 4);
  mbr.little(446 + 12, (length - partAt) / 512, 4);
  mbr.little(510, 0xaa55, 2);
  Pieces pieces{{0, mbr.bytes}};
  for (auto& [at, bytes] : ext4(length - partAt, used)) pieces.emplace_back(partAt + at, std::move(bytes));
  return pieces;
}

Pieces qcow2Disk(Bytes fileLength, Bytes guestLength, Bytes used, Bytes idle) {
  constexpr Bytes cluster = 65536, perTable = cluster / 8, perBlock = cluster / 2;
  const Bytes clusters = fileLength / cluster;
  const Bytes countBlocks = (clusters + perBlock - 1) / perBlock;
  const Bytes tables = (guestLength / cluster + perTable - 1) / perTable;
  const Bytes first = 3 + countBlocks + tables;  // of the guest's own
  const Bytes given = clusters - first - idle / cluster;
  Record header(104);
  header.big(0, 0x514649fb, 4);
  header.big(4, 3, 4);
  header.big(20, 16, 4);
  header.big(24, guestLength, 8);
  header.big(36, tables, 4);
  header.big(40, 2 * cluster, 8);
  header.big(48, cluster, 8);
  header.big(56, 1, 4);
  header.big(96, 4, 4);
  header.big(100, 104, 4);
  Record counts(cluster), l1(cluster);
  Pieces pieces{{0, header.bytes}};
  for (Bytes i = 0; i < countBlocks; ++i) {
    const Bytes at = (3 + i) * cluster;
    counts.big(static_cast<std::size_t>(i * 8), at, 8);
    Record one(cluster);
    for (Bytes c = 0; c < perBlock && i * perBlock + c < first + given; ++c)
      one.big(static_cast<std::size_t>(c * 2), 1, 2);
    pieces.emplace_back(at, one.bytes);
  }
  for (Bytes i = 0; i < tables; ++i) {
    const Bytes at = (3 + countBlocks + i) * cluster;
    l1.big(static_cast<std::size_t>(i * 8), at | std::uint64_t{1} << 63, 8);
    Record one(cluster);
    for (Bytes c = 0; c < perTable && i * perTable + c < given; ++c)
      one.big(static_cast<std::size_t>(c * 8), (first + i * perTable + c) * cluster | std::uint64_t{1} << 63,
              8);
    pieces.emplace_back(at, one.bytes);
  }
  pieces.emplace_back(cluster, counts.bytes);
  pieces.emplace_back(2 * cluster, l1.bytes);
  for (auto& [at, bytes] : rawDisk(guestLength, used))
    if (at + bytes.size() <= given * cluster) pieces.emplace_back(first * cluster + at, std::move(bytes));
  return pieces;
}

}  // namespace zt::demo
