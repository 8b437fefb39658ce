// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <utility>

#include "core/base/result.h"
#include "core/os/stored_sizes.h"

namespace zt {

/// What says where a point belongs. Digits as in `Subvolume`.
struct PointOrigin {
  std::uint64_t id = 0;
  std::string_view uuid, origin, received;
  std::uint64_t sent = 0;
};
struct SeriesPlace {
  std::string series;       ///< the same for points of the same thing
  std::uint64_t order = 0;  ///< in its series: the later one has more
};
/// Which points were kept of the same thing, and in which order. Those that were made here have their origin
/// in common. Of what was received, what came on top of each other; what came whole begins a series of its
/// own, because nothing says whose it is. The order is that of the file system's own numbers, or of the
/// sender's generations where all have one: never that of dates, which clocks get wrong. Source: btrfs(5),
/// root items (stransid); numbers of subvolumes only grow.
std::vector<SeriesPlace> placesInSeries(const std::vector<PointOrigin>& points);

/// Whether a subvolume may be let go: the one that is meant (its number, own uuid and date), still a point,
/// not mounted, not the default, with none in it, and not the newest of its series, which is the last way
/// back. `all`: those of its file system. Fails with notThere, changed, inUse, bedrock, lastCopy.
Result<void> checkDrop(const std::vector<Subvolume>& all, const Subvolume& meant);

/// What is to be let go in one run, and what was agreed to.
struct DropOrder {
  std::string consent;                                   ///< the token of the plan
  std::vector<std::pair<std::uint64_t, TimeNs>> points;  ///< numbers and dates
  bool names(const Subvolume& point) const;
  /// 32 hexadecimal digits that fit exactly this order.
  std::string digest() const;
};

/// The port to the states that a file system keeps. Any thread.
class Snapshots {
public:
  virtual ~Snapshots() = default;

  /// All subvolumes of the file system mounted there, as they are now. Fails with unsupported where there are
  /// none such, notPermitted without rights.
  virtual Result<std::vector<Subvolume>> list(const PathBytes& mountTarget) = 0;
  /// Comes before the first is let go: whoever lacks rights asks for them now, once, and for this order
  /// alone. Fails with notPermitted; then nothing of it can be let go.
  virtual Result<void> begin(const PathBytes& mountTarget, const DropOrder& order) = 0;
  /// The order is over.
  virtual void end() {}
  /// Lets one go, for good, as `checkDrop` allows. Fails as that does, and with notPermitted.
  virtual Result<void> drop(const PathBytes& mountTarget, const Subvolume& meant) = 0;
  /// How many that were let go still take their space, because the file system has not cleaned up yet. Asking
  /// makes it begin.
  virtual Result<std::size_t> cleaning(const PathBytes& mountTarget) = 0;
};

}  // namespace zt
