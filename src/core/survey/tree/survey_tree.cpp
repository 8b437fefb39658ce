// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/tree/survey_tree.h"

#include <algorithm>
#include <new>

namespace zt {

namespace {
constexpr std::size_t maxChunks = std::size_t{1} << (32 - 16);
constexpr std::size_t maxNames = std::size_t{1} << (32 - 20);
constexpr std::size_t maxFolderChunks = std::size_t{1} << (32 - 12);

/// Fresh zero pages are null pointers, and cost nothing while nobody touches them.
template <class Pointers>
void make(Pointers& pointers, std::size_t count) {
  using Pointer = std::remove_reference_t<decltype(pointers[0])>;
  pointers.reset(static_cast<Pointer*>(std::calloc(count, sizeof(Pointer))));
  if (pointers == nullptr) throw std::bad_alloc();
}
}  // namespace

EntryColumns::EntryColumns() {
  make(chunks_, maxChunks);
  make(nameChunks_, maxNames);
}

SurveyTree::SurveyTree() {
  make(folderChunks_, maxFolderChunks);
}

SurveyTree::~SurveyTree() = default;

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

std::string_view EntryColumns::name(NodeId id) const {
  const std::uint32_t offset = chunk(id).name[slot(id)];
  const char* at =
      nameChunks_[offset >> nameChunkBits].load(std::memory_order_acquire) + (offset & (nameChunkSize - 1));
  return {at + 1, static_cast<unsigned char>(*at)};
}

Bytes EntryColumns::hugeOccupied(NodeId id) const {
  if (!finished_) {
    const std::scoped_lock lock(mutex_);
    const auto at = std::find_if(huge_.begin(), huge_.end(), [&](const auto& h) { return h.first == id; });
    return at != huge_.end() ? at->second : 0;
  }
  const auto at = std::lower_bound(huge_.begin(), huge_.end(), std::pair<NodeId, Bytes>{id, 0});
  return at != huge_.end() && at->first == id ? at->second : 0;
}

Identity EntryColumns::identity(NodeId id) const {
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
  if (t.children >= wideFolder && finished_) return wideChild(folder, wanted);
  for (NodeId id = t.firstChild; id != noNode && id < t.firstChild + t.children; ++id)
    if (name(id) == wanted) return id;
  return std::nullopt;
}

/// Whoever asks for one thing in a wide folder asks for the next one too: it gets an index.
std::optional<NodeId> SurveyTree::wideChild(NodeId folder, std::string_view wanted) const {
  const std::scoped_lock lock(wideMutex_);
  auto& index = wide_[folder];
  if (!index) index = std::make_unique<const ChildIndex>(*this, folder);
  const NodeId found = index->find(wanted);
  return found == noNode ? std::nullopt : std::optional(found);
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
