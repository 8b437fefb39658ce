// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <mutex>

#include "core/os/forwarding_file_system.h"
#include "core/survey/survey.h"

namespace zt {

/// Whether files of a kind of file system can hold bytes that do not come free with them.
enum class BlockSharing : std::uint8_t {
  never,       ///< every block belongs to one file
  attributes,  ///< but for blocks of extended attributes, which are one for files that have the same ones
  asked,       ///< each file can be asked (FIEMAP), and a block comes free when nobody holds it any more
  whole,       ///< likewise, but an extent stays whole as long as somebody holds a part of it
  unknown      ///< nobody says: what lies beneath may share, compress, or be somebody else's
};
BlockSharing blockSharing(std::string_view fsType);

/// Asks of every listed file whether others may hold some of its extents, marks those where they may or where
/// nobody says, and keeps where their shared extents lie. Any thread.
class SharedExtents final : public ForwardingFileSystem {
public:
  /// `block`: of the file system, bytes.
  SharedExtents(FileSystemPtr inner, BlockSharing sharing, Bytes block = 4096)
      : ForwardingFileSystem(std::move(inner)), sharing_(sharing), block_(block) {}

  Result<EntryStat> stat(const Folder& at, std::string_view name) override;
  Result<void> scan(const Folder& at, ScanSink& sink) override;

  /// Who holds what of the files that were asked, and of those that `before` knew of and that were not asked
  /// anew. `allSeen`: there are no other files. Nothing where no file shares.
  HoldingsPtr holdings(const SurveyTree& tree, const Holdings* before, bool allSeen) const;

private:
  struct Stretch {
    std::uint64_t inode = 0;
    Bytes place = 0;
    Bytes bytes = 0;
  };
  bool mayShare(const Folder& at, std::string_view name, const EntryStat& stat);
  bool mayShareAttributes(const Folder& at, std::string_view name, const EntryStat& stat);
  void note(const Folder& at, std::string_view name, const EntryStat& stat);

  BlockSharing sharing_;
  Bytes block_;
  mutable std::mutex mutex_;        ///< guards what follows
  std::vector<Stretch> stretches_;  ///< of an inode with several names more than once
};

}  // namespace zt
