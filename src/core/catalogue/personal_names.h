// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string_view>

#include "core/base/bytes.h"

namespace zt {

/// Whether a file's name has the ending of something that persons make or keep: documents, pictures, sounds,
/// films, mail, data bases, keys, archives, disk images.
bool looksPersonal(std::string_view name);

/// Whether a file's name is that of a guest's disk, a data base, a mail store, a vault or a key, which a
/// system's own files never are; a disk without a header of its own counts from half a gigabyte on.
bool holdsRecords(std::string_view name, Bytes length);

/// Whether an entry of this name says that the folder it lies in is under version control.
bool isWorkingCopySign(std::string_view name);

}  // namespace zt
