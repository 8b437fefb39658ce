// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/sites/stand_in_drive.h"

#include <absl/container/flat_hash_set.h>

namespace zt {

namespace {

/// Adds up what a folder's entries occupy, each inode once.
class Weigh final : public ScanSink {
public:
  bool take(std::span<const ScannedEntry> entries) override {
    for (const auto& e : entries) {
      if (e.error != 0) continue;
      if (e.stat.kind == EntryKind::folder) folders.emplace_back(e.name);
      if (e.stat.links < 2 || e.stat.kind == EntryKind::folder || seen.insert(e.stat.inode).second)
        bytes += e.stat.occupied;
    }
    return true;
  }
  Bytes bytes = 0;
  std::vector<PathBytes> folders;
  absl::flat_hash_set<std::uint64_t> seen;
};

void weighBeneath(FileSystemReader& files, const FolderPtr& top, Weigh& sum) {
  std::vector<std::pair<FolderPtr, PathBytes>> open;
  FolderPtr at = top;
  for (;;) {
    sum.folders.clear();
    if (at) (void)files.scan(*at, sum);
    for (auto& name : sum.folders) open.emplace_back(at, std::move(name));
    if (open.empty()) return;
    auto [parent, name] = std::move(open.back());
    open.pop_back();
    auto next = files.openFolder(*parent, name);
    at = next ? std::move(*next) : nullptr;
  }
}

}  // namespace

Result<std::unique_ptr<StandInDrive>> StandInDrive::open(const System& system, const PathBytes& folder) {
  const auto top = system.files->openRoot(folder);
  if (!top) return tl::unexpected(top.error());
  const auto text = system.files->readFile(**top, "manifest.json", std::size_t{16} * 1024 * 1024);
  if (!text)
    return fail(text.error().code == Errc::notThere ? Errc::notOurs : text.error().code, "stand-in", folder);
  auto manifest = parseStandIn(*text);
  if (!manifest) {
    manifest.error().path = joinPath(folder, "manifest.json");
    return tl::unexpected(manifest.error());
  }
  auto root = system.files->openFolder(**top, "drive");
  if (!root) return fail(Errc::notOurs, "stand-in", joinPath(folder, "drive"));
  std::unique_ptr<StandInDrive> drive(
      new StandInDrive(system, joinPath(folder, "drive"), *top, std::move(*root), std::move(*manifest)));
  drive->resolveDeclared();
  return drive;
}

StandInDrive::StandInDrive(const System& system, PathBytes root, FolderPtr top, FolderPtr folder,
                           StandInManifest manifest)
    : ForwardingFileSystem(system.files),
      realOpen_(system.openFiles),
      root_(std::move(root)),
      top_(std::move(top)),
      folder_(std::move(folder)),
      manifest_(std::move(manifest)) {}

/// Finds the inodes of what the manifest names; a name that is not there any more is passed over.
void StandInDrive::resolveDeclared() {
  const auto find = [&](const PathBytes& path) -> Result<EntryStat> {
    auto at = inner_.openBeneath(*folder_, parentPath(path));
    if (!at) return tl::unexpected(at.error());
    return inner_.stat(**at, baseName(path));
  };
  for (const auto& hole : manifest_.holes)
    if (const auto stat = find(hole.path)) holes_[stat->inode] = hole.occupied;
  for (const PathBytes& path : manifest_.stored)
    if (const auto stat = find(path)) stored_.insert(stat->inode);
  for (const auto& held : manifest_.held)
    if (!held.path.empty())
      if (const auto stat = find(held.path)) sharing_.insert(stat->inode);
  for (const auto& open : manifest_.openFiles)
    if (const auto stat = find(open.path))
      declaredOpen_.push_back({1, open.holder, stat->device, stat->inode, false, stat->length});
}

Drive StandInDrive::drive() {
  Drive d;
  d.id = manifest_.id;
  d.label = manifest_.name;
  d.target = root_;
  d.source = root_;
  d.fsType = manifest_.fsType;
  d.options = manifest_.options;
  d.role = manifest_.role;
  d.kind = manifest_.kind;
  d.standIn = true;
  if (const auto u = usage(*folder_)) d.usage = *u;
  d.size = sizeClassOf(d.usage.capacity);
  d.systems = systemsIn(*namesOn(inner_, folder_));
  if (!d.systems.empty()) d.systemName = systemNameOn(inner_, *folder_, d.systems.front());
  return d;
}

EntryStat StandInDrive::weigh(EntryStat stat) const {
  // All was made when the drive was built; in its story a thing is as old as it says.
  if (stat.modified < manifest_.built) stat.changed = stat.born = stat.modified;
  if (stat.kind != EntryKind::file) return stat;
  const auto hole = holes_.find(stat.inode);
  stat.occupied = hole == holes_.end() ? stat.length : hole->second;
  stat.mayShare = sharing_.contains(stat.inode);
  return stat;
}

Result<EntryStat> StandInDrive::stat(const Folder& at, std::string_view name) {
  auto real = inner_.stat(at, name);
  if (real) *real = weigh(*real);
  return real;
}

Result<OpenedFilePtr> StandInDrive::openFile(const Folder& at, std::string_view name) {
  class Weighed final : public OpenedFile {
  public:
    Weighed(const StandInDrive& drive, OpenedFilePtr real) : drive_(drive), real_(std::move(real)) {}
    Result<EntryStat> stat() override {
      auto now = real_->stat();
      if (now) *now = drive_.weigh(*now);
      return now;
    }
    Result<std::size_t> read(Bytes offset, std::span<char> into) override {
      return real_->read(offset, into);
    }
    /// Of what counts as written throughout there are no holes, but for what it does not occupy.
    Result<Stretch> nextData(Bytes offset) override {
      const auto now = stat();
      if (!now || !drive_.stored_.contains(now->inode)) return real_->nextData(offset);
      const Bytes end = std::min(now->length, now->occupied);
      return offset < end ? Stretch{offset, end} : Stretch{};
    }
    void letGo(Stretch read) override { real_->letGo(read); }

  private:
    const StandInDrive& drive_;
    OpenedFilePtr real_;
  };
  auto real = inner_.openFile(at, name);
  if (!real) return real;
  return OpenedFilePtr(std::make_unique<Weighed>(*this, std::move(*real)));
}

Result<void> StandInDrive::scan(const Folder& at, ScanSink& sink) {
  class Weighed final : public ForwardingSink {
  public:
    Weighed(const StandInDrive& drive, ScanSink& next) : ForwardingSink(next), drive_(drive) {}
    bool take(std::span<const ScannedEntry> entries) override {
      batch_.assign(entries.begin(), entries.end());
      for (auto& e : batch_) e.stat = drive_.weigh(e.stat);
      return next_.take(batch_);
    }

  private:
    const StandInDrive& drive_;
    std::vector<ScannedEntry> batch_;
  } weighed(*this, sink);
  return inner_.scan(at, weighed);
}

Result<SpaceUsage> StandInDrive::usage(const Folder&) {
  Weigh sum;
  weighBeneath(*this, folder_, sum);
  if (const auto top = inner_.stat(*folder_, {})) sum.bytes += top->occupied;
  const StandInManifest& m = manifest_;
  const Bytes used = sum.bytes + m.overhead + m.beneathMounts + m.openDeleted + heldBySnapshots();
  SpaceUsage u;
  u.capacity = m.capacity;
  u.free = used < m.capacity ? m.capacity - used : 0;
  u.available = u.free > m.reserved ? u.free - m.reserved : 0;
  u.rise.refill = m.reserved > u.free ? m.reserved - u.free : 0;
  u.inodes = 15'630'336;
  u.inodesFree = 14'000'000;
  return u;
}

Result<OpenFiles::Listing> StandInDrive::list() {
  auto real = realOpen_->list();
  if (real) real->files.insert(real->files.end(), declaredOpen_.begin(), declaredOpen_.end());
  return real;
}

}  // namespace zt
