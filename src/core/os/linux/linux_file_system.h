// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/file_system.h"

namespace zt {

/// The real file system through Linux system calls (openat2, getdents64, statx, renameat2). Any thread.
class LinuxFileSystem final : public FileSystem {
public:
  /// How folders are opened: by one call that the kernel keeps beneath the root, or folder by folder, each
  /// seen to be on the same mount, for a process that may not use that call.
  enum class Opening { atOnce, stepByStep };
  explicit LinuxFileSystem(Opening opening = Opening::atOnce) : opening_(opening) {}

  Result<FolderPtr> openRoot(const PathBytes& path) override;
  Result<FolderPtr> openToRead(const PathBytes& path) override;
  /// As `openToRead`, for a process that will have fewer rights when it reads than it has now.
  Result<FolderPtr> openWithoutTrace(const PathBytes& path);
  Result<FolderPtr> openFolder(const Folder& at, std::string_view name) override;
  Result<FolderPtr> openBeneath(const Folder& root, std::string_view relative) override;
  Result<FolderPtr> openNoLinks(const Folder& at, std::string_view relative) override;
  Result<EntryStat> stat(const Folder& at, std::string_view name) override;
  Result<void> scan(const Folder& at, ScanSink& sink) override;
  Result<std::string> readFile(const Folder& at, std::string_view name, std::size_t limit) override;
  Result<std::string> attribute(const Folder& at, std::string_view name, const std::string& key) override;
  Result<FileHead> readHead(const Folder& at, std::string_view name, std::size_t count) override;
  Result<OpenedFilePtr> openFile(const Folder& at, std::string_view name) override;
  Result<std::string> readLink(const Folder& at, std::string_view name) override;
  Result<ExtentFacts> extents(const Folder& at, std::string_view name) override;
  Result<std::vector<FileExtent>> attributeMap(const Folder& at, std::string_view name) override;
  Result<std::vector<FileExtent>> fileMap(const Folder& at, std::string_view name) override;
  Result<SpaceUsage> usage(const Folder& at) override;
  Result<std::vector<std::string>> attributes(const Folder& at, std::string_view name) override;
  Result<MadeFilePtr> createFile(const Folder& at, std::string_view name, std::uint32_t mode) override;
  Result<MadeFilePtr> openToChange(const Folder& at, std::string_view name) override;
  Result<void> link(const Folder& from, std::string_view name, const Folder& to,
                    std::string_view newName) override;
  Result<void> makeSymlink(const Folder& at, std::string_view name, const PathBytes& target) override;
  Result<void> setTimes(const Folder& at, std::string_view name, TimeNs accessed, TimeNs modified) override;
  Result<void> setOwner(const Folder& at, std::string_view name, std::uint32_t owner,
                        std::uint32_t group) override;
  Result<void> setMode(const Folder& at, std::string_view name, std::uint32_t mode) override;
  Result<void> setAttribute(const Folder& at, std::string_view name, const std::string& key,
                            const std::optional<std::string>& value) override;
  Result<void> makeFolder(const Folder& at, std::string_view name, std::uint32_t mode) override;
  Result<void> rename(const Folder& from, std::string_view name, const Folder& to,
                      std::string_view newName) override;
  Result<void> unlink(const Folder& at, std::string_view name) override;
  Result<void> removeFolder(const Folder& at, std::string_view name) override;
  Result<void> appendFile(const Folder& at, std::string_view name, std::string_view bytes) override;
  Result<void> rewriteFile(const Folder& at, std::string_view name, std::string_view expected,
                           std::string_view bytes) override;
  Result<void> syncFolder(const Folder& at) override;
  Result<void> syncAll(const Folder& at) override;

private:
  Result<FolderPtr> openFolderDirectly(const Folder& at, std::string_view name);
  Result<FolderPtr> openBeneathDirectly(const Folder& root, std::string_view relative);
  Opening opening_;
};

}  // namespace zt
