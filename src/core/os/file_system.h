// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/bytes.h"
#include "core/base/clock.h"
#include "core/base/path_bytes.h"
#include "core/base/result.h"

namespace zt {

enum class EntryKind : std::uint8_t { file, folder, symlink, other };

/// What the file system says of one entry. Times in nanoseconds since 1970 UTC; `born` is 0 where it is not
/// kept.
struct EntryStat {
  EntryKind kind = EntryKind::other;
  std::uint32_t mode = 0;  ///< permission bits only
  std::uint64_t inode = 0;
  std::uint64_t device = 0;   ///< major << 32 | minor; differs between the subvolumes of one mount
  std::uint64_t mountId = 0;  ///< as in the mount table; 0 where the kernel does not say
  std::uint32_t links = 1;
  std::uint32_t owner = 0;
  std::uint32_t group = 0;
  Bytes length = 0;
  Bytes occupied = 0;  ///< blocks, not length
  TimeNs modified = 0;
  TimeNs accessed = 0;
  TimeNs changed = 0;
  TimeNs born = 0;
  /// Others may hold some of its bytes too (shared extents), or hold them otherwise than the block count
  /// says.
  bool mayShare = false;
  /// Nobody can remove it, or of a folder what lies in it, as long as it is marked so: immutable,
  /// append-only.
  bool fixed = false;
  /// Who works here lacks the right to remove it, or of a folder what lies in it.
  bool foreign = false;
  bool point = false;  ///< the top of a snapshot: a state that was kept, and not part of what lies around it
};

/// What the file system says of how a file is stored.
struct ExtentFacts {
  bool shared = false;   ///< another file or a snapshot has some of the same extents
  bool encoded = false;  ///< compressed, or kept among the metadata: its block count is not what it takes
  Bytes first = 0;       ///< where on the device its first extent lies; 0 where nobody says
};

/// One run of a file's bytes as the file system stores it.
struct FileExtent {
  Bytes at = 0;     ///< in the file
  Bytes place = 0;  ///< in the file system's own numbering of its bytes
  Bytes bytes = 0;
  bool shared = false;  ///< others hold some of it, too
  bool plain = true;    ///< false: compressed, inlined, or its place is not settled
  bool written = true;  ///< false: set aside, and read as zeros
};

/// What one entry was when it was measured; plans keep this, and the guard compares it before anything is
/// touched.
struct Identity {
  EntryKind kind = EntryKind::other;
  std::uint64_t inode = 0;
  Bytes length = 0;
  TimeNs modified = 0;
  std::uint32_t bornMark = 0;     ///< `timeMark` of the birth time
  std::uint32_t changedMark = 0;  ///< `timeMark` of the change time
  bool operator==(const Identity&) const = default;
};

/// A time folded to 32 bits, for comparing only; 0 stays 0 (not kept).
std::uint32_t timeMark(TimeNs time);
/// A time, one of many, that folds to a mark: for telling another program of an entry of which only that is
/// known.
TimeNs timeOfMark(std::uint32_t mark);

Identity identityOf(const EntryStat& stat);

/// Whether it is the same thing with the same content. The change time is left out: renaming it sets it anew.
bool sameContent(const Identity& a, const Identity& b);

/// One entry of a listing. `name` is valid during the call only. With `error` set only name and kind are
/// known.
struct ScannedEntry {
  std::string_view name;
  EntryStat stat;
  int error = 0;  ///< errno of a stat that failed, 0 if none
};

/// Takes a listing, batch by batch, on the scanning thread. `take` gives false to end the listing early.
class ScanSink {
public:
  virtual ~ScanSink() = default;
  /// Told first, where the listing says so: the inode of the folder that is listed.
  virtual void folder(std::uint64_t /*inode*/) {}
  virtual bool take(std::span<const ScannedEntry> entries) = 0;
  /// Told whenever the system has answered on the way, so that a slow listing is not taken for a dead one.
  virtual void answered() {}
};

/// An open folder. Closing is its destruction. May be used from several threads at once.
class Folder {
public:
  virtual ~Folder() = default;
  /// False where listing this folder may set its access time (no right to O_NOATIME).
  virtual bool keepsAccessTime() const { return true; }
};
using FolderPtr = std::shared_ptr<Folder>;

/// How a counter of free bytes answers to bytes that come free.
struct CounterRise {
  /// So much must come free before it rises at all: what is kept back for others is used up by it. Nothing
  /// where that is not known.
  std::optional<Bytes> refill = 0;
  Bytes follows = 0;  ///< may come beside, once the file system has room for its own records again
  /// It rises by `least` to `most` times a file's bytes, divided by `of`: files can be stored more than once.
  unsigned least = 1, most = 1, of = 1;
  bool operator==(const CounterRise&) const = default;
};

/// Room on the file system that a folder lies on, in bytes and entries.
struct SpaceUsage {
  Bytes capacity = 0;
  Bytes block = 4096;   ///< what files are stored in
  Bytes free = 0;       ///< all free blocks, the reserved ones among them
  Bytes available = 0;  ///< what ordinary users can have; reserved = free − available
  CounterRise rise;
  std::uint64_t inodes = 0;
  std::uint64_t inodesFree = 0;
  bool readOnly = false;
  /// Whether a part of a file that is given back comes free at once. Some file systems keep what was written
  /// at once until the last of it goes.
  bool holesGive = true;
  Bytes reserved() const { return free > available ? free - available : 0; }
  Bytes used() const { return capacity > free ? capacity - free : 0; }
  bool operator==(const SpaceUsage&) const = default;
};

/// The size of a file and its first bytes.
struct FileHead {
  std::uint64_t size = 0;
  std::string bytes;
};

/// An open regular file that is read by ranges, without setting its access time. One thread at a time.
class OpenedFile {
public:
  /// Bytes [from, to); empty where from == to.
  struct Stretch {
    Bytes from = 0;
    Bytes to = 0;
    bool empty() const { return from == to; }
  };
  virtual ~OpenedFile() = default;
  /// What it is now.
  virtual Result<EntryStat> stat() = 0;
  /// Reads at an offset; fewer bytes than wanted only at the end.
  virtual Result<std::size_t> read(Bytes offset, std::span<char> into) = 0;
  /// The next stretch that is no hole, at or after an offset; empty where none follows. Where the file system
  /// does not say, all that follows.
  virtual Result<Stretch> nextData(Bytes offset) = 0;
  /// What was read is not needed again: large files need not push everything else out of memory.
  virtual void letGo(Stretch /*read*/) {}
  /// Who reads in the end: itself, or what it stands before.
  virtual OpenedFile& reader() { return *this; }
};
using OpenedFilePtr = std::unique_ptr<OpenedFile>;

/// An open regular file that is being made or changed, by ranges. One thread at a time. Nothing of it is
/// durable before `sync`; its name is only when its folder was synced.
class MadeFile {
public:
  using Stretch = OpenedFile::Stretch;
  virtual ~MadeFile() = default;
  virtual Result<EntryStat> stat() = 0;
  /// Writes all of it at an offset; what lies between the old end and there reads as zeros. Fails with
  /// noSpace.
  virtual Result<void> write(Bytes offset, std::span<const char> bytes) = 0;
  /// Copies a stretch of another file to the same place, by the file system itself where it can (there they
  /// may share it then). Gives how much; less only where the other ends.
  virtual Result<Bytes> copy(OpenedFile& from, Stretch what) = 0;
  /// Lets a stretch be stored once, together with the same stretch of another file on this file system, which
  /// compares the two itself: content does not change. Gives how much; less where it does no more at once.
  /// Fails with changed where they differ, unsupported, otherDevice.
  virtual Result<Bytes> shareWith(OpenedFile& /*other*/, Stretch /*what*/) {
    return fail(Errc::unsupported, "share");
  }
  /// Of a file that is empty yet: it is to be stored as another is, copied at each writing or not. Does
  /// nothing where the file system knows no such thing.
  virtual Result<void> storeLike(OpenedFile& /*other*/) { return {}; }
  /// Gives the bytes of a stretch back; it reads as zeros, and the length stays. Fails with unsupported where
  /// the file system has no holes.
  virtual Result<void> punch(Stretch what) = 0;
  /// Cuts off, or adds a hole.
  virtual Result<void> setLength(Bytes length) = 0;
  virtual Result<void> sync() = 0;
  /// Keeps others who ask for a lock out as long as it is open. Fails with inUse where somebody has one;
  /// succeeds where the file system has none.
  virtual Result<void> lock() { return {}; }
};
using MadeFilePtr = std::unique_ptr<MadeFile>;

/// The reading half of the port to the file system. Every call may come from any thread.
/// Names are single parts (no '/'); an empty name means the folder itself. Nothing here follows a symbolic
/// link.
class FileSystemReader {
public:
  virtual ~FileSystemReader() = default;

