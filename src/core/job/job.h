// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/match_book.h"
#include "core/job/measurer.h"
#include "core/job/register.h"
#include "core/job/run_ledger.h"

namespace zt {

/// One visit to one drive: survey, finds, plan, runs, proof, all saved in one file as they come about. The
/// whole of what desktop and command line do, as a façade over the survey store, the plan book and the run
/// ledger. Opens without its drive too: then it can be read, compared and printed. One thread at a time;
/// survey and finds are given out as shared values that never change.
class Job {
public:
  struct Options {
    PathBytes file;              ///< empty: in memory only
    bool acceptOnDrive = false;  ///< the job file may lie on the measured drive
  };

  /// A new job on a place. Fails with onDrive if the file would lie on the drive that is to be measured.
  static Result<std::unique_ptr<Job>> create(const Workshop& workshop, const PathBytes& path, bool standIn,
                                             const Options& options);
  /// A job on a survey that was imported: to explore, to compare, nothing else. The file may lie anywhere.
  static Result<std::unique_ptr<Job>> createImported(const Workshop& workshop, SurveyPtr survey,
                                                     const PathBytes& file);
  /// A saved job. Reads only: `cutShort` says what a run left that did not come to its end.
  static Result<std::unique_ptr<Job>> open(const Workshop& workshop, const PathBytes& file);

  const Site& site() const { return place_.site(); }
  /// Names this job among all: what it holds on a drive lies under it.
  const std::string& identity() const { return place_.identity(); }
  /// The latest reading of the drive's counter.
  const PlaceBook::Reading& reading() const { return place_.reading(); }
  const SurveyStore& surveys() const { return surveys_; }
  PlanBook& planBook() { return plan_; }
  const PlanBook& planBook() const { return plan_; }
  /// Compares contents.
  MatchBook& contents() { return contents_; }
  RunLedger& runs() { return runs_; }
  JobFile& store() { return *file_; }
  /// Makes new surveys of the place.
  Measurer& measurer() { return measurer_; }
  const Measurer& measurer() const { return measurer_; }

  /// What runs left that were cut short, as the journal says; opening the job changes nothing of it. `undo`
  /// and `release` settle it first: each thing that is whole is taken back. `reclaim` finishes what was being
  /// let go, which its consent says.
  const std::vector<JournalRecord>& cutShort() const { return cutShort_; }

  /// What must be agreed to before `reclaim`: for the plan, and for what a run was letting go when it was cut
  /// short. With `told` each line says what is really lost, which goes through everything that is planned.
  Consent consent(bool told = false) const;
  Result<std::vector<JournalRecord>> rehearse();
  Result<RunReport> reclaim(std::string_view token, const RunControl& control);
  Result<std::vector<JournalRecord>> undo(std::int64_t run, std::stop_token stop);
  /// Pays open loans back, each as far as there is room; what cannot be says why and stays open.
  Result<std::vector<JournalRecord>> repay(std::stop_token stop);
  Result<std::vector<JournalRecord>> release(std::string_view token, std::stop_token stop);
  Result<Proof> prove();

private:
  Job(const Workshop& workshop, std::unique_ptr<JobFile> file);
  Result<void> load();
  Result<std::vector<JournalRecord>> settle(const GuardedDrive& drive, bool finish = false);
  void tidyUnused(const GuardedDrive& drive) const;
  void remind();
  Result<GuardedDrive> guarded();

  Workshop workshop_;
  std::unique_ptr<JobFile> file_;
  PlaceBook place_;
  SurveyStore surveys_;
  PlanBook plan_;
  MatchBook contents_;
  RunLedger runs_;
  Measurer measurer_;
  std::vector<JournalRecord> cutShort_;
};

}  // namespace zt
