// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <span>
#include <string>
#include <vector>

#include "core/plan/plan.h"

namespace zt {

/// Where one item is. Written before and after every change; docs/safety.md has the diagram.
enum class ItemState : std::uint8_t {
  intended,    ///< about to be taken: at its old place, or already in the hold but not yet looked at
  held,        ///< in the hold, looked at
  discarding,  ///< in the hold, looked at, being unlinked
  gone,        ///< unlinked
  returning,   ///< about to be put back: in the hold, or already back
  returned,    ///< at its old place, or beside it (`putAt`)
  refused,     ///< never taken; `problem` says why
  missing      ///< neither here nor there: somebody else moved it
};
constexpr int itemStates = 8;
std::string_view name(ItemState state);

/// The journal's line for one item of one run.
struct JournalRecord {
  std::int64_t run = 0;
  std::int64_t seq = 0;  ///< unique within the run; also the item's name in the hold
  std::string line;      ///< id of the plan line
  StepAction action = StepAction::discard;
  PathBytes path;        ///< old place, relative to the root
  PathBytes holdFolder;  ///< relative to the root
  PathBytes putAt;       ///< where it was put back, if not at `path`
  Identity identity;
  ItemState state = ItemState::intended;
  Bytes promised = 0;     ///< occupied bytes as measured
  Bytes freed = 0;        ///< occupied bytes of inodes whose last name went
  Bytes linksRemain = 0;  ///< occupied bytes of inodes that live on under other names
  Errc problem = Errc::io;
  std::string detail;  ///< holder of an open file, or an escaped path
};

/// The port to the place where a run is recorded. `write` returns only when the records would survive a power
/// cut; if it fails, nothing may be changed. One thread at a time.
class Journal {
public:
  virtual ~Journal() = default;
  virtual Result<void> write(std::span<const JournalRecord> records) = 0;
};

}  // namespace zt
