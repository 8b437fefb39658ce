// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/survey_tree.h"

#include <algorithm>
#include <cstring>

namespace zt {

namespace {
constexpr std::size_t maxChunks = std::size_t{1} << (32 - 16);
constexpr std::size_t maxNameChunks = std::size_t{1} << (32 - 20);
constexpr std::size_t maxFolderChunks = std::size_t{1} << (32 - 12);
constexpr std::uint32_t noBlocks = ~std::uint32_t{0};
}  // namespace

SurveyTree::SurveyTree()
    : chunks_(new std::atomic<Chunk*>[maxChunks]()),
      nameChunks_(new std::atomic<char*>[maxNameChunks]()),
      folderChunks_(new std::atomic<FolderChunk*>[maxFolderChunks]()) {}

SurveyTree::~SurveyTree() = default;

void SurveyTree::ensureChunks(std::uint64_t end) {
  const std::size_t last = static_cast<std::size_t>((end - 1) >> chunkBits);
  if (chunks_[last].load(std::memory_order_acquire) != nullptr) return;
  const std::scoped_lock lock(mutex_);
  // Filled from the front, so that a chunk that is there means that all before it are.
  while (chunksKept_.size() <= last) {
    chunksKept_.emplace_back(new Chunk);  // not value-initialised: untouched pages cost nothing
    chunks_[chunksKept_.size() - 1].store(chunksKept_.back().get(), std::memory_order_release);
  }
}

std::uint32_t SurveyTree::addFolder(NodeId node) {
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
void SurveyTree::publish(NodeId folder, NodeId first, const std::vector<Entry>& entries) {
  FolderTotals& t = folderAt(folderIndex(folder));
  Bytes own = occupied(folder);
  std::uint32_t files = 0;
  for (const Entry& e : entries) {
    files += e.stat.kind == EntryKind::file;
    if (e.stat.kind != EntryKind::folder)
      own += e.stat.links > 1 ? e.stat.occupied / e.stat.links : e.stat.occupied;
  }
  std::atomic_ref(t.occupied).store(own, std::memory_order_relaxed);
  std::atomic_ref(t.files).store(files, std::memory_order_relaxed);
  std::atomic_ref(t.firstChild).store(first, std::memory_order_relaxed);
  std::atomic_ref(t.children).store(static_cast<std::uint32_t>(entries.size()), std::memory_order_release);
}

GrowingFolder SurveyTree::growing(std::uint32_t index, NodeId* node) const {
  GrowingFolder g;
  if (node != nullptr) *node = noNode;
  if (index >= folderNumbers()) return g;
  if (folderChunks_[index >> folderChunkBits].load(std::memory_order_acquire) == nullptr) return g;
  FolderTotals& t = folderAt(index);
  if (node != nullptr) *node = std::atomic_ref(t.node).load(std::memory_order_acquire);
  g.children = std::atomic_ref(t.children).load(std::memory_order_acquire);
  if (g.children == 0) return g;
  g.firstChild = std::atomic_ref(t.firstChild).load(std::memory_order_relaxed);
  g.own = std::atomic_ref(t.occupied).load(std::memory_order_relaxed);
  g.files = std::atomic_ref(t.files).load(std::memory_order_relaxed);
  return g;
}

NodeId SurveyTree::addRoot(Writer& writer, const EntryStat& stat) {
  size_ = 1;
  ensureChunks(1);
  put(writer, 0, noNode, Entry{{}, stat});
  return 0;
}

Result<NodeId> SurveyTree::addChildren(Writer& writer, NodeId folder, const std::vector<Entry>& entries) {
  const std::uint64_t count = entries.size();
  NodeId first = size_.load(std::memory_order_relaxed);
  do {
    if (first + count >= noNode) return fail(Errc::unsupported, "survey");
  } while (!size_.compare_exchange_weak(first, static_cast<NodeId>(first + count)));
  if (count == 0) return first;
  ensureChunks(first + count);
  NodeId id = first;
  for (const Entry& entry : entries) put(writer, id++, folder, entry);
  publish(folder, first, entries);
  return first;
}

void SurveyTree::put(Writer& writer, NodeId id, NodeId parent, const Entry& entry) {
  Chunk& c = chunk(id);
  const std::uint32_t s = slot(id);
  const EntryStat& stat = entry.stat;
  c.parent[s] = parent;
  c.kind[s] = static_cast<std::uint8_t>(stat.kind);
  c.flags[s] = 0;
  c.length[s] = stat.length;
  c.inode[s] = stat.inode;
  c.modified[s] = stat.modified;
  c.bornMark[s] = timeMark(stat.born);
  c.changedMark[s] = timeMark(stat.changed);
  c.owner[s] = ownerIndex(writer, stat.owner);
  c.aux[s] =
      stat.kind == EntryKind::folder
          ? addFolder(id)
          : static_cast<std::uint32_t>(std::clamp<std::int64_t>(stat.accessed / nsPerSecond, 0, 0xFFFFFFFF));
  putBlocks(id, stat);
  if (!putName(writer, id, entry.name)) c.name[s] = 0;
  if (stat.links > 1 && stat.kind != EntryKind::folder) {
    c.flags[s] |= flagLinked;
    writer.linked.push_back({stat.device, stat.inode, id, stat.links, 0});
  }
}

void SurveyTree::putBlocks(NodeId id, const EntryStat& stat) {
  Chunk& c = chunk(id);
  const std::uint32_t s = slot(id);
  if (stat.occupied == stat.length) {
    c.flags[s] |= flagSolid;
    c.blocks[s] = 0;
  } else if (stat.occupied / 512 < noBlocks) {
    c.blocks[s] = static_cast<std::uint32_t>((stat.occupied + 511) / 512);
  } else {
    c.flags[s] |= flagOverflow;
    const std::scoped_lock lock(mutex_);
    huge_.emplace_back(id, stat.occupied);
  }
}

bool SurveyTree::putName(Writer& writer, NodeId id, std::string_view name) {
  const auto size = static_cast<std::uint32_t>(std::min<std::size_t>(name.size(), 255));
  if (writer.room_ < size + 1) {
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
    if (index == 0) {  // offset 0 is the empty name
      *writer.at_++ = 0;
      ++writer.offset_;
      --writer.room_;
    }
  }
  chunk(id).name[slot(id)] = writer.offset_;
  *writer.at_++ = static_cast<char>(size);
  std::memcpy(writer.at_, name.data(), size);
  writer.at_ += size;
  writer.offset_ += size + 1;
  writer.room_ -= size + 1;
  return true;
}

std::uint16_t SurveyTree::ownerIndex(Writer& writer, std::uint32_t owner) {
  if (writer.lastOwner_ == owner && writer.lastIndex_ != 0xFFFF) return writer.lastIndex_;
  const std::scoped_lock lock(mutex_);
  auto at = std::find(owners_.begin(), owners_.end(), owner);
  if (at == owners_.end() && owners_.size() < 0xFFFE) at = owners_.insert(owners_.end(), owner);
  if (at == owners_.end())
    at = owners_.begin();  // more than 65,534 owners: the rest count as the first one's
  writer.lastOwner_ = owner;
  writer.lastIndex_ = static_cast<std::uint16_t>(at - owners_.begin());
  return writer.lastIndex_;
}

std::string_view SurveyTree::name(NodeId id) const {
  const std::uint32_t offset = chunk(id).name[slot(id)];
  const char* at =
      nameChunks_[offset >> nameChunkBits].load(std::memory_order_acquire) + (offset & (nameChunkSize - 1));
  return {at + 1, static_cast<unsigned char>(*at)};
}

Bytes SurveyTree::occupied(NodeId id) const {
  const Chunk& c = chunk(id);
  const std::uint32_t s = slot(id);
  if ((c.flags[s] & flagSolid) != 0) return c.length[s];
  if ((c.flags[s] & flagOverflow) == 0) return Bytes{c.blocks[s]} * 512;
  if (!finished_) {
    const std::scoped_lock lock(mutex_);
    const auto at = std::find_if(huge_.begin(), huge_.end(), [&](const auto& h) { return h.first == id; });
    return at != huge_.end() ? at->second : 0;
  }
  const auto at = std::lower_bound(huge_.begin(), huge_.end(), std::pair<NodeId, Bytes>{id, 0});
  return at != huge_.end() && at->first == id ? at->second : 0;
}

Identity SurveyTree::identity(NodeId id) const {
  const Chunk& c = chunk(id);
  const std::uint32_t s = slot(id);
  return {kind(id), c.inode[s], c.length[s], c.modified[s], c.bornMark[s], c.changedMark[s]};
}

PathBytes SurveyTree::path(NodeId id) const {
  std::vector<NodeId> chain;
  for (; id != 0 && id != noNode; id = parent(id)) chain.push_back(id);
  PathBytes path;
  for (auto at = chain.rbegin(); at != chain.rend(); ++at) {
    if (!path.empty()) path += '/';
    path += name(*at);
  }
  return path;
}

bool SurveyTree::isBeneath(NodeId id, NodeId folder) const {
  // A parent's number is smaller, so the climb can stop early.
  while (id != noNode && id > folder) id = parent(id);
  return id == folder;
}

std::optional<NodeId> SurveyTree::child(NodeId folder, std::string_view wanted) const {
  if (!isFolder(folder)) return std::nullopt;
  const FolderTotals& t = totals(folder);
  for (NodeId id = t.firstChild; id != noNode && id < t.firstChild + t.children; ++id)
    if (name(id) == wanted) return id;
  return std::nullopt;
}

std::optional<NodeId> SurveyTree::find(std::string_view relative) const {
  NodeId at = 0;
  for (const auto part : splitPath(relative)) {
    const auto next = child(at, part);
    if (!next) return std::nullopt;
    at = *next;
  }
  return at;
}

ChildIndex::ChildIndex(const SurveyTree& tree, NodeId folder) {
  const FolderTotals& t = tree.totals(folder);
  byName_.reserve(t.children);
  for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id)
    byName_.emplace(tree.name(id), id);
}

NodeId ChildIndex::find(std::string_view name) const {
  const auto at = byName_.find(name);
  return at == byName_.end() ? noNode : at->second;
}

Bytes SurveyTree::memory() const {
  const Bytes chunks = (Bytes{size()} + chunkSize - 1) / chunkSize;
  return chunks * sizeof(Chunk) + Bytes{nameChunkCount_.load()} * nameChunkSize +
         foldersKept_.size() * sizeof(FolderChunk) + linked_.capacity() * sizeof(LinkedNode);
}

}  // namespace zt
