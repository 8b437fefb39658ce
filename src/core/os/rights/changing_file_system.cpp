// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/rights/changing_file_system.h"

#include <algorithm>

namespace zt {

namespace {
bool isLent(const Folder& folder) {
  return &lender(folder) != &folder;
}
}  // namespace

/// `direct` where the folder is this program's own; where that is not permitted, and where it is lent,
/// `helped` with the helper's view of it.
template <class Direct, class Helped>
Result<void> ChangingFileSystem::change(const Folder& at, Direct direct, Helped helped) {
  if (isLent(at)) return helped(lender(at));
  auto done = direct();
  if (done || done.error().code != Errc::notPermitted) return done;
  const auto view = sameFromHelper(at, {});
  return view ? helped(lender(**view)) : done;
}

Result<void> ChangingFileSystem::makeFolder(const Folder& at, std::string_view name, std::uint32_t mode) {
  return change(
      at, [&] { return inner_.makeFolder(at, name, mode); },
      [&](const Folder& view) { return changes_->makeFolder(view, name); });
}

Result<void> ChangingFileSystem::rename(const Folder& from, std::string_view name, const Folder& to,
                                        std::string_view newName) {
  const auto helped = [&](const Folder& a) {
    return change(
        to, [] { return Result<void>(fail(Errc::notPermitted, "rename")); },
        [&](const Folder& b) { return changes_->move(a, name, b, newName); });
  };
  if (isLent(to) && !isLent(from)) {
    const auto view = sameFromHelper(from, {});
    return view ? helped(lender(**view)) : Result<void>(tl::unexpected(view.error()));
  }
  return change(
      from, [&] { return inner_.rename(from, name, to, newName); }, helped);
}

Result<void> ChangingFileSystem::unlink(const Folder& at, std::string_view name) {
  return change(
      at, [&] { return inner_.unlink(at, name); },
      [&](const Folder& view) { return changes_->remove(view, name, false); });
}

Result<void> ChangingFileSystem::removeFolder(const Folder& at, std::string_view name) {
  return change(
      at, [&] { return inner_.removeFolder(at, name); },
      [&](const Folder& view) { return changes_->remove(view, name, true); });
}

Result<void> ChangingFileSystem::appendFile(const Folder& at, std::string_view name, std::string_view bytes) {
  return change(
      at, [&] { return inner_.appendFile(at, name, bytes); },
      [&](const Folder& view) { return changes_->writeDown(view, name, bytes); });
}

Result<void> ChangingFileSystem::syncFolder(const Folder& at) {
  return change(
      at, [&] { return inner_.syncFolder(at); }, [&](const Folder& view) { return changes_->sync(view); });
}

Result<EntryStat> RightsCanBeAsked::stat(const Folder& at, std::string_view name) {
  auto stat = inner_.stat(at, name);
  if (stat) stat->foreign = false;
  return stat;
}

Result<void> RightsCanBeAsked::scan(const Folder& at, ScanSink& sink) {
  class Nobodys final : public ForwardingSink {
  public:
    using ForwardingSink::ForwardingSink;
    bool take(std::span<const ScannedEntry> entries) override {
      if (std::none_of(entries.begin(), entries.end(), [](const auto& e) { return e.stat.foreign; }))
        return next_.take(entries);
      entries_.assign(entries.begin(), entries.end());
      for (ScannedEntry& e : entries_) e.stat.foreign = false;
      return next_.take(entries_);
    }

  private:
    std::vector<ScannedEntry> entries_;
  } nobodys(sink);
  return inner_.scan(at, nobodys);
}

}  // namespace zt
