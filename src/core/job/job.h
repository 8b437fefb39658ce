// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/plan_book.h"
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
  /// A saved job. Runs that were cut short are brought to a known end first; `recovered` says what was done.
  static Result<std::unique_ptr<Job>> open(const Workshop& workshop, const PathBytes& file);

  const Site& site() const { return *site_; }
  /// Names this job among all: what it holds on a drive lies under it.
  const std::string& identity() const { return identity_; }
  const SurveyStore& surveys() const { return surveys_; }
  PlanBook& planBook() { return plan_; }
  const PlanBook& planBook() const { return plan_; }
  RunLedger& runs() { return runs_; }
  JobFile& store() { return *file_; }

  /// What opening the job did for runs that were cut short.
  struct Recovery {
    std::vector<JournalRecord> records;  ///< as they were brought to an end
    std::optional<Error> waits;  ///< why that could not be done: the drive is not attached, or another
  };
  const Recovery& recovery() const { return recovery_; }

  struct MeasureOptions : WalkOptions {
    /// Ask for rights once, before the walk; goes on without them if they are refused.
    bool everything = false;
    /// The walk is over; finds are being made, which `found` is told of as they come.
    std::function<void(const SurveyPtr&)> walked;
    std::function<void(const ContextPtr&, const Find&)> found;
  };
  /// Measures, finds and saves. What was measured before stands until all of that has been done.
  Result<void> measure(const MeasureOptions& options, std::stop_token stop, ProgressSink* progress);
  /// Measures one folder of the survey again (path relative to the root); all else is taken over.
  Result<void> measureAgain(const PathBytes& folder, const MeasureOptions& options, std::stop_token stop,
                            ProgressSink* progress);
  /// Why the rights that the latest measurement asked for were not given.
  const std::optional<Error>& rightsProblem() const { return rightsProblem_; }

  /// Puts entries on the plan by their paths, all or none.
  Result<void> planPaths(const std::vector<PathBytes>& paths, std::string_view action);
  /// Adds a task's need; fails with badInput for an amount that is none. "20GB,while-it-runs" is needed only
  /// so long.
  Result<void> addTarget(const std::string& label, const std::string& amount);
  Result<Proposal> propose(ProposeOptions options) const;

  /// The latest reading of the drive's counter.
  struct Reading {
    Bytes free = 0;  ///< available bytes
    TimeNs when = 0;
    bool stale = false;  ///< an action has changed the drive since the survey
  };
  Reading reading() const { return {usage_.available, usageAt_, stale_}; }

  Consent consent() const { return consentFor(plan_.plan()); }
  Result<std::vector<JournalRecord>> rehearse();
  Result<RunReport> reclaim(std::string_view token, const RunControl& control);
  Result<std::vector<JournalRecord>> undo(std::int64_t run, std::stop_token stop);
  Result<std::vector<JournalRecord>> release(std::string_view token, std::stop_token stop);
  Result<Proof> prove();

private:
  Job(const Workshop& workshop, std::unique_ptr<JobFile> file);
  Result<void> load();
  Result<void> openSite(const Json& site);
  void recoverRuns();
  Result<GuardedDrive> guarded();
  using Measuring = std::function<Result<SurveyPtr>(const MeasurePorts& ports)>;
  Result<void> measureWith(const MeasureOptions& options, std::stop_token stop, const Measuring& measuring);
  Result<void> keepSurvey(SurveyPtr survey, const SurveyStore::Watch& watch);
  Result<void> readUsage();
  Result<void> afterwards();
  JobFile::Documents siteDocument() const;
  void noteVisit();

  Workshop workshop_;
  std::unique_ptr<JobFile> file_;
  SitePtr site_;
  std::string identity_;
  SurveyStore surveys_;
  PlanBook plan_;
  RunLedger runs_;
  SpaceUsage usage_;
  TimeNs usageAt_ = 0;
  bool stale_ = false;
  Recovery recovery_;
  std::optional<Error> rightsProblem_;
};

}  // namespace zt
