// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>

#include <array>
#include <atomic>
#include <cstdint>
#include <cstdlib>
#include <memory>
#include <mutex>
#include <optional>
#include <string_view>
#include <vector>

#include "core/os/file_system.h"

namespace zt {

using NodeId = std::uint32_t;
constexpr NodeId noNode = ~NodeId{0};
/// The inode of every subvolume's top folder on Btrfs (BTRFS_FIRST_FREE_OBJECTID).
constexpr std::uint64_t subvolumeTopInode = 256;

/// Sums over everything beneath a folder, the folder's own blocks among them.
struct FolderTotals {
  NodeId firstChild = noNode;
  std::uint32_t children = 0;
  NodeId node = noNode;  ///< the folder itself
  Bytes occupied = 0;    ///< every inode once, however many of its links lie beneath
  Bytes length =
      0;  ///< of regular files, every inode once; stays at the largest number where it would not fit
  Bytes exclusive = 0;  ///< freed if this folder alone goes: inodes whose links all lie beneath
  std::uint32_t entries = 0;
  std::uint32_t files = 0;
  TimeNs newest = 0;  ///< latest modification of anything beneath (the folder's own entry list too)
};

/// One link of an inode that has several names. An inode number that was free and is used again is another
/// inode: its birth differs.
struct LinkedNode {
  std::uint64_t device = 0;
  std::uint64_t inode = 0;
  NodeId node = noNode;
  std::uint32_t links = 0;  ///< names the inode has in all, seen or not
  std::uint32_t group = 0;  ///< nodes of one inode share it; set by `finish`
};

/// What is known of a folder while the tree still grows: its children, once it was listed.
struct GrowingFolder {
  NodeId firstChild = noNode;
  std::uint32_t children = 0;
  Bytes own = 0;  ///< of the files directly in it and of itself; an inode with n names counts 1/n each time
  std::uint32_t files = 0;  ///< directly in it
};

/// The rows of a tree, an entry each: what every reader asks most, by number. Threads: as `SurveyTree`.
class EntryColumns {
public:
  EntryColumns(const EntryColumns&) = delete;
  EntryColumns& operator=(const EntryColumns&) = delete;

  /// Numbers in use, those of what is gone among them.
  NodeId size() const { return size_.load(std::memory_order_relaxed); }
  NodeId parent(NodeId id) const { return chunk(id).parent[slot(id)]; }
  std::string_view name(NodeId id) const;
  EntryKind kind(NodeId id) const { return static_cast<EntryKind>(chunk(id).flags[slot(id)] & kindBits); }
  bool isFolder(NodeId id) const { return kind(id) == EntryKind::folder; }
  bool isGone(NodeId id) const { return (chunk(id).flags[slot(id)] & flagGone) != 0; }
  /// Whether the inode has more than one name.
  bool isLinked(NodeId id) const { return (chunk(id).flags[slot(id)] & flagLinked) != 0; }
  /// Whether it, or of a folder what lies in it, could not be removed by who measured.
  bool isFixed(NodeId id) const { return (chunk(id).flags[slot(id)] & flagFixed) != 0; }
  /// Whether others may hold some of its bytes too, so that they are not sure to come free with it.
  bool mayShare(NodeId id) const { return (chunk(id).flags[slot(id)] & flagMayShare) != 0; }
  Bytes length(NodeId id) const { return chunk(id).length[slot(id)]; }
  /// Of this entry alone; a folder's own blocks, not its content.
  Bytes occupied(NodeId id) const {
    const Chunk& c = chunk(id);
    const std::uint32_t s = slot(id);
    if ((c.flags[s] & flagSolid) != 0) return c.length[s];
    return (c.flags[s] & flagOverflow) != 0 ? hugeOccupied(id) : Bytes{c.blocks[s]} * 512;
  }
  TimeNs modified(NodeId id) const { return chunk(id).modified[slot(id)]; }
  /// Whole seconds since 1970; 0 for folders, whose access time the walk itself would disturb.
  std::int64_t accessedSeconds(NodeId id) const { return isFolder(id) ? 0 : chunk(id).aux[slot(id)]; }
  std::uint64_t inode(NodeId id) const { return chunk(id).inode[slot(id)]; }
  std::uint32_t owner(NodeId id) const { return owners_[chunk(id).owner[slot(id)]]; }
  const std::vector<std::uint32_t>& owners() const { return owners_; }  ///< all there are; after `finish`
  Identity identity(NodeId id) const;

protected:
  friend class SurveyTreeCodec;
  static constexpr std::uint32_t chunkBits = 16;
  static constexpr std::uint32_t chunkSize = 1u << chunkBits;
  static constexpr std::uint32_t nameChunkBits = 20;
  static constexpr std::uint32_t nameChunkSize = 1u << nameChunkBits;
  static constexpr std::uint32_t noName =
      ~std::uint32_t{0};                       ///< none begins there: its length stands before it
  static constexpr std::uint8_t kindBits = 3;  ///< the lowest two bits are the EntryKind
  static constexpr std::uint8_t flagLinked = 4;
  static constexpr std::uint8_t flagSolid = 8;      ///< occupied equals length
  static constexpr std::uint8_t flagOverflow = 16;  ///< blocks do not fit; see `huge_`
  static constexpr std::uint8_t flagGone = 32;
  static constexpr std::uint8_t flagMayShare = 64;
  static constexpr std::uint8_t flagFixed = 128;