  /// Opens the folder that will be the root of all further work. `path` is absolute, or relative to the
  /// working directory.
  virtual Result<FolderPtr> openRoot(const PathBytes& path) = 0;
  /// As `openRoot`, for reading alone: nothing can be changed by it, and where the system allows that,
  /// listing sets no access time, whosever the folders are. To be let go soon: the drive cannot be unmounted
  /// meanwhile.
  virtual Result<FolderPtr> openToRead(const PathBytes& path) { return openRoot(path); }
  /// Opens a direct subfolder; fails with notAFolder on anything else, symbolic links included, and with
  /// otherDevice where another file system is mounted on it.
  virtual Result<FolderPtr> openFolder(const Folder& at, std::string_view name) = 0;
  /// Opens a folder any number of levels below `root`; never through a symbolic link, a mount, or "..".
  /// An empty path opens the root once more. Fails with outsideRoot, otherDevice, notThere, notAFolder.
  virtual Result<FolderPtr> openBeneath(const Folder& root, std::string_view relative) = 0;
  /// Opens a folder below `at` through no symbolic link and not by "..", but across mounts if need be.
  virtual Result<FolderPtr> openNoLinks(const Folder& at, std::string_view relative) {
    return openBeneath(at, relative);
  }
  virtual Result<EntryStat> stat(const Folder& at, std::string_view name) = 0;
  /// Lists a folder with the stat of every entry, in the order of the file system. "." and ".." are left out.
  virtual Result<void> scan(const Folder& at, ScanSink& sink) = 0;
  /// Reads a regular file whole without setting its access time; fails with badInput if it is longer than
  /// `limit` bytes, notPermitted where the access time would change, placeholder where its content lies
  /// elsewhere: then it was not opened.
  virtual Result<std::string> readFile(const Folder& at, std::string_view name, std::size_t limit) = 0;
  /// Reads the first bytes of a regular file (at most `count`) without setting its access time; fails with
  /// notPermitted where that cannot be avoided, placeholder where its content lies elsewhere: then it was not
  /// opened.
  virtual Result<FileHead> readHead(const Folder& at, std::string_view name, std::size_t count) = 0;
  /// Opens a regular file for reading by ranges; fails with notPermitted where its access time would change,
  /// placeholder where its content lies elsewhere: then it was not opened.
  virtual Result<OpenedFilePtr> openFile(const Folder& /*at*/, std::string_view name) {
    return fail(Errc::unsupported, "open", PathBytes(name));
  }
  /// What a symbolic link says. Fails with notPermitted where its access time would change.
  virtual Result<std::string> readLink(const Folder& /*at*/, std::string_view name) {
    return fail(Errc::unsupported, "read", PathBytes(name));
  }
  /// How a regular file is stored. Reads no content. Fails with unsupported where the file system does not
  /// say.
  virtual Result<ExtentFacts> extents(const Folder& at, std::string_view name) = 0;
  /// Every run of a regular file, in its order; of more than `mostExtents` it fails with badInput.
  virtual Result<std::vector<FileExtent>> fileMap(const Folder& /*at*/, std::string_view name) {
    return fail(Errc::unsupported, "extents", PathBytes(name));
  }
  /// Where the extended attributes of a regular file lie that do not fit into its inode; nothing if none do
  /// so.
  virtual Result<std::vector<FileExtent>> attributeMap(const Folder& /*at*/, std::string_view name) {
    return fail(Errc::unsupported, "extents", PathBytes(name));
  }
  static constexpr std::size_t mostExtents = 1'000'000;
  virtual Result<SpaceUsage> usage(const Folder& at) = 0;
  /// An extended attribute of an entry, at most 64 KiB; the entry itself is not opened. Fails with notThere
  /// where it has none of that name, unsupported where the file system has no such things.
  virtual Result<std::string> attribute(const Folder& /*at*/, std::string_view name,
                                        const std::string& /*key*/) {
    return fail(Errc::unsupported, "attribute", PathBytes(name));
  }
  /// The names of all extended attributes of an entry that who works here may see, lists of rights among them
  /// ("system.posix_acl_access").
  virtual Result<std::vector<std::string>> attributes(const Folder& /*at*/, std::string_view name) {
    return fail(Errc::unsupported, "attribute", PathBytes(name));
  }
};

/// The whole port. Every changing call is relative to an open folder, names a single part, and follows no
/// symbolic link. An empty name means the folder itself where only its facts are set.
class FileSystem : public FileSystemReader {
public:
  /// Makes a regular file; fails with taken where the name is in use, whatever is there.
  virtual Result<MadeFilePtr> createFile(const Folder& at, std::string_view name, std::uint32_t mode) = 0;
  /// Opens a regular file that is there, to change it where it lies. Fails with notAFile, notPermitted.
  virtual Result<MadeFilePtr> openToChange(const Folder& at, std::string_view name) = 0;
  /// Another name for a file; fails with taken, otherDevice, unsupported where files have one name only.
  virtual Result<void> link(const Folder& from, std::string_view name, const Folder& to,
                            std::string_view newName) = 0;
  /// A symbolic link that says `target`, whatever that is; fails with taken, unsupported.
  virtual Result<void> makeSymlink(const Folder& at, std::string_view name, const PathBytes& target) = 0;
  /// Nanoseconds since 1970 UTC; the file system keeps them as finely as it can.
  virtual Result<void> setTimes(const Folder& at, std::string_view name, TimeNs accessed,
                                TimeNs modified) = 0;
  virtual Result<void> setOwner(const Folder& at, std::string_view name, std::uint32_t owner,
                                std::uint32_t group) = 0;
  /// Permission bits; fails with unsupported for a symbolic link.
  virtual Result<void> setMode(const Folder& at, std::string_view name, std::uint32_t mode) = 0;
  /// An extended attribute, lists of rights among them; nullopt takes it away (notThere where there is none).
  /// Fails with unsupported where the file system has none such.
  virtual Result<void> setAttribute(const Folder& at, std::string_view name, const std::string& key,
                                    const std::optional<std::string>& value) = 0;
  virtual Result<void> makeFolder(const Folder& at, std::string_view name, std::uint32_t mode) = 0;
  /// Moves within one file system; fails with taken where the new name is in use, otherDevice across mounts
  /// or subvolumes.
  virtual Result<void> rename(const Folder& from, std::string_view name, const Folder& to,
                              std::string_view newName) = 0;
  virtual Result<void> unlink(const Folder& at, std::string_view name) = 0;
  virtual Result<void> removeFolder(const Folder& at, std::string_view name) = 0;
  /// Adds to the end of a file of our own, which is made if need be (only its owner may read it), and returns
  /// when that has reached the device.
  virtual Result<void> appendFile(const Folder& at, std::string_view name, std::string_view bytes) = 0;
  /// Gives a small text file another content as a whole: whoever reads it sees the old or the new one. Owner,
  /// mode and attributes stay. Fails with changed if it does not read as `expected`.
  virtual Result<void> rewriteFile(const Folder& at, std::string_view name, std::string_view expected,
                                   std::string_view bytes) {
    (void)at, (void)expected, (void)bytes;
    return fail(Errc::unsupported, "rewrite", PathBytes(name));
  }
  /// Writes the folder's entries to the device.
  virtual Result<void> syncFolder(const Folder& at) = 0;
  /// Writes the whole file system out, so that its figures are true. Does not change content.
  virtual Result<void> syncAll(const Folder& at) = 0;
};

}  // namespace zt
