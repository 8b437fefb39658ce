// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <map>
#include <span>
#include <stop_token>

#include "core/match/content_hash.h"
#include "core/os/file_system.h"
#include "core/os/keeping.h"

namespace zt {

/// One entry of a thing that was copied: what its copy has to be.
struct CopiedEntry {
  PathBytes path;      ///< below both roots
  EntryStat stat;      ///< of what it was copied from
  Digest read;         ///< of a file: what was read while it was copied
  bool again = false;  ///< another name of a file that came before it
};

/// A file or a folder with all that lies in it, copied.
struct CopiedThing {
  std::vector<CopiedEntry> entries;  ///< a folder before what lies in it
  std::vector<PathBytes> made;       ///< what was not there before, in the order of making
};

/// Copies a file, a link or a folder with all that lies in it from one file system to another, as far as that
/// keeps it: holes, times, owner, mode, attributes and lists of rights, names of one file. What stands there
/// already, of one length and time, is taken for copied before, and looked at as all else. Nothing is ever
/// written over. A file has its name only when it is whole. One thread at a time.
class TreeCopier {
public:
  struct Side {
    std::shared_ptr<FileSystem> files;
    FolderPtr root;
  };
  TreeCopier(Side from, Side to, Keeping keeping, std::stop_token stop, std::function<void(Bytes)> went);

  /// Asked, where a file cannot be renamed safely, whether one that is not what it should be was left by a
  /// copy that was cut short; by the path that it is copied from.
  void mayReplace(std::function<bool(const PathBytes&)> ask) { mayReplace_ = std::move(ask); }
  /// Copies what lies at `path` below the one root to `target` below the other; the folders above it are
  /// made as they are there. Into `thing` comes what was copied so far, whatever it ends with. Fails with
  /// cancelled, taken, unsupported for what is neither file, folder nor link, changed where a file changed
  /// meanwhile, and as the calls do.
  Result<void> copy(const PathBytes& path, const PathBytes& target, CopiedThing& thing);
  /// Reads a copy back, past the cache as far as the system allows that, and compares it with what was read
  /// when it was copied, and what the file system keeps of its facts. Gives the lines of the list of
  /// checksums, with the paths that it was copied from, below `under`. Fails with changed for the first that
  /// differs.
  Result<std::string> readBack(const CopiedThing& thing, const PathBytes& path, const PathBytes& target,
                               std::string_view under = {});
  /// Takes away what `copy` made, the last first. What somebody else put in it stays, and its folders.
  void remove(const CopiedThing& thing);

private:
  Result<void> copyEntry(const PathBytes& path, const PathBytes& target, CopiedThing& thing);
  Result<void> copyFolder(const PathBytes& path, const PathBytes& target, CopiedThing& thing);
  Result<void> copyFile(const Folder& at, const PathBytes& target, CopiedEntry& entry, CopiedThing& thing);
  Result<Digest> fill(OpenedFile& source, MadeFile* copy, Bytes length);
  Result<Digest> writeAside(OpenedFile& source, const Folder& to, const Folder& at, const PathBytes& target,
                            const CopiedEntry& entry);
  Result<void> copyLink(const Folder& at, const PathBytes& target, CopiedEntry& entry, CopiedThing& thing);
  Result<void> keepFacts(const Folder& at, std::string_view name, const Folder& to, std::string_view copy,
                         const EntryStat& stat);
  void likeItsOwn(std::span<const std::string_view> own, std::size_t parts, const Folder& made);
  Result<void> foldersAbove(const PathBytes& path, const PathBytes& target, CopiedThing& thing);
  Result<std::string> readOne(const CopiedEntry& entry, const PathBytes& at);
  bool factsFit(const EntryStat& copy, const EntryStat& source) const;
  bool sameTime(TimeNs a, TimeNs b) const;
  void tell(Bytes more) {
    gone_ += more;
    if (went_) went_(gone_);
  }

  Side from_, to_;
  Keeping keeping_;
  std::stop_token stop_;
  std::function<void(Bytes)> went_;
  std::function<bool(const PathBytes&)> mayReplace_;
  Bytes gone_ = 0;
  std::vector<char> block_;
  std::map<std::pair<std::uint64_t, std::uint64_t>, PathBytes> first_;  ///< of a file with several names
};

/// One line as `sha256sum` writes and reads it: what would end the line is escaped.
std::string checksumLine(const std::string& sum, std::string_view path);

}  // namespace zt
