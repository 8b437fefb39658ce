// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/drive/drive.h"
#include "core/reclaim/guard.h"

namespace zt {

/// Whether a folder lies on the drive that is mounted at `root`, by whatever mount it is reached. Any thread.
Result<bool> liesOnDrive(const System& system, const PathBytes& root, const PathBytes& folder);

/// Opens a folder of another drive for steps that work with it: what that can keep, and what should stay free
/// there, by its file system. Fails with notPermitted where it is read-only, and as opening does. Any thread.
Result<OtherDrive> openOtherDrive(const System& system, const std::shared_ptr<FileSystem>& files,
                                  const PathBytes& path);

}  // namespace zt
