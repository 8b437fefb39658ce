// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/survey/tree/survey_tree.h"

namespace zt {

/// The writing half of a tree: filled while a walk goes on, or from a file, and then finished. `addChildren`
/// may be called by several workers at once, each for folders of its own, each with its own `Writer`.
class GrowingTree final : public SurveyTree {
public:
  class Listing;

  /// What one worker needs to add names without locks.
  class Writer {
  public:
    std::vector<LinkedNode> linked;

  private:
    friend class GrowingTree;
    char* at_ = nullptr;
    std::uint32_t offset_ = 0;
    std::uint32_t room_ = 0;
    std::uint32_t lastOwner_ = 0;
    std::uint16_t lastIndex_ = 0xFFFF;  ///< of lastOwner_; 0xFFFF while none was seen
    std::shared_ptr<Listing> single_;   ///< for entries that come one by one
  };

  /// An entry on its way into the tree; `name` must live until `addChildren` returns.
  struct Entry {
    std::string_view name;
    EntryStat stat;
  };

  NodeId addRoot(Writer& writer, const EntryStat& stat);
  /// Puts one more child of a folder on its listing. Nothing of it is in the tree yet but the name's letters.
  void stage(Writer& writer, Listing& listing, std::string_view name, const EntryStat& stat);
  /// Adds all children of one folder at once, empties the listing, and gives the first one's number. Fails
  /// with unsupported beyond 2^32−2 entries or 4 GiB of names.
  Result<NodeId> addChildren(Writer& writer, NodeId folder, Listing& listing);
  Result<NodeId> addChildren(Writer& writer, NodeId folder, const std::vector<Entry>& entries);
  /// Works out totals and hard links; call once, with every writer's links, when no worker adds any more.
  void finish(std::vector<LinkedNode> linked);
  /// Makes this empty tree what `old` is, but for `folder`: it and all beneath it is as `fresh` says, whose
  /// root it is. Both are finished and may go afterwards. Gives for each number of `fresh` its number here.
  /// Fails with unsupported if there are too many entries.
  Result<std::vector<NodeId>> graft(const GrowingTree& old, NodeId folder, const GrowingTree& fresh);

private:
  friend class SurveyTreeCodec;
  void ensureChunks(std::uint64_t end);
  std::uint32_t addFolder(NodeId node);
  void publish(NodeId folder, NodeId first, const Listing& listing);
  void copyRows(Writer& writer, NodeId folder, NodeId first, Listing& listing);
  Chunk& ownChunk(NodeId id);
  void removeBeneath(const GrowingTree& old, NodeId folder);
  void shareWith(const GrowingTree& old);
  void put(Writer& writer, NodeId id, NodeId parent, const Entry& entry);
  bool makeRoomForNames(Writer& writer);
  std::uint32_t putName(Writer& writer, std::string_view name);
  std::uint16_t findOwner(Writer& writer, std::uint32_t owner);
  std::uint16_t ownerIndex(Writer& writer, std::uint32_t owner) {
    const bool same = writer.lastOwner_ == owner && writer.lastIndex_ != 0xFFFF;
    return same ? writer.lastIndex_ : findOwner(writer, owner);
  }
  using Lengths = std::vector<unsigned __int128>;  ///< by folder number, while summing
  void sumFolders();
  void sumOwn(Lengths& lengths);
  NodeId sumSiblings(NodeId first, Lengths& lengths);
  void groupLinks();
  void shareLinks(Lengths& lengths);
};

/// The children of one folder on their way into the tree, already in its columns, so that a folder of a
/// million entries is never held twice. One thread.
class GrowingTree::Listing {
public:
  NodeId size() const { return size_; }
  Bytes bytes() const { return bytes_; }  ///< an inode with n names counts 1/n; folders count
  std::uint32_t files() const { return files_; }
  /// The rows that are folders.
  const std::vector<NodeId>& folders() const { return folders_; }
  void clear();

private:
  friend class GrowingTree;
  static constexpr NodeId blockSize = 4096;
  /// The columns of a chunk but for those that need the number: parent, and the folder's own.
  template <class T>
  using BlockColumn = Column<T, blockSize>;
  struct Block {
    BlockColumn<std::uint64_t> length, inode;
    BlockColumn<TimeNs> modified;
    BlockColumn<std::uint32_t> name, blocks, bornMark, changedMark, accessed, owner;
    BlockColumn<std::uint8_t> flags;
  };
  struct Link {
    NodeId row = 0;
    std::uint64_t device = 0;
    std::uint64_t inode = 0;
    std::uint32_t links = 0;
  };
  std::vector<std::unique_ptr<Block>> blocks_;
  NodeId size_ = 0;
  Bytes bytes_ = 0;
  Bytes direct_ = 0;  ///< bytes without the folders'
  std::uint32_t files_ = 0;
  bool failed_ = false;
  std::vector<NodeId> folders_;
  std::vector<Link> links_;
  std::vector<std::pair<NodeId, Bytes>> huge_;
};

}  // namespace zt
