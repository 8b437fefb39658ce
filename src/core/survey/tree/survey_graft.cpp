// SPDX-License-Identifier: GPL-3.0-or-later
// A tree that takes over from another one. The parts of SurveyTree that run when one folder is measured
// again.
#include <algorithm>

#include "core/survey/tree/growing_tree.h"

namespace zt {

void GrowingTree::shareWith(const GrowingTree& old) {
  chunksKept_ = old.chunksKept_;
  for (std::size_t i = 0; i < chunksKept_.size(); ++i) chunks_[i] = chunksKept_[i].get();
  {
    // A call that hung while `old` was walked may still come back and put names there that nobody will read.
    const std::scoped_lock lock(old.mutex_);
    namesKept_ = old.namesKept_;
    nameChunkCount_ = old.nameChunkCount_.load();
    for (std::size_t i = 0; i < nameChunkCount_; ++i) nameChunks_[i] = old.nameChunks_[i].load();
  }
  for (const auto& chunk : old.foldersKept_) {
    foldersKept_.push_back(std::make_unique<FolderChunk>(*chunk));
    folderChunks_[foldersKept_.size() - 1] = foldersKept_.back().get();
  }
  folderCount_ = old.folderNumbers();
  size_ = old.size();
  owners_ = old.owners_;
  huge_ = old.huge_;
}

/// The chunk of a number, made this tree's own before it is written to.
GrowingTree::Chunk& GrowingTree::ownChunk(NodeId id) {
  const std::size_t at = id >> chunkBits;
  if (chunksKept_[at].use_count() > 1) {
    chunksKept_[at] = std::make_shared<Chunk>(*chunksKept_[at]);
    chunks_[at] = chunksKept_[at].get();
  }
  return *chunksKept_[at];
}

void GrowingTree::removeBeneath(const GrowingTree& old, NodeId folder) {
  std::vector<NodeId> open{folder};
  while (!open.empty()) {
    const FolderTotals& t = old.totals(open.back());
    open.pop_back();
    for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id) {
      if (old.isFolder(id)) {
        open.push_back(id);
        folderAt(old.folderIndex(id)).node = noNode;
      }
      Chunk& c = ownChunk(id);
      const std::uint32_t s = slot(id);
      c.flags[s] = static_cast<std::uint8_t>(EntryKind::other) | flagGone | flagSolid;
      c.length[s] = c.aux[s] = c.blocks[s] = 0;
    }
  }
}

Result<std::vector<NodeId>> GrowingTree::graft(const GrowingTree& old, NodeId folder,
                                               const GrowingTree& fresh) {
  if (std::uint64_t{old.size()} + fresh.size() >= noNode) return fail(Errc::unsupported, "survey");
  shareWith(old);
  removeBeneath(old, folder);
  std::erase_if(huge_, [&](const auto& h) { return isGone(h.first) || h.first == folder; });
  std::vector<NodeId> numbers(fresh.size(), noNode);
  numbers[0] = folder;
  Writer writer;
  const NodeId base = old.size();
  ensureChunks(std::uint64_t{base} + fresh.size());
  if (base % chunkSize != 0) (void)ownChunk(base);
  std::vector<LinkedNode> linked;
  for (const LinkedNode& link : old.linked_)
    if (!isGone(link.node)) linked.push_back(link);
  NodeId next = base;
  for (NodeId from = 0; from < fresh.size(); ++from) {
    if (fresh.isGone(from)) continue;
    const NodeId to = from == 0 ? folder : next++;
    numbers[from] = to;
    const Chunk& a = fresh.chunk(from);
    const std::uint32_t x = slot(from);
    Chunk& b = from == 0 ? ownChunk(folder) : chunk(to);
    const std::uint32_t y = slot(to);
    b.length[y] = a.length[x];
    b.inode[y] = a.inode[x];
    b.modified[y] = a.modified[x];
    b.blocks[y] = a.blocks[x];
    b.bornMark[y] = a.bornMark[x];
    b.changedMark[y] = a.changedMark[x];
    b.flags[y] = a.flags[x];
    b.owner[y] = ownerIndex(writer, fresh.owner(from));
    if ((a.flags[x] & flagOverflow) != 0) huge_.emplace_back(to, fresh.occupied(from));
    if (from == 0) continue;
    b.parent[y] = numbers[a.parent[x]];
    b.aux[y] = fresh.isFolder(from) ? addFolder(to) : a.aux[x];
    b.name[y] = putName(writer, fresh.name(from));
    if (b.name[y] == noName) return fail(Errc::unsupported, "survey");
  }
  size_ = next;
  for (LinkedNode link : fresh.linked_) {
    link.node = numbers[link.node];
    linked.push_back(link);
  }
  finish(std::move(linked));
  return numbers;
}

}  // namespace zt
