// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <random>
#include <vector>

#include "core/os/forwarding_file_system.h"

namespace zt::test {

/// One write to a file comes out with one bit wrong, whenever it is armed.
class Flipping final : public ForwardingFileSystem {
public:
  Flipping(FileSystemPtr inner, std::mt19937& random)
      : ForwardingFileSystem(std::move(inner)), random_(random) {}
  Result<MadeFilePtr> createFile(const Folder& at, std::string_view name, std::uint32_t mode) override {
    auto made = ForwardingFileSystem::createFile(at, name, mode);
    if (!made) return made;
    return MadeFilePtr(std::make_unique<File>(std::move(*made), *this));
  }
  Result<MadeFilePtr> openToChange(const Folder& at, std::string_view name) override {
    auto opened = ForwardingFileSystem::openToChange(at, name);
    if (!opened) return opened;
    return MadeFilePtr(std::make_unique<File>(std::move(*opened), *this));
  }
  bool armed = false;
  int sparing = 0;  ///< so many writes come out right before
  int flips = 0;
  int writes = 0;

private:
  class File final : public MadeFile {
  public:
    File(MadeFilePtr inner, Flipping& owner) : inner_(std::move(inner)), owner_(owner) {}
    Result<EntryStat> stat() override { return inner_->stat(); }
    Result<void> write(Bytes offset, std::span<const char> bytes) override {
      ++owner_.writes;
      std::vector<char> wrong(bytes.begin(), bytes.end());
      if (owner_.armed && !wrong.empty() && owner_.sparing-- <= 0) {
        wrong[owner_.random_() % wrong.size()] ^= static_cast<char>(1u << (owner_.random_() % 8));
        owner_.armed = false;
        ++owner_.flips;
      }
      return inner_->write(offset, wrong);
    }
    Result<Bytes> copy(OpenedFile& from, Stretch what) override { return inner_->copy(from, what); }
    Result<void> punch(Stretch what) override { return inner_->punch(what); }
    Result<void> setLength(Bytes length) override { return inner_->setLength(length); }
    Result<void> sync() override { return inner_->sync(); }
    Result<void> lock() override { return inner_->lock(); }

  private:
    MadeFilePtr inner_;
    Flipping& owner_;
  };
  std::mt19937& random_;
};

}  // namespace zt::test
