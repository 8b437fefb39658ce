// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/images/disk_image.h"

namespace zt {

/// The name of a parent image out of UTF-16, as systems of the nt family write it: with '/' between folders,
/// and relative. Of a path from a drive's letter the last part is left: what lay beside it there is looked
/// for beside it here. Ends at the first zero.
std::string parentName(std::string_view utf16, bool bigEndian);

/// Adds the sectors of a block that a child stores itself, by its bitmap; the others are its parent's.
/// `highFirst`: the first sector is the highest bit of a byte. False where there are too many runs.
bool addSectors(RunList& runs, Bytes guest, Bytes at, Bytes sector, std::string_view bitmap, bool highFirst);

/// How a VDI names what it lies upon: "vdi:" and the 16 bytes of the parent's own id as hexadecimal digits.
std::string vdiName(std::string_view id);
/// The id that a VDI was made with, so named; empty for what is none. `head`: its first 512 bytes.
std::string vdiOwnName(std::string_view head);

}  // namespace zt
