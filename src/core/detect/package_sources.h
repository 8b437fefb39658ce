// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/detect/detector.h"
#include "core/detect/package_records.h"

namespace zt {

/// The installed packages of one manager, as plain files on the drive itself say.
struct PackageSource {
  PathBytes place;      ///< its records, from the survey's root
  std::string removal;  ///< the command before a package's name
  std::vector<PackageRecord> packages;
  /// The files of a package, one absolute path a line; fails where nobody says.
  std::function<Result<std::string>(const PackageRecord&)> files;
};

/// Those that a system has: dpkg (status, lists, extended states) and pacman (`local`, version 9 of its
/// format). Nothing is run. Fails where records are there and cannot be read.
Result<std::vector<PackageSource>> packageSources(const DetectInput& input, const SystemRoot& system,
                                                  const std::stop_token& stop);

}  // namespace zt
