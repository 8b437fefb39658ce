// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QThread>
#include <functional>
#include <stop_token>

#include "core/job/job.h"
#include "core/finds/peek.h"
#include "desktop/models/composition.h"

namespace zt::desktop {

/// Everything the stations show, copied out of the job between two pieces of work. Shared parts never change.
struct JobView {
  bool open = false;
  Drive drive;
  PathBytes root;
  PathBytes file;
  std::vector<Target> targets;
  SurveyPtr survey;
  std::shared_ptr<const FindContext> context;
  std::shared_ptr<const Composition> composition;
  std::shared_ptr<const std::vector<Find>> finds;
  std::vector<std::pair<std::string, Mark>> marked;  ///< find id → mark
  Plan plan;
  std::vector<Bytes> steps;
  PlannedGain planned;
  std::array<Bytes, standings> strata{};       ///< occupied bytes by standing, every inode once
  std::array<Bytes, standings> plannedFrom{};  ///< of it, planned to be discarded
  Bytes free = 0;
  TimeNs freeAt = 0;
  bool stale = false;
  bool imported = false;
  std::optional<Error> rightsProblem;  ///< why the rights asked for were not given
  Consent consent;
  std::optional<Proposal> proposal;
  std::optional<RunReport> report;
  std::optional<Proof> proof;
  std::vector<JournalRecord> held;
  std::vector<JournalRecord> recovered;
  std::optional<Mark> markOf(const std::string& id) const;
};

/// The desktop's only way to the core: runs one piece of work after another on a thread of its own, and tells
/// the stations by queued signals. All public members belong to the GUI thread; the widgets never touch the
/// job itself.
class Session final : public QObject {
  Q_OBJECT
public:
  explicit Session(System& system, QObject* parent = nullptr);
  ~Session() override;

  enum class Work { none, opening, measuring, proposing, running, proving, editing };

  const JobView& view() const { return view_; }
  const std::vector<Drive>& drives() const { return drives_; }
  Work work() const { return work_; }
  bool busy() const {
    return work_ == Work::measuring || work_ == Work::running || work_ == Work::opening ||
           work_ == Work::proving;
  }

  void listDrives();
  void openPlace(const PathBytes& path, bool standIn, const PathBytes& jobFile, bool acceptOnDrive);
  void openJob(const PathBytes& file);
  /// `everything`: ask for rights before the walk, to read what is closed.
  void measure(bool everything = false);
  /// Measures one folder of the survey again (path relative to the root).
  void measureFolder(const PathBytes& folder);
  /// Whether asking for rights would give anything.
  bool rightsWorthAsking() { return system_.privileged.worthAsking() && !view_.drive.standIn; }
  void importSurvey(const PathBytes& file, const PathBytes& jobFile);
  void exportSurvey(const PathBytes& file);
  /// Looks into a file of the survey; `then` gets what was found.
  void look(NodeId node, std::function<void(const Peek&)> then);
  /// What can be watched while a survey is being made; nullptr at other times.
  const std::shared_ptr<const LiveSurvey>& live() const { return live_; }
  void addTarget(const QString& label, const QString& amount);
  void setTargets(std::vector<Target> targets);
  void planFind(const std::string& id, StepAction action);
  void pickPath(const PathBytes& path, StepAction action);
  void drop(const std::string& id);
  void setEnabled(const std::string& id, bool on);
  void setAction(const std::string& id, StepAction action);
  void moveLine(const std::string& id, int by);
  void mark(const std::string& id, std::optional<Mark> mark);
  void propose(std::optional<Regret> ceiling);
  void reclaim(const std::string& token);
  void undo();
  void release(const std::string& token);
  void prove();
  /// A run waits between items while it is paused, a measurement between folders.
  void setPaused(bool paused);
  bool paused() const;
  /// Asks the present work to stop; what was done or measured is kept.
  void stop();
  /// The consent for letting all held things go, worked out from the present view.
  void withReleaseConsent(std::function<void(Consent)> then);

Q_SIGNALS:
  void drivesListed();
  void changed();  ///< the view is new
  void workChanged();
  void progressed(const zt::Progress& progress);
  void lineProgressed(const zt::LineOutcome& outcome);
  void failed(const zt::Error& error);
  void onDriveRefused(const QByteArray& path, bool standIn, const QByteArray& jobFile);
  void proposed();
  void runEnded();
  void measured();
  void exported(const QByteArray& file);

private:
  class Sink;
  using Task = std::function<Result<void>(std::unique_ptr<Job>&)>;
  using Measuring =
      std::function<Result<void>(Job&, const Job::MeasureOptions&, std::stop_token, ProgressSink*)>;
  void postMeasuring(bool everything, Measuring measuring);
  void post(Work work, Task task, std::function<void()> then = {});
  void editPlan(std::function<Result<void>(Job&)> edit);
  static JobView snapshot(Job& job, const JobView& before);

  System& system_;
  QThread thread_;
  QObject* worker_;
  std::unique_ptr<Job> job_;  ///< touched on the worker thread only
  JobView view_;
  std::vector<Drive> drives_;
  Work work_ = Work::none;
  int waiting_ = 0;
  std::stop_source stop_;
  PauseGate pause_;
  std::shared_ptr<const LiveSurvey> live_;
};

}  // namespace zt::desktop
