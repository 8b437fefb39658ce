// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "core/os/file_system.h"

namespace zt {

using FileSystemPtr = std::shared_ptr<FileSystem>;

/// Hands every call on to another file system, which it keeps alive. A decorator overrides what it changes.
/// Same thread rule as the inner one.
class ForwardingFileSystem : public FileSystem {
public:
  explicit ForwardingFileSystem(FileSystemPtr inner) : kept_(std::move(inner)), inner_(*kept_) {}

  Result<FolderPtr> openRoot(const PathBytes& path) override { return inner_.openRoot(path); }
  Result<FolderPtr> openToRead(const PathBytes& path) override { return inner_.openToRead(path); }
  Result<FolderPtr> openFolder(const Folder& at, std::string_view name) override {
    return inner_.openFolder(at, name);
  }
  Result<FolderPtr> openBeneath(const Folder& root, std::string_view relative) override {
    return inner_.openBeneath(root, relative);
  }
  Result<FolderPtr> openNoLinks(const Folder& at, std::string_view relative) override {
    return inner_.openNoLinks(at, relative);
  }
  Result<EntryStat> stat(const Folder& at, std::string_view name) override { return inner_.stat(at, name); }
  Result<void> scan(const Folder& at, ScanSink& sink) override { return inner_.scan(at, sink); }
  Result<std::string> readFile(const Folder& at, std::string_view name, std::size_t limit) override {
    return inner_.readFile(at, name, limit);
  }
  Result<FileHead> readHead(const Folder& at, std::string_view name, std::size_t count) override {
    return inner_.readHead(at, name, count);
  }
  Result<OpenedFilePtr> openFile(const Folder& at, std::string_view name) override {
    return inner_.openFile(at, name);
  }
  Result<std::string> readLink(const Folder& at, std::string_view name) override {
    return inner_.readLink(at, name);
  }
  Result<ExtentFacts> extents(const Folder& at, std::string_view name) override {
    return inner_.extents(at, name);
  }
  Result<std::vector<FileExtent>> attributeMap(const Folder& at, std::string_view name) override {
    return inner_.attributeMap(at, name);
  }
  Result<std::vector<FileExtent>> fileMap(const Folder& at, std::string_view name) override {
    return inner_.fileMap(at, name);
  }
  Result<SpaceUsage> usage(const Folder& at) override { return inner_.usage(at); }
  Result<std::string> attribute(const Folder& at, std::string_view name, const std::string& key) override {
    return inner_.attribute(at, name, key);
  }
  Result<std::vector<std::string>> attributes(const Folder& at, std::string_view name) override {
    return inner_.attributes(at, name);
  }
  Result<MadeFilePtr> createFile(const Folder& at, std::string_view name, std::uint32_t mode) override {
    return inner_.createFile(at, name, mode);
  }
  Result<MadeFilePtr> openToChange(const Folder& at, std::string_view name) override {
    return inner_.openToChange(at, name);
  }
  Result<void> link(const Folder& from, std::string_view name, const Folder& to,
                    std::string_view newName) override {
    return inner_.link(from, name, to, newName);
  }
  Result<void> makeSymlink(const Folder& at, std::string_view name, const PathBytes& target) override {
    return inner_.makeSymlink(at, name, target);
  }
  Result<void> setTimes(const Folder& at, std::string_view name, TimeNs accessed, TimeNs modified) override {
    return inner_.setTimes(at, name, accessed, modified);
  }
  Result<void> setOwner(const Folder& at, std::string_view name, std::uint32_t owner,
                        std::uint32_t group) override {
    return inner_.setOwner(at, name, owner, group);
  }
  Result<void> setMode(const Folder& at, std::string_view name, std::uint32_t mode) override {
    return inner_.setMode(at, name, mode);
  }
  Result<void> setAttribute(const Folder& at, std::string_view name, const std::string& key,
                            const std::optional<std::string>& value) override {
    return inner_.setAttribute(at, name, key, value);
  }
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
  Result<void> appendFile(const Folder& at, std::string_view name, std::string_view bytes) override {
    return inner_.appendFile(at, name, bytes);
  }
  Result<void> rewriteFile(const Folder& at, std::string_view name, std::string_view expected,
                           std::string_view bytes) override {
    return inner_.rewriteFile(at, name, expected, bytes);
  }
  Result<void> syncFolder(const Folder& at) override { return inner_.syncFolder(at); }
  Result<void> syncAll(const Folder& at) override { return inner_.syncAll(at); }

private:
  FileSystemPtr kept_;

protected:
  FileSystem& inner_;
};

/// Passes a listing on, entry by entry changed. A decorator of a listing overrides `take` alone.
class ForwardingSink : public ScanSink {
public:
  explicit ForwardingSink(ScanSink& next) : next_(next) {}
  void folder(std::uint64_t inode) override { next_.folder(inode); }
  void answered() override { next_.answered(); }

protected:
  ScanSink& next_;
};

}  // namespace zt
