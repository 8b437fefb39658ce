// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>

#include "core/base/path_bytes.h"
#include "core/base/result.h"
#include "core/os/file_system.h"

namespace zt {

/// The absolute path with all links resolved; fails with notThere, notPermitted, outsideRoot (a loop of
/// links). Any thread.
Result<PathBytes> canonicalPath(const PathBytes& path);

/// The path whose folder is resolved like that, while the last part need not exist yet.
Result<PathBytes> canonicalNewPath(const PathBytes& path);

/// Where an open file or folder of this process lies at the moment. Fails with notThere if it has no name any
/// more.
Result<PathBytes> openedPath(int fd);

/// Where this program itself lies.
Result<PathBytes> openedProgram();

/// Whether anything stands at a path, links not followed.
bool exists(const PathBytes& path);

/// Makes a folder of our own and all above it that are missing; only its owner may look into what is made.
Result<void> makeFolders(const PathBytes& path);

/// Where files of our own of one kind lie: in the folder that an environment variable says (absolute), else
/// `under` the home. What does not belong to whoever runs this is passed over (the home that was
/// left in the environment while somebody became root): then it is the home in the system's list of users.
/// Empty where there is none.
PathBytes ownBase(const char* variable, const char* under);

/// Gives a file of our own another name, over what stands there; what is not there is no failure.
Result<void> renameOwn(const PathBytes& from, const PathBytes& to);
/// Takes a file of our own away; what is not there is no failure.
Result<void> removeOwn(const PathBytes& file);

/// Whether what a file of our own says may be believed: neither it nor its folder (nor what they lead to as
/// links) belongs to anybody but whoever runs this or root, or may be written by everybody. What is not there
/// yet fits. Fails with someoneElses.
Result<void> checkOwn(const PathBytes& file);

/// The size of a file of our own and its first bytes (at most `count`).
Result<FileHead> readHead(const PathBytes& path, std::size_t count);

}  // namespace zt
