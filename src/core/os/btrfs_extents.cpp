// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/btrfs_extents.h"

#include <linux/btrfs.h>
#include <linux/btrfs_tree.h>
#include <sys/ioctl.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <iterator>
#include <tuple>

namespace zt {

namespace {

struct Key {
  std::uint64_t object = 0;
  std::uint32_t type = 0;
  std::uint64_t offset = 0;
};

template <class T>
T get(const char* at) {
  T value{};
  std::memcpy(&value, at, sizeof value);  // little endian, as the machine (Btrfs on-disk format)
  return value;
}

/// Hands every item of a tree from `first` up to object `last` to `each(key, data, size)`. Gives errno, 0 if
/// all went well.
template <class Each>
int searchTree(int fd, std::uint64_t tree, Key first, std::uint64_t last, Each each) {
  constexpr std::size_t room = std::size_t{1} << 20;
  std::vector<std::uint64_t> memory((sizeof(btrfs_ioctl_search_args_v2) + room) / sizeof(std::uint64_t) + 1);
  auto* args = reinterpret_cast<btrfs_ioctl_search_args_v2*>(memory.data());
  for (;;) {
    std::memset(args, 0, sizeof *args);
    args->buf_size = room;
    args->key.tree_id = tree;
    args->key.min_objectid = first.object;
    args->key.min_type = first.type;
    args->key.min_offset = first.offset;
    args->key.max_objectid = last;
    args->key.max_type = ~0u;
    args->key.max_offset = args->key.max_transid = ~0ull;
    args->key.nr_items = ~0u;
    if (::ioctl(fd, BTRFS_IOC_TREE_SEARCH_V2, args) != 0) return errno;
    if (args->key.nr_items == 0) return 0;
    const char* at = reinterpret_cast<const char*>(args->buf);
    for (std::uint32_t i = 0; i < args->key.nr_items; ++i) {
      const auto head = get<btrfs_ioctl_search_header>(at);
      at += sizeof head;
      first = {head.objectid, head.type, head.offset};
      each(first, at, std::size_t{head.len});
      at += head.len;
    }
    if (++first.offset == 0 && ++first.type == 256) first.type = 0, ++first.object;
  }
}

/// An extent as one file reaches it.
struct Reach {
  std::uint64_t place = 0;
  Bytes bytes = 0;
  std::uint64_t tree = 0;
  std::uint64_t inode = 0;
};

/// Adds up the items of one subvolume. Those of one inode come together: first itself, then its extents.
class Reader {
public:
  Reader(std::uint64_t tree, StoredSizes& sizes, std::vector<Reach>& reaches)
      : tree_(tree), sizes_(sizes), reaches_(reaches) {}

  void item(const Key& key, const char* data, std::size_t size) {
    if (key.object != inode_) finishInode(), inode_ = key.object;
    if (key.type == BTRFS_INODE_ITEM_KEY && size >= sizeof(btrfs_inode_item))
      reported_ = get<btrfs_inode_item>(data).nbytes;
    if (key.type == BTRFS_EXTENT_DATA_KEY) extent(data, size);
  }

  void finishInode() {
    std::sort(own_.begin(), own_.end());
    own_.erase(std::unique(own_.begin(), own_.end()), own_.end());
    Bytes stored = 0;
    for (const auto& [place, bytes] : own_) {
      stored += bytes;
      reaches_.push_back({place, bytes, tree_, inode_});
    }
    sizes_.trees.back().stored += stored;
    // What stat calls its blocks: whole sectors of what it holds.
    constexpr Bytes sector = 4096;
    if (stored != (reported_ + sector - 1) / sector * sector) sizes_.files.push_back({tree_, inode_, stored});
    own_.clear();
    reported_ = 0;
  }

private:
  void extent(const char* data, std::size_t size) {
    constexpr std::size_t headSize = offsetof(btrfs_file_extent_item, disk_bytenr);
    if (size < headSize) return;
    const auto type = get<std::uint8_t>(data + offsetof(btrfs_file_extent_item, type));
    if (type == BTRFS_FILE_EXTENT_INLINE) {
      sizes_.inlined += get<std::uint64_t>(data + offsetof(btrfs_file_extent_item, ram_bytes));
      return;
    }
    if (size < sizeof(btrfs_file_extent_item)) return;
    const auto item = get<btrfs_file_extent_item>(data);
    if (item.disk_bytenr == 0) return;  // a hole
    // An extent that was overwritten in its middle is named again soon after; sums take each once anyway.
    const std::pair<Bytes, Bytes> place{item.disk_bytenr, item.disk_num_bytes};
    const bool again = std::find(own_.end() - std::min<std::ptrdiff_t>(4, std::ssize(own_)), own_.end(),
                                 place) != own_.end();
    const Bytes stored = again ? 0 : item.disk_num_bytes;
    if (item.compression != 0 && stored < item.num_bytes)
      sizes_.compressed += item.num_bytes - stored;
    else if (stored > item.num_bytes)
      sizes_.pinned += stored - item.num_bytes;
    if (!again) own_.push_back(place);
  }

