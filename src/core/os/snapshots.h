// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/result.h"
#include "core/os/stored_sizes.h"

namespace zt {

/// The port to the states that a file system keeps. Any thread.
class Snapshots {
public:
  virtual ~Snapshots() = default;

  /// All subvolumes of the file system mounted there, as they are now. Fails with unsupported where there are
  /// none such, notPermitted without rights.
  virtual Result<std::vector<Subvolume>> list(const PathBytes& mountTarget) = 0;
  /// Lets one go, for good, if it is still the one that is meant: its number, its own uuid and date,
  /// read-only, kept of another one or received, not mounted, not the default, with none in it. Fails with
  /// changed, inUse, bedrock, notPermitted, notThere.
  virtual Result<void> drop(const PathBytes& mountTarget, const Subvolume& meant) = 0;
  /// How many that were let go still take their space, because the file system has not cleaned up yet. Asking
  /// makes it begin.
  virtual Result<std::size_t> cleaning(const PathBytes& mountTarget) = 0;
};

}  // namespace zt
