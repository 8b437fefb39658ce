// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <stop_token>
#include <string>
#include <vector>

#include "core/os/file_system.h"
#include "core/os/stored_sizes.h"

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

/// The port to what a drive holds that no walk of its files shows. Reading only. Any thread.
class DriveInsides {
public:
  virtual ~DriveInsides() = default;

  /// `mountTarget` is where the file system of that type is mounted.
  virtual Overhead overhead(std::string_view fsType, const PathBytes& mountTarget) = 0;

  /// Fails with unsupported on file systems whose block counts can be believed, notPermitted without rights.
  virtual Result<StoredSizes> storedSizes(std::string_view fsType, const PathBytes& mountTarget,
                                          const std::stop_token& stop) = 0;
  /// The subvolumes that may be seen without rights. Fails with unsupported where there are none such.
  virtual Result<std::vector<Subvolume>> visible(std::string_view fsType, const PathBytes& mountTarget) {
    (void)fsType;
    return fail(Errc::unsupported, "points", mountTarget);
  }
  /// The subvolume that a folder lies in, as `storedSizes` numbers them.
  virtual Result<std::uint64_t> treeOf(const Folder& folder) = 0;

  /// Whether the volume behind a mount says of itself that it was not closed as it should be. Fails with
  /// unsupported for kinds of which that need not be asked: their own drivers mend them before they are
  /// mounted; with notPermitted where the device may not be read.
  virtual Result<bool> leftOpen(std::string_view /*fsType*/, const PathBytes& /*source*/,
                                std::string_view /*options*/) {
    return fail(Errc::unsupported, "volume");
  }

  /// A folder seen through a copy of its mount on which nothing is mounted over anything. Fails with
  /// notPermitted without rights.
  struct Uncovered {
    std::shared_ptr<FileSystemReader> files;
    FolderPtr folder;
  };
  virtual Result<Uncovered> uncovered(const PathBytes& folder) = 0;
};

}  // namespace zt
