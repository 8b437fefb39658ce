// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <string>
#include <string_view>

#include "core/base/bytes.h"
#include "core/base/clock.h"
#include "core/base/result.h"
#include "demo/guest_disks.h"

namespace zt::demo {

/// Writes real files below a new folder: sparse, with distinct data at head and tail. Not for a drive that is
/// measured; it only builds what the demonstration measures. One thread.
class TreeWriter {
public:
  explicit TreeWriter(std::string root) : root_(std::move(root)) {}

  struct File {
    std::string path;
    Bytes length = 0;
    std::string key;   ///< decides the content
    std::string head;  ///< literal bytes at the start
    TimeNs modified = 0;
    int owner = 0;
    int mode = 0644;
    bool differs = false;  ///< in one byte near the end from others of its key
    Pieces pieces = {};    ///< its whole content, where it is not made up
  };
  Result<void> folder(const std::string& path, int owner = 0, int mode = 0755);
  Result<void> file(const File& file);
  Result<void> hardLink(const std::string& from, const std::string& to);
  Result<void> symlink(const std::string& target, const std::string& path);
  Result<void> fifo(const std::string& path);
  /// A chain of folders longer than PATH_MAX with one small file at its end.
  Result<void> deepChain(const std::string& top, int levels, TimeNs modified);
  /// Gives every folder the latest time of what is in it, deepest first, and the modes that were asked for.
  Result<void> settle();

  std::uint64_t files = 0;
  std::uint64_t folders = 0;

private:
  void seen(const std::string& path, TimeNs modified);
  std::string at(const std::string& path) const { return root_ + "/" + path; }

  struct FolderFacts {
    TimeNs newest = 0;
    int mode = 0755;
  };
  std::string root_;
  std::map<std::string, FolderFacts> folders_;
};

}  // namespace zt::demo
