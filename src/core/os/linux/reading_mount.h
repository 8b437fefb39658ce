// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <mutex>

#include "core/base/path_bytes.h"
#include "core/base/result.h"

namespace zt {

/// How a folder is looked at so that listing it, and reading in it, sets no access time: through a mount that
/// keeps none anyway, or through a copy of its mount that is read-only and that nobody else sees. What lies
/// in a copy says the mount that it was copied from, so that nobody need know. Where other mounts lie
/// beneath, a copy would keep drives busy that nobody measures: then it is copied in pieces that have none.
class ReadingMount {
public:
  int original =
      -1;  ///< handle on what was copied (O_PATH), which keeps the drive from being unmounted meanwhile
  int copy = -1;  ///< handle on the copy; −1 where the mount itself is quiet, and where there are only pieces
  bool quiet = true;  ///< false where it must be read in pieces
  PathBytes at;       ///< what was copied, absolute and free of links
  std::uint64_t copiedId = 0;
  std::uint64_t originalId = 0;

  ReadingMount() = default;
  ~ReadingMount();
  ReadingMount(const ReadingMount&) = delete;
  ReadingMount& operator=(const ReadingMount&) = delete;
  std::uint64_t asOthersSeeIt(std::uint64_t mountId) const {
    return mountId == copiedId ? originalId : mountId;
  }
  /// The largest piece that a folder (absolute) lies in; nullptr where there is none. Any thread.
  std::shared_ptr<const ReadingMount> pieceOf(const PathBytes& folder) const;

private:
  mutable std::mutex mutex_;
  mutable std::map<PathBytes, std::shared_ptr<const ReadingMount>> pieces_;  ///< nullptr: cannot be copied
};
using ReadingMountPtr = std::shared_ptr<const ReadingMount>;

/// Whether this process may leave access times alone whosever a folder is (CAP_FOWNER).
bool mayKeepAllTimes();

/// What reading beneath the folder `opened` (at `path`, absolute and free of links) without a trace needs.
/// Whoever has the right copies the mount; an ordinary user copies it in a user namespace of its own, where
/// the system allows such and as far as no other mount lies beneath. Starts a process that ends at once. Any
/// thread. Source: open_tree(2), mount_setattr(2), user_namespaces(7); a read-only mount notes no access.
ReadingMountPtr readingMount(int opened, const PathBytes& path);

}  // namespace zt
