// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/tree/growing_tree.h"

#include <algorithm>
#include <cstring>

namespace zt {

namespace {
constexpr std::size_t maxNameChunks = std::size_t{1} << (32 - 20);
constexpr std::uint32_t noBlocks = ~std::uint32_t{0};

/// Copies a few bytes, word by word: quicker than what compilers make of a copy of at most 255.
void copyLetters(char* to, const char* from, std::uint32_t size) {
  if (size < 8) {
    for (std::uint32_t i = 0; i < size; ++i) to[i] = from[i];
    return;
  }
  std::uint64_t word = 0;
  for (std::uint32_t i = 0; i + 8 < size; i += 8) {
    std::memcpy(&word, from + i, 8);
    std::memcpy(to + i, &word, 8);
  }
  std::memcpy(&word, from + size - 8, 8);
  std::memcpy(to + size - 8, &word, 8);
}
}  // namespace

void GrowingTree::ensureChunks(std::uint64_t end) {
  const std::size_t last = static_cast<std::size_t>((end - 1) >> chunkBits);
  if (chunks_[last].load(std::memory_order_acquire) != nullptr) return;
  const std::scoped_lock lock(mutex_);
  // Filled from the front, so that a chunk that is there means that all before it are.
  while (chunksKept_.size() <= last) {
    chunksKept_.emplace_back(new Chunk);  // not value-initialised: untouched pages cost nothing
    chunks_[chunksKept_.size() - 1].store(chunksKept_.back().get(), std::memory_order_release);
  }
}

std::uint32_t GrowingTree::addFolder(NodeId node) {
  const std::uint32_t index = folderCount_.fetch_add(1, std::memory_order_acq_rel);
  const std::size_t at = index >> folderChunkBits;
  if (folderChunks_[at].load(std::memory_order_acquire) == nullptr) {
    const std::scoped_lock lock(mutex_);
    while (foldersKept_.size() <= at) {
      foldersKept_.push_back(std::make_unique<FolderChunk>());
      folderChunks_[foldersKept_.size() - 1].store(foldersKept_.back().get(), std::memory_order_release);
    }
  }
  std::atomic_ref(folderAt(index).node).store(node, std::memory_order_release);
  return index;
}

/// Lets readers see the children of a folder: what they are was written before.
void GrowingTree::publish(NodeId folder, NodeId first, const Listing& listing) {
  FolderTotals& t = folderAt(folderIndex(folder));
  std::atomic_ref(t.occupied).store(occupied(folder) + listing.direct_, std::memory_order_relaxed);
  std::atomic_ref(t.files).store(listing.files_, std::memory_order_relaxed);
  std::atomic_ref(t.firstChild).store(first, std::memory_order_relaxed);
  std::atomic_ref(t.children).store(listing.size_, std::memory_order_release);
}

NodeId GrowingTree::addRoot(Writer& writer, const EntryStat& stat) {
  size_ = 1;
  ensureChunks(1);
  put(writer, 0, noNode, Entry{{}, stat});
  return 0;
}

/// A single entry with its number; for the root, and for trees that come from a file.
void GrowingTree::put(Writer& writer, NodeId id, NodeId parent, const Entry& entry) {
  Listing& one = writer.single_ ? *writer.single_ : *(writer.single_ = std::make_shared<Listing>());
  stage(writer, one, entry.name, entry.stat);
  copyRows(writer, parent, id, one);
  one.clear();
}

void GrowingTree::Listing::clear() {
  if (blocks_.size() > 1) blocks_.clear();
  size_ = 0;
  bytes_ = direct_ = 0;
  files_ = 0;
  failed_ = false;
  folders_.clear();
  links_.clear();
  huge_.clear();
}

void GrowingTree::stage(Writer& writer, Listing& listing, std::string_view name, const EntryStat& stat) {
  const NodeId row = listing.size_++;
  if (row / Listing::blockSize >= listing.blocks_.size())
    listing.blocks_.emplace_back(new Listing::Block);  // not value-initialised
  Listing::Block& b = *listing.blocks_[row / Listing::blockSize];
  const std::uint32_t s = row % Listing::blockSize;
  auto flags = static_cast<std::uint8_t>(stat.kind);
  if (stat.mayShare) flags |= flagMayShare;
  if (stat.fixed || stat.foreign) flags |= flagFixed;
  std::uint32_t blocks = 0;
  if (stat.occupied == stat.length) {
    flags |= flagSolid;
  } else if (stat.occupied / 512 < noBlocks) {
    blocks = static_cast<std::uint32_t>((stat.occupied + 511) / 512);
  } else {
    flags |= flagOverflow;
    listing.huge_.emplace_back(row, stat.occupied);
  }
  const std::uint32_t place = putName(writer, name);
  listing.failed_ = listing.failed_ || place == noName;
  b.length[s] = stat.length;
  b.inode[s] = stat.inode;
  b.modified[s] = stat.modified;
  b.name[s] = place;
  b.blocks[s] = blocks;
  b.bornMark[s] = timeMark(stat.born);
  b.changedMark[s] = timeMark(stat.changed);
  b.accessed[s] =
      static_cast<std::uint32_t>(std::clamp<std::int64_t>(stat.accessed / nsPerSecond, 0, 0xFFFFFFFF));
  b.owner[s] = stat.owner;
  if (stat.kind == EntryKind::folder) {
    listing.folders_.push_back(row);
    listing.bytes_ += stat.occupied;
  } else {
    const Bytes share = stat.links > 1 ? stat.occupied / stat.links : stat.occupied;
    listing.bytes_ += share;
    listing.direct_ += share;
    listing.files_ += stat.kind == EntryKind::file;
    if (stat.links > 1) {
      flags |= flagLinked;
      listing.links_.push_back({row, stat.device, stat.inode, stat.links});
    }
  }
  b.flags[s] = flags;
}

/// Copies whole columns, block by block, to where the numbers from `first` on lie.
void GrowingTree::copyRows(Writer& writer, NodeId folder, NodeId first, Listing& listing) {
  for (NodeId row = 0; row < listing.size_;) {
    const Listing::Block& b = *listing.blocks_[row / Listing::blockSize];
    const std::uint32_t from = row % Listing::blockSize;
    const std::uint32_t to = slot(first + row);
    const std::uint32_t count = std::min({Listing::blockSize - from, chunkSize - to, listing.size_ - row});
    ensureChunks(std::uint64_t{first} + row + count);
    Chunk& c = chunk(first + row);
    const auto column = [&](auto& into, const auto& of) {
      std::memcpy(&into[to], &of[from], count * sizeof into[0]);
    };
    column(c.length, b.length);
    column(c.inode, b.inode);
    column(c.modified, b.modified);
    column(c.name, b.name);
    column(c.blocks, b.blocks);
    column(c.bornMark, b.bornMark);
    column(c.changedMark, b.changedMark);
    column(c.aux, b.accessed);
    column(c.flags, b.flags);
    std::fill_n(&c.parent[to], count, folder);
    for (std::uint32_t i = 0; i < count; ++i) c.owner[to + i] = ownerIndex(writer, b.owner[from + i]);
    row += count;
    if (row % Listing::blockSize == 0 && listing.blocks_.size() > 1)
      listing.blocks_[row / Listing::blockSize - 1].reset();
  }
  for (const NodeId row : listing.folders_)
    chunk(first + row).aux[slot(first + row)] = addFolder(first + row);
  for (const Listing::Link& link : listing.links_)
    writer.linked.push_back({link.device, link.inode, first + link.row, link.links, 0});
  if (listing.huge_.empty()) return;
  const std::scoped_lock lock(mutex_);
  for (const auto& [row, bytes] : listing.huge_) huge_.emplace_back(first + row, bytes);
}

Result<NodeId> GrowingTree::addChildren(Writer& writer, NodeId folder, Listing& listing) {
  NodeId first = size_.load(std::memory_order_relaxed);
  do {
    if (listing.failed_ || std::uint64_t{first} + listing.size_ >= noNode) {
      listing.clear();
      return fail(Errc::unsupported, "survey");
    }
  } while (!size_.compare_exchange_weak(first, first + listing.size_));
  if (listing.size_ > 0) {
    copyRows(writer, folder, first, listing);
    publish(folder, first, listing);
  }
  listing.clear();
  return first;
}

Result<NodeId> GrowingTree::addChildren(Writer& writer, NodeId folder, const std::vector<Entry>& entries) {
  Listing listing;
  for (const Entry& e : entries) stage(writer, listing, e.name, e.stat);
  return addChildren(writer, folder, listing);
}

bool GrowingTree::makeRoomForNames(Writer& writer) {
  const std::uint32_t index = nameChunkCount_.fetch_add(1);
  if (index >= maxNameChunks) return false;
  std::shared_ptr<char[]> fresh(new char[nameChunkSize]);
  writer.at_ = fresh.get();
  {
    const std::scoped_lock lock(mutex_);
    namesKept_.push_back(std::move(fresh));
  }
  nameChunks_[index].store(writer.at_, std::memory_order_release);
  writer.offset_ = index << nameChunkBits;
  writer.room_ = nameChunkSize;
  return true;
}

/// Where the name's letters were put; noName when there is no room for more.
std::uint32_t GrowingTree::putName(Writer& writer, std::string_view name) {
  const auto size = static_cast<std::uint32_t>(std::min<std::size_t>(name.size(), 255));
  if (writer.room_ < size + 1 && !makeRoomForNames(writer)) return noName;
  // The next names will lie behind this one: by the time they come, the line is in the cache.
  __builtin_prefetch(writer.at_ + 192, 1);
  const std::uint32_t place = writer.offset_;
  *writer.at_++ = static_cast<char>(size);
  copyLetters(writer.at_, name.data(), size);
  writer.at_ += size;
  writer.offset_ += size + 1;
  writer.room_ -= size + 1;
  return place;
}

std::uint16_t GrowingTree::findOwner(Writer& writer, std::uint32_t owner) {
  const std::scoped_lock lock(mutex_);
  auto at = std::find(owners_.begin(), owners_.end(), owner);
  if (at == owners_.end() && owners_.size() < 0xFFFE) at = owners_.insert(owners_.end(), owner);
  if (at == owners_.end())
    at = owners_.begin();  // more than 65,534 owners: the rest count as the first one's
  writer.lastOwner_ = owner;
  writer.lastIndex_ = static_cast<std::uint16_t>(at - owners_.begin());
  return writer.lastIndex_;
}

}  // namespace zt
