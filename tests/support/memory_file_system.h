// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <string>
#include <vector>

#include "core/os/file_system.h"

namespace zt::test {

/// A file system in memory that records every call and can fail the n-th one. Passes the same contract suite
/// as the real adapter.
class MemoryFileSystem final : public FileSystem {
public:
  struct Node {
    EntryStat stat;
    std::string content;
    std::map<std::string, std::shared_ptr<Node>> children;
    std::map<std::string, std::string> attributes;
  };

  MemoryFileSystem();
  /// Set-up: makes folders on the way; a path ending in '/' is a folder.
  std::shared_ptr<Node> add(const std::string& path, const std::string& content = {});
  void link(const std::string& from, const std::string& to);
  /// Set-up: a symbolic link.
  void point(const std::string& path, const std::string& target);
  /// Set-up: when it was last modified.
  void age(const std::string& path, TimeNs modified);
  const std::string& content(const std::string& path) const { return find(path)->content; }
  bool has(const std::string& path) const { return find(path) != nullptr; }
  /// Makes the call with this number (counted from 1, of all calls) fail.
  void failCall(std::size_t number, Errc code);
  const std::vector<std::string>& calls() const { return calls_; }
  Bytes capacity = 1'000'000'000;

  Result<FolderPtr> openRoot(const PathBytes& path) override;
  Result<FolderPtr> openFolder(const Folder& at, std::string_view name) override;
  Result<FolderPtr> openBeneath(const Folder& root, std::string_view relative) override;
  Result<EntryStat> stat(const Folder& at, std::string_view name) override;
  Result<void> scan(const Folder& at, ScanSink& sink) override;
  Result<std::string> readFile(const Folder& at, std::string_view name, std::size_t limit) override;
  Result<FileHead> readHead(const Folder& at, std::string_view name, std::size_t count) override;
  Result<std::string> attribute(const Folder& at, std::string_view name, const std::string& key) override;
  Result<OpenedFilePtr> openFile(const Folder& at, std::string_view name) override;
  Result<std::string> readLink(const Folder& at, std::string_view name) override;
  Result<ExtentFacts> extents(const Folder& at, std::string_view name) override;
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
  Result<void> syncFolder(const Folder& at) override;
  Result<void> syncAll(const Folder& at) override;

private:
  std::shared_ptr<Node> find(const std::string& path) const;
  std::shared_ptr<Node> make(EntryKind kind);
  Result<void> enter(std::string_view call, std::string_view name);
  void touch(Node& node);
  Result<Node*> named(const Folder& at, std::string_view name, std::string_view call);
  MadeFilePtr changing(std::shared_ptr<Node> node);

  mutable std::mutex mutex_;
  std::shared_ptr<Node> root_;
  std::uint64_t nextInode_ = 1;
  TimeNs time_ = 1'000'000'000'000;
  std::vector<std::string> calls_;
  std::size_t failAt_ = 0;
  Errc failWith_ = Errc::io;
};

}  // namespace zt::test
