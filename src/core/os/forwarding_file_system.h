// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/file_system.h"

namespace zt {

/// Hands every call on to another file system. A decorator overrides what it changes. Same thread rule as the
/// inner one, which must outlive it.
class ForwardingFileSystem : public FileSystem {
public:
  explicit ForwardingFileSystem(FileSystem& inner) : inner_(inner) {}

  Result<FolderPtr> openRoot(const PathBytes& path) override { return inner_.openRoot(path); }
  Result<FolderPtr> openFolder(const Folder& at, std::string_view name) override {
    return inner_.openFolder(at, name);
  }
  Result<FolderPtr> openBeneath(const Folder& root, std::string_view relative) override {
    return inner_.openBeneath(root, relative);
  }
  Result<EntryStat> stat(const Folder& at, std::string_view name) override { return inner_.stat(at, name); }
  Result<void> scan(const Folder& at, ScanSink& sink) override { return inner_.scan(at, sink); }
  Result<std::string> readFile(const Folder& at, std::string_view name, std::size_t limit) override {
    return inner_.readFile(at, name, limit);
  }
  Result<FileHead> readHead(const Folder& at, std::string_view name, std::size_t count) override {
    return inner_.readHead(at, name, count);
  }
  Result<SpaceUsage> usage(const Folder& at) override { return inner_.usage(at); }
  Result<void> makeFolder(const Folder& at, std::string_view name, std::uint32_t mode) override {
    return inner_.makeFolder(at, name, mode);
  }
  Result<void> rename(const Folder& from, std::string_view name, const Folder& to,
                      std::string_view newName) override {
    return inner_.rename(from, name, to, newName);
  }
  Result<void> unlink(const Folder& at, std::string_view name) override { return inner_.unlink(at, name); }
  Result<void> removeFolder(const Folder& at, std::string_view name) override {
    return inner_.removeFolder(at, name);
  }
  Result<void> syncFolder(const Folder& at) override { return inner_.syncFolder(at); }
  Result<void> syncAll(const Folder& at) override { return inner_.syncAll(at); }

protected:
  FileSystem& inner_;
};

}  // namespace zt