  /// A column is a little longer than it need be: were all of them a power of two apart, one entry's fields
  /// would all fall on the same few lines of the processor's cache.
  template <class T, std::uint32_t rows>
  using Column = std::array<T, rows + 16>;
  template <class T>
  using ChunkColumn = Column<T, chunkSize>;

  struct Chunk {
    ChunkColumn<std::uint64_t> length, inode;
    ChunkColumn<TimeNs> modified;
    ChunkColumn<std::uint32_t> parent, name, blocks, bornMark, changedMark;
    ChunkColumn<std::uint32_t> aux;  ///< folder: index of its totals; else: access time in seconds
    ChunkColumn<std::uint16_t> owner;
    ChunkColumn<std::uint8_t> flags;  ///< the kind among them
  };

  struct Free {
    void operator()(void* memory) const { std::free(memory); }
  };
  /// Null at first, and without memory of their own until they are set.
  template <class T>
  using SparsePointers = std::unique_ptr<std::atomic<T*>[], Free>;

  EntryColumns();
  ~EntryColumns() = default;
  static std::uint32_t slot(NodeId id) { return id & (chunkSize - 1); }
  Chunk& chunk(NodeId id) const { return *chunks_[id >> chunkBits].load(std::memory_order_acquire); }
  Bytes hugeOccupied(NodeId id) const;