  std::uint64_t tree_;
  StoredSizes& sizes_;
  std::vector<Reach>& reaches_;
  std::uint64_t inode_ = 0;
  Bytes reported_ = 0;
  std::vector<std::pair<Bytes, Bytes>> own_;  ///< place and length of the present inode's extents
};

bool isSubvolume(std::uint64_t tree) {
  return tree == BTRFS_FS_TREE_OBJECTID ||
         (tree >= BTRFS_FIRST_FREE_OBJECTID && tree <= BTRFS_LAST_FREE_OBJECTID);
}

/// What is reached by more than one file is shared; and each extent once for every subvolume that reaches it.
void settleReaches(std::vector<Reach> reaches, StoredSizes& sizes) {
  std::sort(reaches.begin(), reaches.end(), [](const Reach& a, const Reach& b) {
    return std::tie(a.place, a.tree, a.inode) < std::tie(b.place, b.tree, b.inode);
  });
  for (std::size_t i = 0; i < reaches.size(); ++i) {
    const Reach& r = reaches[i];
    const bool before = i > 0 && reaches[i - 1].place == r.place;
    const bool after = i + 1 < reaches.size() && reaches[i + 1].place == r.place;
    if (before || after) sizes.sharers.push_back({r.tree, r.inode});
    if (!before || reaches[i - 1].tree != r.tree) sizes.extents.push_back({r.place, r.bytes, r.tree});
  }
  const auto key = [](const StoredSizes::Sharer& s) { return std::pair(s.tree, s.inode); };
  std::sort(sizes.sharers.begin(), sizes.sharers.end(),
            [&](const auto& a, const auto& b) { return key(a) < key(b); });
  sizes.sharers.erase(std::unique(sizes.sharers.begin(), sizes.sharers.end(),
                                  [&](const auto& a, const auto& b) { return key(a) == key(b); }),
                      sizes.sharers.end());
}

}  // namespace

Result<StoredSizes> readBtrfsExtents(int fd) {
  std::vector<std::uint64_t> trees;
  int err = searchTree(fd, BTRFS_ROOT_TREE_OBJECTID, {BTRFS_FS_TREE_OBJECTID, 0, 0}, BTRFS_LAST_FREE_OBJECTID,
                       [&](const Key& key, const char*, std::size_t) {
                         if (key.type == BTRFS_ROOT_ITEM_KEY && isSubvolume(key.object) &&
                             (trees.empty() || trees.back() != key.object))
                           trees.push_back(key.object);
                       });
  if (err != 0) return failErrno("extents", {}, err);
  StoredSizes sizes;
  std::vector<Reach> reaches;
  for (const std::uint64_t tree : trees) {
    sizes.trees.push_back({tree, 0});
    Reader reader(tree, sizes, reaches);
    err =
        searchTree(fd, tree, {BTRFS_FIRST_FREE_OBJECTID, 0, 0}, BTRFS_LAST_FREE_OBJECTID,
                   [&](const Key& key, const char* data, std::size_t size) { reader.item(key, data, size); });
    if (err == ENOENT) continue;  // dropped meanwhile
    if (err != 0) return failErrno("extents", {}, err);
    reader.finishInode();
  }
  settleReaches(std::move(reaches), sizes);
  return sizes;
}

}  // namespace zt
