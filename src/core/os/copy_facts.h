// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/os/file_system.h"
#include "core/os/keeping.h"

namespace zt {

/// Gives one entry what another is beside its content, as far as its file system keeps that: owner, group and
/// mode, attributes with them lists of rights, and the times, last. `stat` is what the other one is. Fails as
/// the calls do; then some of it may be done.
Result<void> copyFacts(FileSystemReader& from, const Folder& at, std::string_view name, const EntryStat& stat,
                       FileSystem& to, const Folder& there, std::string_view copy,
                       const Keeping& keeping = {});

/// Opens a folder below another one by plain names, making those that are missing, with a mode. Follows no
/// link and crosses no mount.
Result<FolderPtr> openOrMake(FileSystem& files, FolderPtr at, std::string_view path, std::uint32_t mode);

}  // namespace zt
