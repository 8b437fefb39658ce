// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/reclaim/run.h"

namespace zt {

/// Why a line gave something else than was promised.
struct ProofReason {
  enum class Kind : std::uint8_t {
    notDone,      ///< items that would not go; `code` and `detail` say why
    notReached,   ///< the run ended before this line
    held,         ///< set aside: freed on release
    putBack,      ///< put back since
    linksRemain,  ///< further names keep the bytes
    cameBack,     ///< something stands at the old place again
    stillOpen,    ///< unlinked, but a process keeps it open
    lessOccupied  ///< occupied something else than measured when it went
  };
  Kind kind = Kind::notDone;
  SignedBytes bytes = 0;
  Errc code = Errc::io;
  std::uint64_t items = 0;
  std::string detail;
};
std::string_view name(ProofReason::Kind kind);

struct ProofLine {
  std::string line;
  FindKind kind = FindKind::picked;
  StepAction action = StepAction::discard;
  PathBytes example;  ///< its largest item
  std::uint64_t items = 0;
  Bytes promised = 0;
  Bytes actual = 0;
  std::vector<ProofReason> reasons;
};

/// Measured again: before, promised, actual, and why they differ.
struct Proof {
  TimeNs when = 0;
  Bytes freeBefore = 0;  ///< available bytes when the first of the runs began
  Bytes freeAfter = 0;   ///< available bytes now
  Bytes promised = 0;
  Bytes actual = 0;  ///< sum of the lines
  SignedBytes byOthers =
      0;           ///< change of the free bytes that no line accounts for: others wrote or freed meanwhile
  Bytes held = 0;  ///< still in the hold
  std::vector<ProofLine> lines;
  std::vector<TargetOutlook> targets;
};

/// One run as the proof needs it: outcome of its lines and the journal's last word on every item.
struct ProvedRun {
  Bytes freeBefore = 0;
  std::vector<LineOutcome> lines;
  std::vector<JournalRecord> records;
  Plan plan;
};

/// The lines of a run that was cut short before it could sum up: worked out from the journal.
std::vector<LineOutcome> outcomesOfRecords(const Plan& plan, std::span<const JournalRecord> records);

/// Re-reads the drive and every touched place, and compares. Writes nothing but a sync.
Result<Proof> prove(const GuardedDrive& drive, std::span<const ProvedRun> runs,
                    const std::vector<Target>& targets, TimeNs now);

}  // namespace zt
