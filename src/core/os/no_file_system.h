// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/file_system.h"

namespace zt {

/// Stands for a drive that is not here: nothing can be opened, read or changed. Any thread.
class NoFileSystem final : public FileSystem {
public:
  /// `why` is the code that every call fails with.
  explicit NoFileSystem(Errc why) : why_(why) {}
  Result<FolderPtr> openRoot(const PathBytes& path) override { return none(path); }
  Result<FolderPtr> openFolder(const Folder&, std::string_view name) override { return none(name); }
  Result<FolderPtr> openBeneath(const Folder&, std::string_view path) override { return none(path); }
  Result<EntryStat> stat(const Folder&, std::string_view name) override { return none(name); }
  Result<void> scan(const Folder&, ScanSink&) override { return none({}); }
  Result<std::string> readFile(const Folder&, std::string_view name, std::size_t) override {
    return none(name);
  }
  Result<FileHead> readHead(const Folder&, std::string_view name, std::size_t) override { return none(name); }
  Result<ExtentFacts> extents(const Folder&, std::string_view name) override { return none(name); }
  Result<SpaceUsage> usage(const Folder&) override { return none({}); }
  Result<MadeFilePtr> createFile(const Folder&, std::string_view name, std::uint32_t) override {
    return none(name);
  }
  Result<MadeFilePtr> openToChange(const Folder&, std::string_view name) override { return none(name); }
  Result<void> link(const Folder&, std::string_view name, const Folder&, std::string_view) override {
    return none(name);
  }
  Result<void> makeSymlink(const Folder&, std::string_view name, const PathBytes&) override {
    return none(name);
  }
  Result<void> setTimes(const Folder&, std::string_view name, TimeNs, TimeNs) override { return none(name); }
  Result<void> setOwner(const Folder&, std::string_view name, std::uint32_t, std::uint32_t) override {
    return none(name);
  }
  Result<void> setMode(const Folder&, std::string_view name, std::uint32_t) override { return none(name); }
  Result<void> setAttribute(const Folder&, std::string_view name, const std::string&,
                            const std::optional<std::string>&) override {
    return none(name);
  }
  Result<void> makeFolder(const Folder&, std::string_view name, std::uint32_t) override { return none(name); }
  Result<void> rename(const Folder&, std::string_view name, const Folder&, std::string_view) override {
    return none(name);
  }
  Result<void> unlink(const Folder&, std::string_view name) override { return none(name); }
  Result<void> removeFolder(const Folder&, std::string_view name) override { return none(name); }
  Result<void> appendFile(const Folder&, std::string_view name, std::string_view) override {
    return none(name);
  }
  Result<void> syncFolder(const Folder&) override { return none({}); }
  Result<void> syncAll(const Folder&) override { return none({}); }

private:
  tl::unexpected<Error> none(std::string_view path) const { return fail(why_, "open", PathBytes(path)); }
  Errc why_;
};

}  // namespace zt
