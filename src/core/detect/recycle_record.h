// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string_view>

#include "core/base/clock.h"
#include "core/base/path_bytes.h"

namespace zt {

/// What the record `$I…` of a thing in an nt family's trash says.
struct RecycleRecord {
  PathBytes path;  ///< where it came from, in UTF-8, with '\\' between its parts
  std::uint64_t bytes = 0;
  TimeNs deleted = 0;
};

/// Reads a record: 8 bytes version (1 or 2), 8 bytes size, 8 bytes FILETIME of the deletion, all little
/// endian; version 1: the path in 520 bytes of UTF-16; version 2 (since Windows 10): 4 bytes with the count
/// of its units, NUL included, then the path. nullopt for anything else: records are taken for hostile.
std::optional<RecycleRecord> parseRecycleRecord(std::string_view bytes);

}  // namespace zt
