// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <memory>

#include "core/job/job_file.h"
#include "core/job/site.h"
#include "core/plan/proposer.h"
#include "core/proof/proof.h"

namespace zt {

/// What someone said of a path: keep it, or not now. Kept paths change the standing of finds.
enum class Mark : std::uint8_t { kept, notNow };

/// One visit to one drive: survey, finds, plan, runs, proof, all saved in one file as they come about. The
/// whole of what desktop and command line do. One thread at a time; survey and finds are given out as shared
/// values that never change.
class Job {
public:
  struct Options {
    PathBytes file;              ///< empty: in memory only
    bool acceptOnDrive = false;  ///< the job file may lie on the measured drive
  };

  /// A new job on a place. Fails with onDrive if the file would lie on the drive that is to be measured.
  static Result<std::unique_ptr<Job>> create(System& system, const PathBytes& path, bool standIn,
                                             const Options& options);
  /// A job on a survey that was imported: to explore, to compare, nothing else. The file may lie anywhere.
  static Result<std::unique_ptr<Job>> createImported(System& system, SurveyPtr survey, const PathBytes& file);
  /// A saved job. Runs that were cut short are brought to a known end first; `recovered` says what was done.
  static Result<std::unique_ptr<Job>> open(System& system, const PathBytes& file);

  Site& site() { return *site_; }
  bool imported() const { return site_->isImported(); }
  const PathBytes& file() const { return file_->path(); }
  const std::vector<JournalRecord>& recovered() const { return recovered_; }
  /// Set when the drive could not be looked at for recovery (not attached).
  bool recoveryWaits() const { return recoveryWaits_; }

  // Targets.
  const std::vector<Target>& targets() const { return targets_; }
  Result<void> setTargets(std::vector<Target> targets);
  /// Adds a task's need; fails with badInput for an amount that is none.
  Result<void> addTarget(const std::string& label, const std::string& amount);

  // Measuring. Keeps what was measured before if it fails.
  struct MeasureOptions : WalkOptions {
    bool everything =
        false;  ///< ask for rights once, before the walk; goes on without them if they are refused
  };
  Result<void> measure(const MeasureOptions& options, std::stop_token stop, ProgressSink* progress);
  /// Measures one folder of the survey again (path relative to the root); all else is taken over.
  Result<void> measureAgain(const PathBytes& folder, const MeasureOptions& options, std::stop_token stop,
                            ProgressSink* progress);
  /// Why the rights that the latest measurement asked for were not given.
  const std::optional<Error>& rightsProblem() const { return rightsProblem_; }
  const SurveyPtr& survey() const { return survey_; }  ///< nullptr before the first
  std::shared_ptr<const FindContext> context() const { return context_; }
  std::shared_ptr<const std::vector<Find>> finds() const { return finds_; }
  const Find* find(std::string_view id) const;
  /// The find for a path that someone picked; made if there is none.
  Result<const Find*> pick(const PathBytes& path);

  // Marks.
  Result<void> mark(const PathBytes& path, std::optional<Mark> mark);
  std::optional<Mark> markOf(const PathBytes& path) const;

  // Plan.
  const Plan& plan() const { return plan_; }
  Result<void> addToPlan(const Find& find, StepAction action);
  Result<void> dropFromPlan(std::string_view id);
  Result<void> setPlan(Plan plan);
  PlannedGain planned() const;
  Bytes freeNow() const;  ///< available bytes by the latest reading
  TimeNs freeReadAt() const;
  bool stale() const { return stale_; }  ///< an action has changed the drive since the survey
  Result<Proposal> propose(ProposeOptions options) const;

  // Carrying out.
  Consent consent() const { return consentFor(plan_); }
  Result<std::vector<JournalRecord>> rehearse();
  Result<RunReport> reclaim(std::string_view token, std::stop_token stop, const LineProgress& progress);
  Result<std::vector<JournalRecord>> heldItems(std::int64_t run = 0);
  Result<std::vector<JournalRecord>> undo(std::int64_t run, std::stop_token stop);
  /// The consent for letting everything held go.
  Result<Consent> releaseConsent();
  Result<std::vector<JournalRecord>> release(std::string_view token, std::stop_token stop);

  // Proof.
  Result<Proof> prove();
  const std::optional<Proof>& proof() const { return proof_; }
  JobFile& store() { return *file_; }

private:
  Job(System& system, std::unique_ptr<JobFile> file) : system_(system), file_(std::move(file)) {}
  Result<void> load();
  Result<void> loadSurvey();
  Result<void> recoverRuns();
  Result<void> saveState();
  Result<GuardedDrive> guarded();
  using Measuring = std::function<Result<SurveyPtr>(const MeasurePorts& ports)>;
  Result<void> measureWith(bool everything, const Measuring& measuring);
  Result<void> keepSurvey(SurveyPtr survey);
  void adopt(SurveyPtr survey, std::vector<Find> finds);
  void applyMarks(std::vector<Find>& finds) const;
  void rebindPlan();
  Result<void> readUsage();
  Result<void> refuseImported(std::string_view operation) const;

  System& system_;
  std::unique_ptr<JobFile> file_;
  std::unique_ptr<Site> site_;
  std::vector<Target> targets_;
  std::vector<std::pair<PathBytes, Mark>> marks_;
  SurveyPtr survey_;
  std::shared_ptr<const FindContext> context_;
  std::shared_ptr<const std::vector<Find>> finds_;
  Plan plan_;
  std::optional<SpaceUsage> usage_;
  TimeNs usageAt_ = 0;
  bool stale_ = false;
  std::optional<Proof> proof_;
  std::vector<JournalRecord> recovered_;
  bool recoveryWaits_ = false;
  std::optional<Error> rightsProblem_;
  std::optional<KindTable> kinds_;
};

}  // namespace zt
