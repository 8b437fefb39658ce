// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <optional>
#include <span>
#include <vector>

#include "core/os/file_system.h"
#include "core/survey/tree/gain_model.h"

namespace zt {

/// Shares what a drive's free counter rose by among those that were at work meanwhile, each between what was
/// sure and what was at most to come from it. What is less than sure, or more than at most (the file system's
/// own structures, or others who wrote or freed), is shared in proportion. The shares sum to `rose` exactly;
/// with nothing to share among they are zero.
std::vector<SignedBytes> shareOut(SignedBytes rose, std::span<const GainBounds> among);

/// Reads a drive's free counter around pieces of work, and gives each its share of the rise. A reading writes
/// the file system out first, or figures lie for seconds; so short pieces share one.
class SpaceLedger {
public:
  static constexpr std::chrono::milliseconds usuallyApart{500};
  /// Reads the counter; `first` is its value. Readings while it works are `apart` at least.
  static Result<SpaceLedger> begin(FileSystem& files, FolderPtr root,
                                   std::chrono::milliseconds apart = usuallyApart);
  Bytes first() const { return first_; }
  Bytes last() const { return last_; }

  /// Pieces of work have ended, all that went on at once, each of which freed between so much and so much. If
  /// the last reading is old enough, the counter is read, and the pieces since the one before get their
  /// shares.
  void ended(std::span<const GainBounds> freed);
  /// The work is over. Some file systems free behind one's back: reads the counter until it stands, half a
  /// second at most, and gives what waits its shares.
  void settle();
  /// The share of each piece so far; those that still wait for a reading have none.
  const std::vector<SignedBytes>& shares() const { return shares_; }

private:
  SpaceLedger(FileSystem& files, FolderPtr root, Bytes free, std::chrono::milliseconds apart)
      : files_(files), root_(std::move(root)), first_(free), last_(free), apart_(apart) {}
  void take(const Result<Bytes>& free);

  FileSystem& files_;
  FolderPtr root_;
  Bytes first_;
  Bytes last_;
  std::chrono::milliseconds apart_;
  std::vector<GainBounds> waiting_;
  std::vector<SignedBytes> shares_;
  std::chrono::steady_clock::time_point readAt_ = std::chrono::steady_clock::now();
};

}  // namespace zt
