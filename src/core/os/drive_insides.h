// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "core/os/file_system.h"

namespace zt {

/// Bytes within a file system's own capacity figure that are neither free nor any file's.
struct Overhead {
  struct Part {
    std::string id;  ///< "inode-chunks", "pool", "headers", "metadata", "global-reserve"…
    Bytes bytes = 0;
  };
  bool known = false;  ///< false: this kind of file system does not say, or the rights are lacking
  std::vector<Part> parts;
  Bytes deviceBytes = 0;  ///< size of the device below; 0 if unknown
  Bytes sum() const;
};

/// What files really occupy on a file system that compresses, inlines or shares (Btrfs), from its trees.
struct StoredSizes {
  /// A file whose stored bytes are not what its block count says.
  struct File {
    std::uint64_t tree = 0;  ///< subvolume number
    std::uint64_t inode = 0;
    Bytes stored = 0;  ///< its extents, each once; an extent that is held for a part of it counts whole
  };
  /// A file some of whose extents another file has too, here or in another subvolume.
  struct Sharer {
    std::uint64_t tree = 0;
    std::uint64_t inode = 0;
  };
  /// One extent as one subvolume reaches it; sorted by place, then by tree, each pair once.
  struct Extent {
    std::uint64_t place = 0;
    Bytes bytes = 0;
    std::uint64_t tree = 0;
  };
  struct Tree {
    std::uint64_t id = 0;
    Bytes stored = 0;  ///< by its files, summed; what several of them share counts with each
  };
  std::vector<Tree> trees;
  std::vector<File> files;
  std::vector<Sharer> sharers;
  std::vector<Extent> extents;
  Bytes compressed = 0;  ///< not stored, because compressed
  Bytes inlined = 0;     ///< counted by files, but stored among the metadata
  Bytes pinned = 0;      ///< held by files though overwritten: their extent still stands whole
};

/// The port to what a drive holds that no walk of its files shows. Reading only. Any thread.
class DriveInsides {
public:
  virtual ~DriveInsides() = default;

  /// `mountTarget` is where the file system of that type is mounted.
  virtual Overhead overhead(std::string_view fsType, const PathBytes& mountTarget) = 0;

  /// Fails with unsupported on file systems whose block counts can be believed, notPermitted without rights.
  virtual Result<StoredSizes> storedSizes(std::string_view fsType, const PathBytes& mountTarget) = 0;
  /// The subvolume that a folder lies in, as `storedSizes` numbers them.
  virtual Result<std::uint64_t> treeOf(const Folder& folder) = 0;

  /// A folder seen through a copy of its mount on which nothing is mounted over anything. Fails with
  /// notPermitted without rights.
  struct Uncovered {
    std::shared_ptr<FileSystemReader> files;
    FolderPtr folder;
  };
  virtual Result<Uncovered> uncovered(const PathBytes& folder) = 0;
};

}  // namespace zt
