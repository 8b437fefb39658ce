// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>

#include "core/os/forwarding_file_system.h"

namespace zt::test {

/// Forwards to a file system, and calls a hook before each changing call; what the hook gives as an error is
/// given back instead.
class FaultFileSystem final : public ForwardingFileSystem {
public:
  using Hook = std::function<Result<void>(std::string_view call, std::string_view name)>;
  FaultFileSystem(FileSystemPtr inner, Hook hook)
      : ForwardingFileSystem(std::move(inner)), hook_(std::move(hook)) {}

  Result<void> makeFolder(const Folder& at, std::string_view name, std::uint32_t mode) override {
    if (auto ok = hook_("make-folder", name); !ok) return ok;
    return ForwardingFileSystem::makeFolder(at, name, mode);
  }
  Result<void> rename(const Folder& from, std::string_view name, const Folder& to,
                      std::string_view newName) override {
    if (auto ok = hook_("rename", name); !ok) return ok;
    return ForwardingFileSystem::rename(from, name, to, newName);
  }
  Result<void> unlink(const Folder& at, std::string_view name) override {
    if (auto ok = hook_("unlink", name); !ok) return ok;
    return ForwardingFileSystem::unlink(at, name);
  }
  Result<void> removeFolder(const Folder& at, std::string_view name) override {
    if (auto ok = hook_("remove-folder", name); !ok) return ok;
    return ForwardingFileSystem::removeFolder(at, name);
  }
  Result<void> appendFile(const Folder& at, std::string_view name, std::string_view bytes) override {
    if (auto ok = hook_("append-file", name); !ok) return ok;
    return ForwardingFileSystem::appendFile(at, name, bytes);
  }

private:
  Hook hook_;
};

}  // namespace zt::test