  // The pointers are what is read; `…Kept_` own what they point to, possibly together with other trees.
  std::atomic<NodeId> size_{0};
  SparsePointers<Chunk> chunks_;
  SparsePointers<char> nameChunks_;
  std::atomic<std::uint32_t> nameChunkCount_{0};
  mutable std::mutex mutex_;  ///< guards growth, owners_ and huge_ while building
  std::vector<std::shared_ptr<Chunk>> chunksKept_;
  std::vector<std::shared_ptr<char[]>> namesKept_;
  std::vector<std::uint32_t> owners_;
  std::vector<std::pair<NodeId, Bytes>> huge_;  ///< occupied bytes of entries over 2 TiB, sorted by `finish`
  std::atomic<bool> finished_ = false;          ///< `huge_` may be read without the lock
};

class ChildIndex;

/// Everything that one measurement saw: entries as 32-bit numbers in arrays of 51 bytes an entry beside the
/// name. Node 0 is the root; a parent's number is smaller than its children's; children of a folder are
/// contiguous. Folders have numbers of their own too (`folderIndex`), a parent's smaller than its children's.
///
/// A tree that took over from another one (`graft`) shares the arrays of what did not change, and has numbers
/// that stand for nothing any more: `isGone`. They have kind `other`, weigh nothing, and are in no folder.
///
/// This is the reading half; `GrowingTree` fills it. Threads: once it is finished the tree never changes and
/// may be read from any thread without locks. Before that, any thread may read `growing` of folders and name,
/// kind, parent and `occupied` of children that it gave; all else only for numbers that the caller itself
/// added.
class SurveyTree : public EntryColumns {
public:
  /// Entries there are, the root among them; only after `finish`.
  NodeId entries() const { return totals(0).entries + 1; }
  /// Of a folder; only after `finish`.
  const FolderTotals& totals(NodeId folder) const { return folderAt(folderIndex(folder)); }
  std::uint32_t folderIndex(NodeId folder) const { return chunk(folder).aux[slot(folder)]; }
  /// Occupied bytes of a file, or of a folder with everything beneath it; only after `finish`.
  Bytes weight(NodeId id) const { return isFolder(id) ? totals(id).occupied : occupied(id); }
  /// Folder numbers in use; some may stand for folders that are gone.
  std::uint32_t folderNumbers() const { return folderCount_.load(std::memory_order_acquire); }
  /// Folders there are, the root among them; only after `finish`.
  std::uint32_t folderCount() const { return liveFolders_; }
  /// Any time, any thread. Of a number beyond what is filled in, the folder's node is noNode.
  GrowingFolder growing(std::uint32_t folderIndex, NodeId* node = nullptr) const;
  const std::vector<LinkedNode>& linked() const { return linked_; }
  std::uint32_t linkGroups() const { return linkGroups_; }

  PathBytes path(NodeId id) const;  ///< relative to the root; "" for the root
  bool isBeneath(NodeId id, NodeId folder) const;
  std::optional<NodeId> find(std::string_view relative) const;
  std::optional<NodeId> child(NodeId folder, std::string_view name) const;
  Bytes memory() const;  ///< bytes held, names included

protected:
  friend class SurveyTreeCodec;
  static constexpr std::uint32_t folderChunkBits = 12;
  static constexpr std::uint32_t folderChunkSize = 1u << folderChunkBits;
  using FolderChunk = std::array<FolderTotals, folderChunkSize>;

  SurveyTree();
  ~SurveyTree();
  FolderTotals& folderAt(std::uint32_t index) const {
    FolderChunk* c = folderChunks_[index >> folderChunkBits].load(std::memory_order_acquire);
    return (*c)[index & (folderChunkSize - 1)];
  }

  SparsePointers<FolderChunk> folderChunks_;
  std::atomic<std::uint32_t> folderCount_{0};
  std::vector<std::unique_ptr<FolderChunk>> foldersKept_;
  std::vector<LinkedNode> linked_;
  std::uint32_t linkGroups_ = 0;
  std::uint32_t liveFolders_ = 0;

private:
  static constexpr std::uint32_t wideFolder = 256;  ///< children from which a folder has an index of names
  std::optional<NodeId> wideChild(NodeId folder, std::string_view wanted) const;
  mutable std::mutex wideMutex_;                                                 ///< guards `wide_`
  mutable absl::flat_hash_map<NodeId, std::unique_ptr<const ChildIndex>> wide_;  ///< of folders asked for
};

/// The children of one folder by name, for many look-ups. The tree must outlive it.
class ChildIndex {
public:
  ChildIndex(const SurveyTree& tree, NodeId folder);
  /// noNode if there is none of that name.
  NodeId find(std::string_view name) const;
  std::size_t size() const { return byName_.size(); }

private:
  absl::flat_hash_map<std::string_view, NodeId> byName_;
};

}  // namespace zt
