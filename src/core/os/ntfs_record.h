// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <string>

#include "core/base/bytes.h"
#include "core/base/result.h"

namespace zt {

/// Reads so many bytes of a volume at an offset; fails as reading does, and for what leads beyond its end.
using VolumeReader = std::function<Result<std::string>(Bytes at, Bytes size)>;

/// A size that a boot sector of NTFS gives as a count of clusters, or, negative, as a power of two of bytes.
Bytes ntfsSizeOf(std::uint8_t said, Bytes cluster);
/// Puts the last bytes of each sector of a record back in their place; false where they do not fit together.
bool mendNtfsRecord(std::string& record);

/// Whether a volume of NTFS says of itself that it was not closed as it should be: the first bit of the flags
/// in `$Volume` (record 3, attribute 0x70), by the records documented by the Linux-NTFS project. Fails with
/// notOurs for a volume of another kind, corrupt where its records contradict themselves.
Result<bool> ntfsLeftOpen(const VolumeReader& read);

}  // namespace zt
