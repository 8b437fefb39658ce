// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <atomic>
#include <optional>
#include <stop_token>
#include <vector>

#include "core/match/content_hash.h"
#include "core/os/file_system.h"

namespace zt {

/// Reads the content of files in blocks of 64 KiB. A hole and a block of zeros are the same; holes are not
/// read.
class FileContent {
public:
  static constexpr std::size_t blockSize = std::size_t{64} * 1024;
  explicit FileContent(HashMaker hash = xxh3Hash);

  /// A digest of the first and last 4 KiB. Fails as reading does, and with changed where the file is shorter
  /// than `length`.
  Result<Digest> ends(OpenedFile& file, Bytes length);
  /// A digest of all. `read` grows while it is read. Fails with cancelled, changed.
  Result<Digest> whole(OpenedFile& file, Bytes length, std::atomic<Bytes>& read, const std::stop_token& stop);

private:
  Result<void> fill(OpenedFile& file, OpenedFile::Stretch of, OpenedFile::Stretch& data,
                    std::atomic<Bytes>& read);
  void addBlocks(OpenedFile::Stretch of);
  std::unique_ptr<ContentHash> hash_;
  std::vector<char> buffer_;
};

/// Compares two files byte by byte, whatever their digests say: the offset of the first difference, or
/// nothing where they are equal. What is a hole in both is not read. `budget` is how much of each may be
/// read, and is used up. Fails with cancelled, also where the budget is at its end, and as reading does.
Result<std::optional<Bytes>> firstDifference(OpenedFile& a, OpenedFile& b, const std::stop_token& stop,
                                             Bytes* budget = nullptr);

}  // namespace zt
