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
  Result<void> rewriteFile(const Folder& at, std::string_view name, std::string_view expected,
                           std::string_view bytes) override {
    if (auto ok = hook_("rewrite", name); !ok) return ok;
    return ForwardingFileSystem::rewriteFile(at, name, expected, bytes);
  }
  Result<MadeFilePtr> createFile(const Folder& at, std::string_view name, std::uint32_t mode) override {
    if (auto ok = hook_("create", name); !ok) return tl::unexpected(ok.error());
    return faulty(ForwardingFileSystem::createFile(at, name, mode), name);
  }
  Result<MadeFilePtr> openToChange(const Folder& at, std::string_view name) override {
    if (auto ok = hook_("open-to-change", name); !ok) return tl::unexpected(ok.error());
    return faulty(ForwardingFileSystem::openToChange(at, name), name);
  }
  Result<void> link(const Folder& from, std::string_view name, const Folder& to,
                    std::string_view newName) override {
    if (auto ok = hook_("link", name); !ok) return ok;
    return ForwardingFileSystem::link(from, name, to, newName);
  }
  Result<void> makeSymlink(const Folder& at, std::string_view name, const PathBytes& target) override {
    if (auto ok = hook_("symlink", name); !ok) return ok;
    return ForwardingFileSystem::makeSymlink(at, name, target);
  }
  Result<void> setTimes(const Folder& at, std::string_view name, TimeNs accessed, TimeNs modified) override {
    if (auto ok = hook_("times", name); !ok) return ok;
    return ForwardingFileSystem::setTimes(at, name, accessed, modified);
  }
  Result<void> setOwner(const Folder& at, std::string_view name, std::uint32_t owner,
                        std::uint32_t group) override {
    if (auto ok = hook_("owner", name); !ok) return ok;
    return ForwardingFileSystem::setOwner(at, name, owner, group);
  }
  Result<void> setMode(const Folder& at, std::string_view name, std::uint32_t mode) override {
    if (auto ok = hook_("mode", name); !ok) return ok;
    return ForwardingFileSystem::setMode(at, name, mode);
  }
  Result<void> setAttribute(const Folder& at, std::string_view name, const std::string& key,
                            const std::optional<std::string>& value) override {
    if (auto ok = hook_("set-attribute", name); !ok) return ok;
    return ForwardingFileSystem::setAttribute(at, name, key, value);
  }

private:
  /// A file whose changes fail as the hook says.
  class Faulty final : public MadeFile {
  public:
    Faulty(MadeFilePtr file, Hook hook, std::string name)
        : file_(std::move(file)), hook_(std::move(hook)), name_(std::move(name)) {}
    Result<EntryStat> stat() override { return file_->stat(); }
    Result<void> write(Bytes offset, std::span<const char> bytes) override {
      const auto ok = hook_("write", name_);
      return ok ? file_->write(offset, bytes) : ok;
    }
    Result<Bytes> copy(OpenedFile& from, Stretch what) override {
      if (auto ok = hook_("copy", name_); !ok) return tl::unexpected(ok.error());
      return file_->copy(from, what);
    }
    Result<Bytes> shareWith(OpenedFile& other, Stretch what) override {
      if (auto ok = hook_("share", name_); !ok) return tl::unexpected(ok.error());
      return file_->shareWith(other, what);
    }
    Result<void> punch(Stretch what) override {
      const auto ok = hook_("punch", name_);
      return ok ? file_->punch(what) : ok;
    }
    Result<void> setLength(Bytes length) override {
      const auto ok = hook_("length", name_);
      return ok ? file_->setLength(length) : ok;
    }
    Result<void> lock() override { return file_->lock(); }
    Result<void> sync() override {
      const auto ok = hook_("sync-file", name_);
      return ok ? file_->sync() : ok;
    }

  private:
    MadeFilePtr file_;
    Hook hook_;
    std::string name_;
  };
  Result<MadeFilePtr> faulty(Result<MadeFilePtr> made, std::string_view name) {
    if (!made) return made;
    return MadeFilePtr(std::make_unique<Faulty>(std::move(*made), hook_, std::string(name)));
  }
  Hook hook_;
};

}  // namespace zt::test
