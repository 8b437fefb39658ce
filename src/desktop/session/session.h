// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <deque>

#include "desktop/session/glance.h"
#include "desktop/session/run_so_far.h"
#include "desktop/session/work_queue.h"

namespace zt::desktop {

/// Finds of a survey that is being made, so far.
struct ComingFinds {
  ContextPtr context;
  FindList finds;
};

/// The desktop's only way to a job: runs one piece of work after another on a thread of its own, and tells
/// the stations by queued signals. All public members belong to the GUI thread; the widgets never touch the
/// job itself. What changes a plan goes through
/// PlanDesk, what changes the drive through RunDesk.
class Session final : public QObject {
  Q_OBJECT
public:
  explicit Session(const Workshop& workshop, QObject* parent = nullptr);
  ~Session() override;

  enum class Work { none, opening, measuring, matching, proposing, running, proving, editing };
  /// The work at hand.
  Work work() const { return waiting_.empty() ? Work::none : waiting_.front().work; }
  /// Whether anything waits or goes on that others must not interfere with.
  bool busy() const;

  const JobView& view() const { return *view_; }
  std::shared_ptr<const JobView> sharedView() const { return view_; }
  /// What can be watched while a survey is being made; nullptr at other times.
  const std::shared_ptr<const LiveSurvey>& live() const { return live_; }
  const std::shared_ptr<const ComingFinds>& coming() const { return coming_; }

  /// The run under way; nothing at other times.
  const std::optional<RunSoFar>& run() const { return run_; }
  void beginRun(std::set<std::string> waiting);
  void takeRun(const RunProgress& progress);

  const Workshop& workshop() const { return workshop_; }

  /// Where a job may be kept.
  struct Keeping {
    PathBytes file;  ///< empty: in memory only
    bool acceptOnDrive = false;
  };
  /// Opens a place. Asks by `onDriveRefused` if the job's file would lie on the drive.
  void openPlace(const PathBytes& path, bool standIn, const Keeping& keeping);
  void openJob(const PathBytes& file);
  /// Measures it all, or one folder of the survey again (path relative to the root). The rights that the
  /// survey was made with are kept; `everything` asks for them.
  void measure(bool everything);
  void measureFolder(const PathBytes& folder);
  /// Compares contents; the finds of it come with the view.
  /// Compares contents; without `least` what is too short to matter is left out.
  void match(std::optional<Bytes> least = {});
  /// Looks into a file of the survey, beside the work at hand.
  void look(const PathBytes& path, Glance::Then then) { glance_.look(view_, path, std::move(then)); }
  /// A run waits between items while it is paused, a measurement between folders.
  void setPaused(bool paused);
  bool paused() const;
  const std::shared_ptr<PauseGate>& pauseGate() const { return pause_; }
  /// Asks the present work to stop; what was done or measured is kept.
  void stop();
  /// Puts a proposal beside the plan that was made of it.
  void showProposal(std::optional<Proposal> proposal);

  using Task = std::function<Result<void>(std::unique_ptr<Job>&, std::stop_token)>;
  /// Runs `task` when its turn comes, makes the view anew, and then calls `then` if it went well.
  void post(Work work, Task task, std::function<void()> then = {});

Q_SIGNALS:
  void changed();  ///< the view is new
  void workChanged();
  void progressed(const zt::Progress& progress);
  void findsCame();
  void runProgressed();
  void failed(const zt::Error& error);
  void onDriveRefused(const QByteArray& path, bool standIn, const QByteArray& jobFile);
  void opened();
  void runEnded();
  void measured();
  void exported(const QByteArray& file);

private:
  class Sink;
  class Gatherer;
  using Measuring =
      std::function<Result<void>(Job&, const Measurer::Options&, std::stop_token, ProgressSink*)>;
  struct Waiting {
    Work work;
    std::stop_source stop;
  };
  void postMeasuring(bool everything, bool watched, Measuring measuring);
  void finish(const Result<void>& done, std::shared_ptr<const JobView> view,
              const std::function<void()>& then);
  template <class Run>
  void onGui(Run run);

  Workshop workshop_;
  // Touched on the queue's thread only.
  std::unique_ptr<Job> job_;
  std::shared_ptr<const JobView> latest_ = std::make_shared<const JobView>();
  // Touched on the GUI thread only.
  std::shared_ptr<const JobView> view_ = std::make_shared<const JobView>();
  std::deque<Waiting> waiting_;  ///< the work at hand first
  std::shared_ptr<PauseGate> pause_ = std::make_shared<PauseGate>();
  std::shared_ptr<const LiveSurvey> live_;
  std::shared_ptr<const ComingFinds> coming_;
  std::optional<RunSoFar> run_;
  bool withRights_ = false;  ///< the survey on show was made with them
  Glance glance_;
  std::unique_ptr<WorkQueue> queue_;
};

}  // namespace zt::desktop
