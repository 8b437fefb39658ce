// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/base/path_bytes.h"
#include "core/base/result.h"

namespace zt {

/// What came over of one table.
struct MendedTable {
  std::string name;
  std::uint64_t rows = 0;
  bool whole = true;  ///< false: some of it could not be read, nobody knows how much
};

struct MendedRegister {
  PathBytes aside;  ///< where the damaged one lies now
  std::vector<MendedTable> tables;
  /// Whether everything that somebody said is to be kept came over.
  bool knowsWhatIsKept() const;
};

/// Puts a new register in the place of a damaged one, with all of each table that can still be read, from its
/// beginning and from its end; the damaged one stays beside it. Fails with unsupported where nothing is
/// damaged, busy where somebody else is at it, notOurs, tooNew. Nobody should have it open. Any thread.
Result<MendedRegister> mendRegister(const PathBytes& file);

}  // namespace zt
