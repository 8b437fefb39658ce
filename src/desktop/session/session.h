// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <deque>

#include "desktop/session/job_view.h"
#include "desktop/session/run_so_far.h"
#include "desktop/session/work_queue.h"

namespace zt::desktop {

/// Finds of a survey that is being made, so far.
struct ComingFinds {
  ContextPtr context;
  FindList finds;
};

/// What goes on, to be watched.
struct Underway {
  std::shared_ptr<const LiveSurvey> live;     ///< a survey while it is being made
  std::shared_ptr<const ComingFinds> coming;  ///< its finds so far
  std::optional<RunSoFar> run;
  bool withRights = false;  ///< the survey on show was made with them
};

/// The desktop's only way to a job: runs one piece of work after another on a thread of its own, and tells
/// the stations by queued signals. All public members belong to the GUI thread; the widgets never touch the
/// job itself. What opens and reads a place goes
/// through MeasureDesk, what changes a plan through PlanDesk, what changes the drive through RunDesk.
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
  const std::shared_ptr<const LiveSurvey>& live() const { return underway_.live; }
  const std::shared_ptr<const ComingFinds>& coming() const { return underway_.coming; }
  /// The run under way; nothing at other times.
  const std::optional<RunSoFar>& run() const { return underway_.run; }
  bool withRights() const { return underway_.withRights; }
  /// Changes what can be watched when the GUI thread's turn comes. From any thread.
  void onGui(std::function<void(Underway&)> change);

  const Workshop& workshop() const { return workshop_; }

  /// A run waits between items while it is paused, a measurement between folders.
  void setPaused(bool paused);
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
  struct Waiting {
    Work work;
    std::stop_source stop;
  };
  void finish(const Result<void>& done, std::shared_ptr<const JobView> view,
              const std::function<void()>& then);

  Workshop workshop_;
  // Touched on the queue's thread only.
  std::unique_ptr<Job> job_;
  std::shared_ptr<const JobView> latest_ = std::make_shared<const JobView>();
  // Touched on the GUI thread only.
  std::shared_ptr<const JobView> view_ = std::make_shared<const JobView>();
  std::deque<Waiting> waiting_;  ///< the work at hand first
  std::shared_ptr<PauseGate> pause_ = std::make_shared<PauseGate>();
  Underway underway_;
  std::unique_ptr<WorkQueue> queue_;
};

}  // namespace zt::desktop
