// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <utility>

#include "core/base/result.h"
#include "core/os/stored_sizes.h"

namespace zt {

/// Which points were kept of the same thing: those of one origin, and what was received, which has no origin
/// here, with the others that came to the same folder.
std::string seriesKey(std::string_view origin, std::string_view received, std::string_view path);

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
