// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/job_file.h"
#include "core/job/workshop.h"
#include "core/proof/proof.h"

namespace zt {

/// The runs of a job: what they did, what they hold, and what proved it. Nothing of it is lost by measuring
/// again. One thread at a time.
class RunLedger {
public:
  RunLedger(const Workshop& workshop, JobFile& file) : workshop_(workshop), file_(file) {}

  /// Reads the last proof and the last run's report.
  Result<void> load();

  /// Carries a plan out. What is read of the drive afterwards may fail; the report is given all the same.
  Result<RunReport> carryOut(const GuardedDrive& drive, const Plan& plan, std::string_view token,
                             const RunControl& control);
  /// What lies in the hold, of one run (0: of all).
  Result<std::vector<JournalRecord>> held(std::int64_t run = 0);
  /// What went to another drive, of one run (0: of all), and can be brought back from there.
  Result<std::vector<JournalRecord>> elsewhere(std::int64_t run = 0);
  /// What was lent and has to be paid back, of all runs.
  Result<std::vector<JournalRecord>> loans();
  Result<std::vector<JournalRecord>> repay(const GuardedDrive& drive, std::stop_token stop);
  Result<std::vector<JournalRecord>> undo(const GuardedDrive& drive, std::int64_t run, std::stop_token stop);
  /// The consent for letting everything held go.
  Result<Consent> releaseConsent();
  Result<std::vector<JournalRecord>> release(const GuardedDrive& drive, std::string_view token,
                                             std::stop_token stop);
  Result<Proof> prove(const GuardedDrive& drive, const std::vector<Target>& targets);
  /// Brings what was cut short to a known end; nothing if nothing was.
  /// With `finish` what was being let go is let go: the caller has the consent.
  Result<std::vector<JournalRecord>> recover(const GuardedDrive& drive, bool finish);
  /// What runs left that were cut short, as the journal says. Changes nothing.
  Result<std::vector<JournalRecord>> cutShort();

  /// Since when a restart of this machine is waited for, and which start of it that is; nothing if none is.
  Result<std::optional<std::pair<TimeNs, std::string>>> waitsForRestart();

  const std::optional<Proof>& proof() const { return proof_; }
  /// How many lines were carried out that the last proof does not tell of.
  Result<std::size_t> unproved();
  const std::optional<RunReport>& lastReport() const { return report_; }
  /// What runs have freed since a time, by path: for the picture of a survey of that time.
  Result<std::vector<std::pair<PathBytes, Bytes>>> freedSince(TimeNs time);

private:
  Result<std::vector<JournalRecord>> endedWith(std::int64_t run, ItemState state, UndoRule undo);
  /// Reads the counter around `work`, and gives its rise to the lines of the records that it ended.
  template <class Work>
  Result<std::vector<JournalRecord>> credited(const GuardedDrive& drive, Work work);
  Result<std::vector<ProvedRun>> provedRuns();
  /// Which start of the machine this is; empty where nobody says.
  std::string bootOfNow() const;

  const Workshop& workshop_;
  JobFile& file_;
  std::optional<Proof> proof_;
  std::optional<RunReport> report_;
};

/// The consent for letting held things go.
Consent consentToRelease(std::span<const JournalRecord> held);

}  // namespace zt
