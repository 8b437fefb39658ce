// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/btrfs/btrfs_search.h"

#include <linux/btrfs.h>
#include <linux/btrfs_tree.h>
#include <sys/ioctl.h>

#include <cerrno>
#include <cstring>

#include "core/os/btrfs/btrfs_tally.h"

namespace zt {

namespace {

template <class T>
T get(const char* at) {
  T value{};
  std::memcpy(&value, at, sizeof value);  // little endian, as the machine (Btrfs on-disk format)
  return value;
}

/// Hands every item of a tree from `first` up to object `last` to `each(key, data)`. Gives errno, 0 if
/// all went well.
template <class Each>
int searchTree(int fd, std::uint64_t tree, BtrfsKey first, std::uint64_t last, Each each) {
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
      first = {head.objectid, static_cast<std::uint8_t>(head.type), head.offset};
      each(first, std::string_view(at, head.len));
      at += head.len;
    }
    if (++first.offset == 0 && ++first.type == 0) ++first.object;
  }
}

}  // namespace

Result<BtrfsRoots> searchBtrfsRoots(int fd) {
  BtrfsRootReader reader;
  const int err = searchTree(fd, BTRFS_ROOT_TREE_OBJECTID, {}, BTRFS_LAST_FREE_OBJECTID,
                             [&](const BtrfsKey& key, std::string_view data) { reader.item(key, data); });
  if (err != 0) return failErrno("extents", {}, err);
  return reader.finish();
}

Result<StoredSizes> searchBtrfsTrees(int fd, const BtrfsRoots& roots, const std::stop_token& stop) {
  BtrfsTally tally(roots.subvolumes);
  for (std::uint32_t i = 0; i < roots.subvolumes.size(); ++i) {
    if (stop.stop_requested()) return fail(Errc::cancelled, "extents");
    tally.begin(tally.sets().of(i));
    const int err =
        searchTree(fd, roots.subvolumes[i].id, {BTRFS_FIRST_FREE_OBJECTID, 0, 0}, BTRFS_LAST_FREE_OBJECTID,
                   [&](const BtrfsKey& key, std::string_view data) { tally.item(key, data); });
    if (err == ENOENT) continue;  // dropped meanwhile
    if (err != 0) return failErrno("extents", {}, err);
  }
  return tally.finish();
}

}  // namespace zt
