// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/forwarding_file_system.h"

namespace zt {

/// Whether files of a kind of file system can hold bytes that do not come free with them.
enum class BlockSharing : std::uint8_t {
  never,   ///< every block belongs to one file
  asked,   ///< each file can be asked (FIEMAP)
  unknown  ///< nobody says: what lies beneath may share, compress, or be somebody else's
};
BlockSharing blockSharing(std::string_view fsType);

/// Asks of every listed file whether others may hold some of its extents, and marks those where they may or
/// where nobody says. Any thread.
class SharedExtents final : public ForwardingFileSystem {
public:
  SharedExtents(FileSystemPtr inner, BlockSharing sharing)
      : ForwardingFileSystem(std::move(inner)), sharing_(sharing) {}

  Result<EntryStat> stat(const Folder& at, std::string_view name) override;
  Result<void> scan(const Folder& at, ScanSink& sink) override;

private:
  bool mayShare(const Folder& at, std::string_view name, const EntryStat& stat);
  BlockSharing sharing_;
};

}  // namespace zt
