// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/rights/fallback_file_system.h"

namespace zt {

/// As the fallback; and where this program may not take something out of a folder, put it back or let it go,
/// the helper does, as far as its order goes. Everything else that changes something goes the direct way or
/// not at all. Any thread.
class ChangingFileSystem final : public FallbackFileSystem {
public:
  /// Works beneath `root`, an absolute path, which the helper's order is about.
  ChangingFileSystem(FileSystemPtr direct, std::shared_ptr<PrivilegedChanges> changes, PathBytes root)
      : FallbackFileSystem(std::move(direct), changes, std::move(root)), changes_(std::move(changes)) {}

  Result<void> makeFolder(const Folder& at, std::string_view name, std::uint32_t mode) override;
  Result<void> rename(const Folder& from, std::string_view name, const Folder& to,
                      std::string_view newName) override;
  Result<void> unlink(const Folder& at, std::string_view name) override;
  Result<void> removeFolder(const Folder& at, std::string_view name) override;
  Result<void> appendFile(const Folder& at, std::string_view name, std::string_view bytes) override;
  Result<void> syncFolder(const Folder& at) override;

private:
  template <class Direct, class Helped>
  Result<void> change(const Folder& at, Direct direct, Helped helped);
  std::shared_ptr<PrivilegedChanges> changes_;
};

/// A file system on which what is others' can be taken with rights that are asked for: nothing is told as
/// foreign that is only that. Any thread.
class RightsCanBeAsked final : public ForwardingFileSystem {
public:
  using ForwardingFileSystem::ForwardingFileSystem;
  Result<EntryStat> stat(const Folder& at, std::string_view name) override;
  Result<void> scan(const Folder& at, ScanSink& sink) override;
};

}  // namespace zt
