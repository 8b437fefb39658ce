// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <memory>
#include <span>
#include <stop_token>
#include <vector>

#include "core/base/bytes.h"
#include "core/base/record.h"
#include "core/base/result.h"

namespace zt {

/// A key of an item (Btrfs on-disk format).
struct BtrfsKey {
  std::uint64_t object = 0;
  std::uint8_t type = 0;
  std::uint64_t offset = 0;
};

/// Where a node of a tree lies, and which one must be found there.
struct BtrfsPointer {
  Bytes at = 0;  ///< in the file system's numbering
  std::uint64_t generation = 0;
  std::uint8_t level = 0;
};

/// What the nodes are read from. Reads whole, aligned blocks.
class BtrfsDevice {
public:
  virtual ~BtrfsDevice() = default;
  virtual bool read(Bytes at, std::span<char> into) = 0;
};
/// A device by its number within the file system; nullptr if it is missing.
using BtrfsDevices = std::function<BtrfsDevice*(std::uint64_t id)>;

/// The nodes of a Btrfs file system's trees, as its last commit left them on its devices: by the superblock
/// and the tree of chunks, without the kernel (the on-disk format in linux/btrfs_tree.h and its
/// documentation). Every node is compared with its checksum and with what pointed to it; while the file
/// system is in use one that was needed may be gone, and all has to be begun anew. Profiles with parity, and
/// checksums other than CRC-32C and xxHash, are not read. One thread.
class BtrfsNodes {
public:
  explicit BtrfsNodes(BtrfsDevices devices) : devices_(std::move(devices)) {}

  /// Reads the superblock of a device and the chunks. Fails with notOurs, unsupported, corrupt, io.
  Result<void> begin(std::uint64_t device);

  const BtrfsPointer& rootTree() const { return rootTree_; }
  std::uint32_t nodeSize() const { return nodeSize_; }
  std::uint64_t generation() const { return rootTree_.generation; }

  /// A node that was read. Valid during the call.
  struct Node {
    Fields fields;
    BtrfsPointer is;
    std::uint32_t items = 0;
    BtrfsKey key(std::uint32_t i) const;
    BtrfsPointer child(std::uint32_t i) const;     ///< of a node above the leaves
    std::string_view data(std::uint32_t i) const;  ///< of a leaf
  };
  using Each = std::function<Result<void>(std::size_t wanted, const Node& node)>;
  /// Reads nodes in the order of where they lie, neighbours together. Fails with changed for one that is not
  /// what was pointed to.
  Result<void> read(std::span<const BtrfsPointer> wanted, const Each& each, const std::stop_token& stop);

  /// All items of one tree.
  using EachItem = std::function<void(const BtrfsKey& key, std::string_view data)>;
  Result<void> eachItem(BtrfsPointer root, const EachItem& each, const std::stop_token& stop);

private:
  struct Stripe {
    std::uint64_t device = 0;
    Bytes at = 0;
  };
  struct Chunk {
    Bytes from = 0, length = 0, stripeLength = 0;
    std::uint64_t profile = 0;
    std::uint32_t inner = 1;  ///< stripes that hold the same
    std::vector<Stripe> stripes;
  };
  struct Place {
    std::uint64_t device = 0;
    Bytes at = 0;
    Bytes whole = 0;  ///< so much lies together from there on
  };
  bool addChunk(const Fields& f, std::size_t at, Bytes logical);
  std::vector<Place> placesOf(Bytes at) const;
  Result<std::string_view> fetch(Bytes at, Bytes ahead);
  Result<Node> nodeIn(std::string_view bytes, const BtrfsPointer& wanted) const;

  BtrfsDevices devices_;
  BtrfsPointer rootTree_;
  std::uint32_t nodeSize_ = 0;
  std::uint16_t checksum_ = 0;  ///< its kind
  std::string fsid_;
  std::vector<Chunk> chunks_;  ///< by place
  // The last piece that was read.
  std::unique_ptr<char, void (*)(void*)> memory_{nullptr, nullptr};
  Bytes pieceAt_ = 0;
  Bytes pieceEnd_ = 0;
};

}  // namespace zt
