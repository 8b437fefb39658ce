// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/forwarding_file_system.h"
#include "core/os/rights/privileged.h"

namespace zt {

/// What a folder really is: that of the helper, where it was lent by it; else the folder itself.
const Folder& lender(const Folder& folder);

/// The file system as this program may see it, and where that ends, as the helper sees it; and what this
/// program could list only by setting an access time, the helper lists. Only reading falls back; whatever
/// changes something goes the direct way or not at all. Any thread.
class FallbackFileSystem : public ForwardingFileSystem {
public:
  FallbackFileSystem(FileSystemPtr direct, std::shared_ptr<PrivilegedAccess> access)
      : ForwardingFileSystem(std::move(direct)), kept_(std::move(access)), access_(*kept_) {}

  Result<FolderPtr> openRoot(const PathBytes& path) override;
  Result<FolderPtr> openToRead(const PathBytes& path) override;
  Result<FolderPtr> openFolder(const Folder& at, std::string_view name) override;
  Result<FolderPtr> openBeneath(const Folder& root, std::string_view relative) override;
  Result<EntryStat> stat(const Folder& at, std::string_view name) override;
  Result<void> scan(const Folder& at, ScanSink& sink) override;
  Result<std::string> readFile(const Folder& at, std::string_view name, std::size_t limit) override;
  Result<FileHead> readHead(const Folder& at, std::string_view name, std::size_t count) override;
  Result<std::string> attribute(const Folder& at, std::string_view name, const std::string& key) override;
  Result<OpenedFilePtr> openFile(const Folder& at, std::string_view name) override;
  Result<ExtentFacts> extents(const Folder& at, std::string_view name) override;
  Result<std::vector<FileExtent>> fileMap(const Folder& at, std::string_view name) override;
  Result<SpaceUsage> usage(const Folder& at) override;
  Result<void> syncAll(const Folder& at) override;

protected:
  /// `root` is open already, at this path.
  FallbackFileSystem(FileSystemPtr direct, std::shared_ptr<PrivilegedAccess> access, PathBytes root)
      : FallbackFileSystem(std::move(direct), std::move(access)) {
    root_ = std::move(root);
  }
  /// The helper's view of a folder that this program has open.
  Result<FolderPtr> sameFromHelper(const Folder& at, std::string_view name);

private:
  std::shared_ptr<PrivilegedAccess> kept_;
  PrivilegedAccess& access_;
  Result<FolderPtr> openTop(Result<FolderPtr> direct);
  PathBytes root_;  ///< set by openRoot and openToRead, before anything else is opened
};

}  // namespace zt
