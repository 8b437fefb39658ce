// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/plan/plan.h"

namespace zt {

/// At the head of `payload` of what is let go where it stands, because its drive has no room for a hold.
constexpr std::string_view inPlace = "in-place";

/// In `detail` of an image that was to be written anew beside the old one, and was made smaller where it lies
/// instead.
constexpr std::string_view noRoomBeside = "no-room-beside";

/// Which phase one item is in. Written before and after every change; docs/safety.md has the diagram.
enum class ItemState : std::uint8_t {
  intended,    ///< about to be done: untouched, or done in part and not yet looked at
  held,        ///< done so far as it can be taken back, and looked at
  discarding,  ///< looked at, and being finished for good
  gone,        ///< finished for good
  returning,   ///< being taken back
  returned,    ///< taken back: at its old place, or beside it (`putAt`)
  refused,     ///< never begun; `problem` says why
  missing,     ///< neither here nor there: somebody else moved it
  done,        ///< finished, and still there: linked, shared, made compact, switched off
  untouched    ///< intended, but the run was stopped first
};
constexpr int itemStates = 10;
std::string_view name(ItemState state);

/// The journal's line for one item of one run.
struct JournalRecord {
  std::int64_t run = 0;
  std::int64_t seq = 0;  ///< unique within the run; also the item's name in the hold
  std::string line;      ///< id of the plan line
  std::string action;    ///< name of the kind of step
  PathBytes path;        ///< old place, relative to the root
  Identity identity;
  ItemState state = ItemState::intended;
  GainBounds promised;    ///< by what was measured, if this item alone goes after those before it
  Bytes occupied = 0;     ///< as measured
  GainBounds freed;       ///< of inodes whose last name went, as the touched places showed
  Bytes linksRemain = 0;  ///< occupied bytes of inodes that live on under other names
  std::optional<Errc> problem;
  std::string detail;  ///< holder of an open file, or an escaped path; of what is done: how else than meant
  // What a kind of step keeps for itself. Those that set aside use the first two.
  PathBytes holdFolder;            ///< relative to the root
  PathBytes putAt;                 ///< where it was put back, if not at `path`
  std::uint64_t device = 0;        ///< that it was last seen on; numbers of devices last until the next start
  std::string payload;             ///< anything else, in the step's own words
  StepParameters parameters = {};  ///< of its line
  bool staysInPlace() const { return payload.starts_with(inPlace); }
  /// What the touched places showed, as close to the promise as they allow: of bytes that several things hold
  /// only the promise knows which of them gave the last of it.
  GainBounds shown() const {
    const Bytes sure = std::clamp(promised.sure, freed.sure, std::max(freed.sure, freed.atMost));
    return {sure, std::clamp(promised.atMost, sure, std::max(sure, freed.atMost))};
  }
};

/// The port to the place where a run is recorded. `write` returns only when the records would survive a power
/// cut; if it fails, nothing may be changed. One thread at a time.
class Journal {
public:
  virtual ~Journal() = default;
  virtual Result<void> write(std::span<const JournalRecord> records) = 0;
};

}  // namespace zt
