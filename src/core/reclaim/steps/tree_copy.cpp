// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/steps/tree_copy.h"

#include <algorithm>

#include "core/base/sha256.h"
#include "core/os/copy_facts.h"

namespace zt {

namespace {

constexpr std::size_t blockBytes = std::size_t{1} << 20;
/// What a file is called until it is whole.
constexpr std::string_view partName = ".zip-tally-part";

class Entries final : public ScanSink {
public:
  bool take(std::span<const ScannedEntry> batch) override {
    for (const auto& e : batch) {
      if (e.error != 0) failed = PathBytes(e.name);
      all.emplace_back(PathBytes(e.name), e.stat);
    }
    return true;
  }
  std::vector<std::pair<PathBytes, EntryStat>> all;
  std::optional<PathBytes> failed;
};

}  // namespace

TreeCopier::TreeCopier(Side from, Side to, Keeping keeping, std::stop_token stop,
                       std::function<void(Bytes)> went)
    : from_(std::move(from)),
      to_(std::move(to)),
      keeping_(keeping),
      stop_(std::move(stop)),
      went_(std::move(went)),
      block_(blockBytes) {}

bool TreeCopier::sameTime(TimeNs a, TimeNs b) const {
  return std::max(a, b) - std::min(a, b) < std::max<TimeNs>(keeping_.timeStep, 1);
}

Result<void> TreeCopier::copy(const PathBytes& path, const PathBytes& target, CopiedThing& thing) {
  if (auto above = foldersAbove(path, target, thing); !above) return above;
  return copyEntry(path, target, thing);
}

void TreeCopier::likeItsOwn(std::span<const std::string_view> own, std::size_t parts, const Folder& made) {
  PathBytes path;
  for (const auto part : own.first(parts)) path = joinPath(path, part);
  const auto source = from_.files->openBeneath(*from_.root, path);
  if (!source || !keeping_.owners) return;
  if (const auto stat = from_.files->stat(**source, {})) {
    (void)to_.files->setOwner(made, {}, stat->owner, stat->group);
    (void)to_.files->setMode(made, {}, stat->mode);
  }
}

/// Made with the owner and mode of those that the thing lies in, so that who could reach it still can.
Result<void> TreeCopier::foldersAbove(const PathBytes& path, const PathBytes& target, CopiedThing& thing) {
  const auto parts = splitPath(parentPath(target));
  const auto own = splitPath(parentPath(path));
  FolderPtr at = to_.root;
  PathBytes here;
  for (std::size_t i = 0; i < parts.size(); ++i) {
    here = joinPath(here, parts[i]);
    const auto made = to_.files->makeFolder(*at, parts[i], 0755);
    if (!made && made.error().code != Errc::taken) return made;
    auto next = to_.files->openFolder(*at, parts[i]);
    if (!next) return tl::unexpected(next.error());
    if (made) {
      thing.made.push_back(here);
      // The last parts are alike on both sides; what comes before them is the run's own folder.
      const std::size_t left = parts.size() - i;
      if (left <= own.size()) likeItsOwn(own, own.size() - left + 1, **next);
    }
    at = std::move(*next);
  }
  return {};
}

Result<void> TreeCopier::copyEntry(const PathBytes& path, const PathBytes& target, CopiedThing& thing) {
  if (stop_.stop_requested()) return fail(Errc::cancelled, "copy", path);
  const auto at = from_.files->openBeneath(*from_.root, parentPath(path));
  if (!at) return tl::unexpected(at.error());
  const auto stat = from_.files->stat(**at, baseName(path));
  if (!stat) return tl::unexpected(stat.error());
  CopiedEntry entry{path, *stat, {}};
  switch (stat->kind) {
    case EntryKind::folder:
      thing.entries.push_back(entry);
      return copyFolder(path, target, thing);
    case EntryKind::file:
      if (auto done = copyFile(**at, target, entry, thing); !done) return done;
      break;
    case EntryKind::symlink:
      if (auto done = copyLink(**at, target, entry, thing); !done) return done;
      break;
    case EntryKind::other:
      return fail(Errc::unsupported, "copy", path);
  }
  thing.entries.push_back(std::move(entry));
  return {};
}

Result<void> TreeCopier::copyFolder(const PathBytes& path, const PathBytes& target, CopiedThing& thing) {
  const auto to = to_.files->openBeneath(*to_.root, parentPath(target));
  if (!to) return tl::unexpected(to.error());
  const auto made = to_.files->makeFolder(**to, baseName(target), 0700);
  if (made)
    thing.made.push_back(target);
  else if (made.error().code != Errc::taken)
    return made;
  const auto from = from_.files->openBeneath(*from_.root, path);
  if (!from) return tl::unexpected(from.error());
  Entries entries;
  if (auto listed = from_.files->scan(**from, entries); !listed) return listed;
  if (entries.failed) return fail(Errc::io, "copy", joinPath(path, *entries.failed));
  const auto stat = from_.files->stat(**from, {});
  if (!stat) return tl::unexpected(stat.error());
  // In an order of our own, so that the list of one thing is the same on every drive.
  std::sort(entries.all.begin(), entries.all.end(),
            [](const auto& a, const auto& b) { return a.first < b.first; });
  for (const auto& [name, seen] : entries.all)
    if (auto done = copyEntry(joinPath(path, name), joinPath(target, name), thing); !done) return done;
  const auto at = from_.files->openBeneath(*from_.root, parentPath(path));
  if (!at) return tl::unexpected(at.error());
  // Last: what comes into a folder sets its time.
  return keepFacts(**at, baseName(path), **to, baseName(target), *stat);
}

Result<void> TreeCopier::keepFacts(const Folder& at, std::string_view name, const Folder& to,
                                   std::string_view copy, const EntryStat& stat) {
  return copyFacts(*from_.files, at, name, stat, *to_.files, to, copy, keeping_);
}

Result<void> TreeCopier::copyFile(const Folder& at, const PathBytes& target, CopiedEntry& entry,
                                  CopiedThing& thing) {
  const auto to = to_.files->openBeneath(*to_.root, parentPath(target));
  if (!to) return tl::unexpected(to.error());
  if (entry.stat.links > 1 && keeping_.links) {
    const auto [first, fresh] = first_.emplace(std::pair(entry.stat.device, entry.stat.inode), target);
    if (!fresh) {
      entry.again = true;
      const auto other = to_.files->openBeneath(*to_.root, parentPath(first->second));
      if (!other) return tl::unexpected(other.error());
      const auto linked = to_.files->link(**other, baseName(first->second), **to, baseName(target));
      if (linked) thing.made.push_back(target);
      return linked || linked.error().code == Errc::taken ? Result<void>{} : linked;
    }
  }
  auto source = from_.files->openFile(at, baseName(entry.path));
  if (!source) return tl::unexpected(source.error());
  const auto there = to_.files->stat(**to, baseName(target));
  const bool before = there && there->kind == EntryKind::file && there->length == entry.stat.length &&
                      sameTime(there->modified, entry.stat.modified);
  if (there && !before) {
    // Where a file has its name from the start, what an earlier copy left when it was cut short has it, too.
    const bool left =
        !keeping_.links && there->kind == EntryKind::file && mayReplace_ && mayReplace_(entry.path);
    if (!left) return fail(Errc::taken, "copy", target);
    if (auto gone = to_.files->unlink(**to, baseName(target)); !gone) return gone;
  }
  const auto read =
      before ? fill(**source, nullptr, entry.stat.length) : writeAside(**source, **to, at, target, entry);
  if (!read) return tl::unexpected(read.error());
  if (!before) thing.made.push_back(target);
  entry.read = *read;
  // What was written to while it was copied is no copy of anything.
  const auto now = (*source)->stat();
  if (!now || identityOf(*now) != identityOf(entry.stat)) return fail(Errc::changed, "copy", entry.path);
  return {};
}

/// Under another name until it is whole, where the file system can rename without writing over anything.
Result<Digest> TreeCopier::writeAside(OpenedFile& source, const Folder& to, const Folder& at,
                                      const PathBytes& target, const CopiedEntry& entry) {
  const PathBytes aside = keeping_.links ? PathBytes(partName) : PathBytes(baseName(target));
  if (keeping_.links) (void)to_.files->unlink(to, aside);  // what an earlier copy left when it was cut short
  auto made = to_.files->createFile(to, aside, 0600);
  if (!made) return tl::unexpected(made.error());
  auto read = fill(source, made->get(), entry.stat.length);
  made->reset();
  if (read)
    if (auto kept = keepFacts(at, baseName(entry.path), to, aside, entry.stat); !kept)
      read = tl::unexpected(kept.error());
  if (read && keeping_.links)
    if (auto named = to_.files->rename(to, aside, to, baseName(target)); !named)
      read = tl::unexpected(named.error());
  if (!read) (void)to_.files->unlink(to, aside);
  return read;
}

/// Reads a file to its end, holes as the zeros that they are, and writes what is no hole.
Result<Digest> TreeCopier::fill(OpenedFile& source, MadeFile* copy, Bytes length) {
  const auto hash = xxh3Hash();
  OpenedFile::Stretch data{0, keeping_.holes ? 0 : length};
  for (Bytes at = 0; at < length;) {
    if (stop_.stop_requested()) return fail(Errc::cancelled, "copy");
    if (keeping_.holes && at >= data.to) {
      auto next = source.nextData(at);
      if (!next) return tl::unexpected(next.error());
      data = next->empty() ? OpenedFile::Stretch{length, length} : *next;
    }
    const bool hole = at < data.from;
    const Bytes until = std::min({hole ? data.from : data.to, at + blockBytes, length});
    const auto want = static_cast<std::size_t>(until - at);
    const auto piece = std::span(block_).first(want);
    if (hole) {
      std::fill(piece.begin(), piece.end(), '\0');
    } else {
      const auto got = source.read(at, piece);
      if (!got) return tl::unexpected(got.error());
      if (*got < want) return fail(Errc::changed, "copy");
      if (copy != nullptr)
        if (auto put = copy->write(at, piece); !put) return tl::unexpected(put.error());
    }
    hash->add(piece);
    at = until;
    tell(want);
  }
  source.letGo({0, length});
  if (copy != nullptr)
    if (auto set = copy->setLength(length); !set) return tl::unexpected(set.error());
  return hash->finish();
}

Result<void> TreeCopier::copyLink(const Folder& at, const PathBytes& target, CopiedEntry& entry,
                                  CopiedThing& thing) {
  const auto says = from_.files->readLink(at, baseName(entry.path));
  if (!says) return tl::unexpected(says.error());
  const auto to = to_.files->openBeneath(*to_.root, parentPath(target));
  if (!to) return tl::unexpected(to.error());
  const auto made = to_.files->makeSymlink(**to, baseName(target), *says);
  if (!made && made.error().code == Errc::taken) {
    const auto there = to_.files->readLink(**to, baseName(target));
    return there && *there == *says ? Result<void>{} : made;
  }
  if (!made) return made;
  thing.made.push_back(target);
  return keepFacts(at, baseName(entry.path), **to, baseName(target), entry.stat);
}

bool TreeCopier::factsFit(const EntryStat& copy, const EntryStat& source) const {
  if (copy.kind != source.kind) return false;
  if (source.kind == EntryKind::file && copy.length != source.length) return false;
  if (keeping_.owners && (copy.owner != source.owner || copy.group != source.group)) return false;
  if (keeping_.owners && source.kind != EntryKind::symlink && copy.mode != source.mode) return false;
  // File systems of other systems set a folder's time as they like.
  if (!keeping_.owners && source.kind == EntryKind::folder) return true;
  return sameTime(copy.modified, source.modified);
}

Result<std::string> TreeCopier::readBack(const CopiedThing& thing, const PathBytes& path,
                                         const PathBytes& target, std::string_view under) {
  std::string lines;
  for (const CopiedEntry& entry : thing.entries) {
    if (stop_.stop_requested()) return fail(Errc::cancelled, "read-back", entry.path);
    const PathBytes at = entry.path == path ? target : joinPath(target, entry.path.substr(path.size() + 1));
    auto sum = readOne(entry, at);
    if (!sum) return sum;
    const std::string_view named =
        under.empty() ? std::string_view(entry.path) : std::string_view(entry.path).substr(under.size() + 1);
    if (!sum->empty()) lines += checksumLine(*sum, named);
  }
  return lines;
}

/// The checksum of a file as it stands there; of anything else nothing.
Result<std::string> TreeCopier::readOne(const CopiedEntry& entry, const PathBytes& at) {
  const auto folder = to_.files->openBeneath(*to_.root, parentPath(at));
  if (!folder) return tl::unexpected(folder.error());
  const auto stat = to_.files->stat(**folder, baseName(at));
  if (!stat) return tl::unexpected(stat.error());
  if (!factsFit(*stat, entry.stat)) return fail(Errc::changed, "read-back", at);
  if (entry.stat.kind == EntryKind::symlink) {
    const auto source = from_.files->openBeneath(*from_.root, parentPath(entry.path));
    const auto one = source ? from_.files->readLink(**source, baseName(entry.path))
                            : Result<std::string>(tl::unexpected(source.error()));
    const auto other = to_.files->readLink(**folder, baseName(at));
    return one && other && *one == *other ? Result<std::string>(std::string())
                                          : fail(Errc::changed, "read-back", at);
  }
  if (entry.stat.kind != EntryKind::file) return std::string();
  auto copy = to_.files->openFile(**folder, baseName(at));
  if (!copy) return tl::unexpected(copy.error());
  (*copy)->letGo({0, entry.stat.length});
  const auto hash = xxh3Hash();
  Sha256 sum;
  for (Bytes from = 0; from < entry.stat.length;) {
    if (stop_.stop_requested()) return fail(Errc::cancelled, "read-back", at);
    const auto want = static_cast<std::size_t>(std::min<Bytes>(blockBytes, entry.stat.length - from));
    const auto got = (*copy)->read(from, std::span(block_).first(want));
    if (!got) return tl::unexpected(got.error());
    if (*got < want) return fail(Errc::changed, "read-back", at);
    hash->add(std::span<const char>(block_).first(want));
    sum.add(std::span<const char>(block_).first(want));
    from += want;
    tell(0);
  }
  (*copy)->letGo({0, entry.stat.length});
  if (!entry.again && hash->finish() != entry.read) return fail(Errc::changed, "read-back", at);
  return sum.finish();
}

void TreeCopier::remove(const CopiedThing& thing) {
  for (auto path = thing.made.rbegin(); path != thing.made.rend(); ++path) {
    const auto folder = to_.files->openBeneath(*to_.root, parentPath(*path));
    if (!folder) continue;
    const auto stat = to_.files->stat(**folder, baseName(*path));
    if (!stat) continue;
    if (stat->kind == EntryKind::folder)
      (void)to_.files->removeFolder(**folder, baseName(*path));
    else
      (void)to_.files->unlink(**folder, baseName(*path));
  }
}

std::string checksumLine(const std::string& sum, std::string_view path) {
  std::string name;
  bool escaped = false;
  for (const char c : path) {
    const bool odd = c == '\\' || c == '\n' || c == '\r';
    escaped = escaped || odd;
    name += !odd ? std::string(1, c) : c == '\\' ? "\\\\" : c == '\n' ? "\\n" : "\\r";
  }
  return (escaped ? "\\" : "") + sum + "  " + name + "\n";
}

}  // namespace zt
