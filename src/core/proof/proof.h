// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/reclaim/run.h"

namespace zt {

/// Why a line gave something else than was promised.
struct ProofReason {
  enum class Kind : std::uint8_t {
    notDone,       ///< items that would not go; `code` and `detail` say why
    notReached,    ///< the run ended before this line, or before these items
    held,          ///< set aside: freed on release
    putBack,       ///< put back since
    linksRemain,   ///< further names keep the bytes
    cameBack,      ///< something stands at the old place again
    stillOpen,     ///< unlinked, but a process keeps it open
    lessOccupied,  ///< occupied something else than measured when it went
    released,      ///< was set aside, and was let go since
    sharedFreed,   ///< was at most to come free, and did
    refilled,      ///< filled up what the file system keeps back, before anybody's counter rose
    otherwise,     ///< done, but not as it was meant; `detail` says how
    driveDiffers   ///< the drive's counter rose by something else: its own structures, or others meanwhile
  };
  Kind kind = Kind::notDone;
  SignedBytes bytes = 0;
  std::optional<Errc> code;
  std::uint64_t items = 0;
  std::string detail;
};
constexpr int proofReasonKinds = 13;
std::string_view name(ProofReason::Kind kind);

/// A file system's own structures come and go by less: no shortfall, and nothing to explain.
constexpr SignedBytes ownStructures = 65'536;
/// Whether people need be told of it.
bool worthSaying(const ProofReason& reason);

struct ProofLine {
  std::string line;
  std::string kind;    ///< of the find; `pickedKind` where that is not known any more
  std::string action;  ///< of the step
  PathBytes example;   ///< its largest item
  std::uint64_t items = 0;
  GainBounds promised;
  SignedBytes actual = 0;  ///< what the drive's own free counter rose by for it
  std::vector<ProofReason>
      reasons;  ///< their bytes sum to actual − promised.sure, but for those of held things
};

/// What was lent for a while: it has to be paid back, which needs room again.
struct OpenLoan {
  std::string action;
  PathBytes path;
  Bytes bytes = 0;
};

/// Whether what comes with a restart only can have come.
enum class Restart : std::uint8_t {
  notNeeded,
  happened,  ///< the machine was started anew since
  unseen,    ///< the system on the drive is not the one that runs: whether it was, only it knows
  waiting    ///< the machine runs as it ran then
};
constexpr int restarts = 4;
std::string_view name(Restart restart);

/// Measured again: before, promised, actual, and why they differ. Actual is what the drive's own counter says
/// and what the touched places show, never the run's own bookkeeping.
struct Proof {
  TimeNs when = 0;
  Bytes freeBefore = 0;      ///< available bytes when the first of the runs began
  Bytes freeAfter = 0;       ///< available bytes now
  Bytes promised = 0;        ///< sure
  SignedBytes actual = 0;    ///< sum of the lines
  SignedBytes byOthers = 0;  ///< change of the free bytes outside the runs
  Bytes held = 0;            ///< still in the hold
  Restart restart = Restart::notNeeded;
  std::vector<OpenLoan> loans;
  std::vector<ProofLine> lines;
  std::vector<TargetOutlook> targets;
};

/// One run as the proof needs it: outcome of its lines and the journal's last word on every item.
struct ProvedRun {
  Bytes freeBefore = 0;
  Bytes refill = 0;  ///< what had to come free before that rose at all
  std::vector<LineOutcome>
      lines;  ///< with what the counter rose by in the run, and at releases and put-backs since
  std::vector<JournalRecord> records;
  RunReport::Restart restart = {};
  /// What is known of its lines.
  struct Line {
    std::string id;
    std::string kind;
    PathBytes example;
  };
  std::vector<Line> planned;
};

/// The lines of a run that was cut short before it could sum up: worked out from the journal.
std::vector<LineOutcome> outcomesOfRecords(std::span<const JournalRecord> records);

/// Re-reads the drive and every touched place, and compares. Writes nothing but a sync. Needs no survey: a
/// new one since the runs does not matter.
Result<Proof> prove(const GuardedDrive& drive, std::span<const ProvedRun> runs,
                    const std::vector<Target>& targets, TimeNs now);

}  // namespace zt
