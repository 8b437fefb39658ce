// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/rights/fallback_file_system.h"

#include <cerrno>

#include "core/os/linux/linux_calls.h"
#include "core/os/linux/linux_folder.h"
#include "core/os/paths.h"

namespace zt {

namespace {

/// A folder that the helper holds open.
class Lent final : public Folder {
public:
  explicit Lent(FolderPtr folder) : inner(std::move(folder)) {}
  bool keepsAccessTime() const override { return inner->keepsAccessTime(); }
  FolderPtr inner;
};

const Lent* lent(const Folder& folder) {
  return dynamic_cast<const Lent*>(&folder);
}

Result<FolderPtr> asLent(Result<FolderPtr> opened) {
  if (!opened) return opened;
  return std::make_shared<Lent>(std::move(*opened));
}

bool closed(const Error& error) {
  return error.code == Errc::notPermitted;
}

}  // namespace

const Folder& lender(const Folder& folder) {
  const Lent* l = lent(folder);
  return l == nullptr ? folder : *l->inner;
}

Result<FolderPtr> FallbackFileSystem::openRoot(const PathBytes& path) {
  root_ = path;
  return openTop(inner_.openRoot(path));
}

Result<FolderPtr> FallbackFileSystem::openToRead(const PathBytes& path) {
  root_ = path;
  return openTop(inner_.openToRead(path));
}

Result<FolderPtr> FallbackFileSystem::openTop(Result<FolderPtr> direct) {
  if (direct || !closed(direct.error())) return direct;
  return FolderPtr(std::make_shared<Lent>(access_.root()));
}

/// The helper goes its own way down from the root. Should the folder have moved meanwhile, it finds another
/// one or none; the walk compares the inode, as for every folder.
Result<FolderPtr> FallbackFileSystem::sameFromHelper(const Folder& at, std::string_view name) {
  const auto& folder = static_cast<const LinuxFolder&>(at);
  auto path = openedPath(folder.fd());
  if (!path) return tl::unexpected(path.error());
  // In a copy of a mount, paths begin at what was copied.
  if (const auto& mount = folder.mount(); mount != nullptr && mount->copy >= 0)
    path = joinPath(mount->at, path->substr(1));
  if (*path != root_ && !beneath(*path, root_ == "/" ? "" : root_))
    return fail(Errc::outsideRoot, "open", *path);
  const PathBytes relative = path->substr(std::min(path->size(), root_ == "/" ? 1 : root_.size() + 1));
  return asLent(access_.files().openBeneath(*access_.root(), joinPath(relative, name)));
}

Result<FolderPtr> FallbackFileSystem::openFolder(const Folder& at, std::string_view name) {
  if (const Lent* l = lent(at)) return asLent(access_.files().openFolder(*l->inner, name));
  auto direct = inner_.openFolder(at, name);
  if (direct || !closed(direct.error())) return direct;
  auto helped = sameFromHelper(at, name);
  return helped ? helped : direct;
}

Result<FolderPtr> FallbackFileSystem::openBeneath(const Folder& root, std::string_view relative) {
  if (const Lent* l = lent(root)) return asLent(access_.files().openBeneath(*l->inner, relative));
  auto direct = inner_.openBeneath(root, relative);
  if (direct || !closed(direct.error())) return direct;
  return asLent(access_.files().openBeneath(*access_.root(), relative));
}

Result<EntryStat> FallbackFileSystem::stat(const Folder& at, std::string_view name) {
  if (const Lent* l = lent(at)) return access_.files().stat(*l->inner, name);
  return inner_.stat(at, name);
}

Result<void> FallbackFileSystem::scan(const Folder& at, ScanSink& sink) {
  /// The helper may read where its user may not write; of whom it does not know.
  class Owned final : public ForwardingSink {
  public:
    using ForwardingSink::ForwardingSink;
    bool take(std::span<const ScannedEntry> entries) override {
      entries_.assign(entries.begin(), entries.end());
      for (ScannedEntry& e : entries_)
        e.stat.foreign = e.stat.kind == EntryKind::folder &&
                         !UserRights::mine().changes(e.stat.mode, e.stat.owner, static_cast<gid_t>(-1));
      return next_.take(entries_);
    }

  private:
    std::vector<ScannedEntry> entries_;
  } owned(sink);
  if (const Lent* l = lent(at)) return access_.files().scan(*l->inner, owned);
  if (!at.keepsAccessTime() && access_.root()->keepsAccessTime())
    if (const auto helped = sameFromHelper(at, {})) {
      static_cast<const LinuxFolder&>(at).readElsewhere();
      return scan(**helped, sink);
    }
  /// Ends the listing at once where the names may be read but nothing of what they name.
  class Probe final : public ForwardingSink {
  public:
    using ForwardingSink::ForwardingSink;
    bool take(std::span<const ScannedEntry> entries) override {
      if (first_ && !entries.empty()) blind = entries.front().error == EACCES;
      first_ = first_ && entries.empty();
      return !blind && next_.take(entries);
    }
    bool blind = false;

  private:
    bool first_ = true;
  } probe(sink);
  auto direct = inner_.scan(at, probe);
  if (!probe.blind) return direct;
  const auto helped = sameFromHelper(at, {});
  if (!helped) return inner_.scan(at, sink);
  return scan(**helped, sink);
}

Result<std::string> FallbackFileSystem::readFile(const Folder& at, std::string_view name, std::size_t limit) {
  if (lent(at) != nullptr) return fail(Errc::notPermitted, "read", PathBytes(name));
  return inner_.readFile(at, name, limit);
}

Result<FileHead> FallbackFileSystem::readHead(const Folder& at, std::string_view name, std::size_t count) {
  if (lent(at) != nullptr) return fail(Errc::notPermitted, "look", PathBytes(name));
  return inner_.readHead(at, name, count);
}

Result<std::string> FallbackFileSystem::attribute(const Folder& at, std::string_view name,
                                                  const std::string& key) {
  if (lent(at) != nullptr) return fail(Errc::notPermitted, "attribute", PathBytes(name));
  return inner_.attribute(at, name, key);
}

Result<OpenedFilePtr> FallbackFileSystem::openFile(const Folder& at, std::string_view name) {
  if (lent(at) != nullptr) return fail(Errc::notPermitted, "open", PathBytes(name));
  return inner_.openFile(at, name);
}

Result<ExtentFacts> FallbackFileSystem::extents(const Folder& at, std::string_view name) {
  if (const Lent* l = lent(at)) return access_.files().extents(*l->inner, name);
  return inner_.extents(at, name);
}

Result<std::vector<FileExtent>> FallbackFileSystem::fileMap(const Folder& at, std::string_view name) {
  if (const Lent* l = lent(at)) return access_.files().fileMap(*l->inner, name);
  return inner_.fileMap(at, name);
}

Result<SpaceUsage> FallbackFileSystem::usage(const Folder& at) {
  if (const Lent* l = lent(at)) return access_.files().usage(*l->inner);
  auto usage = inner_.usage(at);
  if (usage && !usage->rise.refill)
    if (const auto seen = access_.files().usage(*access_.root())) usage->rise.refill = seen->rise.refill;
  return usage;
}

Result<void> FallbackFileSystem::syncAll(const Folder& at) {
  if (lent(at) != nullptr) return {};
  return inner_.syncAll(at);
}

}  // namespace zt
