// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/session.h"

#include <QSettings>
#include <chrono>

#include "core/finds/match/duplicates.h"

namespace zt::desktop {

template <class Run>
void Session::onGui(Run run) {
  QMetaObject::invokeMethod(this, std::move(run), Qt::QueuedConnection);
}

/// Hands progress to the GUI thread.
class Session::Sink final : public ProgressSink {
public:
  explicit Sink(Session& session) : session_(session) {}
  void report(const Progress& progress) override {
    session_.onGui([s = &session_, progress] { Q_EMIT s->progressed(progress); });
  }

private:
  Session& session_;
};

/// Gathers finds as they come, and shows them a few times a second.
class Session::Gatherer {
public:
  explicit Gatherer(Session& session) : session_(session) {}
  /// Beside what is known already.
  Gatherer(Session& session, ContextPtr context, const FindList& known) : session_(session) {
    so_.context = std::move(context);
    for (const Find& find : known) so_.finds.add(find);
  }
  void take(const ContextPtr& context, const Find& find) {
    so_.context = context;
    so_.finds.add(find);
    const auto now = std::chrono::steady_clock::now();
    if (now < next_) return;
    next_ = now + std::chrono::milliseconds(150);
    session_.onGui([s = &session_, so = std::make_shared<const ComingFinds>(so_)] {
      if (s->work() != Work::measuring && s->work() != Work::matching) return;
      s->coming_ = so;
      Q_EMIT s->findsCame();
    });
  }

private:
  Session& session_;
  ComingFinds so_;
  std::chrono::steady_clock::time_point next_{};
};

Session::Session(const Workshop& workshop, QObject* parent)
    : QObject(parent), workshop_(workshop), queue_(std::make_unique<WorkQueue>(QStringLiteral("job"))) {}

Session::~Session() {
  pause_->setPaused(false);
  queue_.reset();  // the job then belongs to nobody else
}

bool Session::busy() const {
  return std::any_of(waiting_.begin(), waiting_.end(), [](const Waiting& w) {
    return w.work == Work::measuring || w.work == Work::matching || w.work == Work::running ||
           w.work == Work::opening || w.work == Work::proving;
  });
}

void Session::stop() {
  if (!waiting_.empty()) waiting_.front().stop.request_stop();
  setPaused(false);
}

void Session::setPaused(bool paused) {
  if (paused == pause_->paused()) return;
  pause_->setPaused(paused);
  Q_EMIT workChanged();
}

bool Session::paused() const {
  return pause_->paused();
}

void Session::beginRun(std::set<std::string> waiting) {
  run_ = beginningOf(*view_, std::move(waiting), workshop_.clock->now());
}

void Session::takeRun(const RunProgress& progress) {
  if (!run_) return;
  run_->take(progress);
  Q_EMIT runProgressed();
}

void Session::post(Work work, Task task, std::function<void()> then) {
  auto stop =
      queue_->post([this, task = std::move(task), then = std::move(then)](const std::stop_token& token) {
        const Result<void> done = task(job_, token);
        latest_ = std::make_shared<const JobView>(job_ ? viewOf(*job_, *latest_) : JobView{});
        onGui([this, done, view = latest_, then] { finish(done, view, then); });
      });
  waiting_.push_back({work, std::move(stop)});
  Q_EMIT workChanged();
}

void Session::finish(const Result<void>& done, std::shared_ptr<const JobView> fresh,
                     const std::function<void()>& then) {
  const bool sameJob = view_->file == fresh->file && view_->root == fresh->root;
  if (sameJob && !fresh->proposal && view_->proposal && view_->survey == fresh->survey) {
    auto kept = std::make_shared<JobView>(*fresh);
    kept->proposal = view_->proposal;
    fresh = std::move(kept);
  }
  view_ = std::move(fresh);
  live_.reset();  // no one sees both what grows and what it grew into
  coming_.reset();
  if (waiting_.front().work == Work::running) run_.reset();
  waiting_.pop_front();
  Q_EMIT workChanged();
  Q_EMIT changed();
  if (!done && done.error().code != Errc::cancelled) Q_EMIT failed(done.error());
  if (done && then) then();
}

namespace {
/// The headroom rules that the shop follows, as it last ticked them.
std::vector<Target> withShopRules(std::vector<Target> targets, const QStringList& rules) {
  for (Target& t : targets)
    if (t.origin != TargetOrigin::task) t.chosen = rules.contains(QString::fromUtf8(name(t.origin).data()));
  return targets;
}
}  // namespace

void Session::openPlace(const PathBytes& path, bool standIn, const Keeping& keeping) {
  const QStringList rules = QSettings().value(QStringLiteral("shopRules")).toStringList();
  post(
      Work::opening,
      [this, path, standIn, keeping, rules](std::unique_ptr<Job>& slot, std::stop_token) -> Result<void> {
        auto job = Job::create(workshop_, path, standIn, {keeping.file, keeping.acceptOnDrive});
        if (!job && job.error().code == Errc::onDrive) {
          onGui([this, path, standIn, keeping] {
            Q_EMIT onDriveRefused(QByteArray::fromStdString(path), standIn,
                                  QByteArray::fromStdString(keeping.file));
          });
          return fail(Errc::cancelled, "open");
        }
        if (!job) return tl::unexpected(job.error());
        slot = std::move(*job);
        return slot->planBook().setTargets(withShopRules(slot->planBook().targets(), rules));
      },
      [this] { Q_EMIT opened(); });
}

void Session::openJob(const PathBytes& file) {
  post(Work::opening, [this, file](std::unique_ptr<Job>& slot, std::stop_token) -> Result<void> {
    if (slot && slot->store().path() == file) return {};
    auto job = Job::open(workshop_, file);
    if (!job) return tl::unexpected(job.error());
    slot = std::move(*job);
    return {};
  });
}

void Session::showProposal(std::optional<Proposal> proposal) {
  auto shown = std::make_shared<JobView>(*view_);
  shown->proposal = std::move(proposal);
  view_ = std::move(shown);
  Q_EMIT changed();
}

void Session::measure(bool everything) {
  withRights_ = everything;
  postMeasuring(everything, true,
                [](Job& job, const Measurer::Options& options, std::stop_token stop, ProgressSink* sink) {
                  return job.measurer().measure(options, stop, sink);
                });
}

void Session::measureFolder(const PathBytes& folder) {
  // Of one folder there is little to watch, and the rest of the survey stays on show.
  postMeasuring(
      withRights_, false,
      [folder](Job& job, const Measurer::Options& options, std::stop_token stop, ProgressSink* sink) {
        return job.measurer().measureAgain(folder, options, stop, sink);
      });
}

void Session::match(std::optional<Bytes> least) {
  setPaused(false);
  post(Work::matching, [this, least](std::unique_ptr<Job>& job, std::stop_token stop) -> Result<void> {
    if (!job) return {};
    Sink sink(*this);
    MatchBook::Options options;
    options.least = least;
    options.stop = std::move(stop);
    options.pause = pause_.get();
    if (!job->surveys().survey()) return fail(Errc::notThere, "survey");
    const ContextPtr context = job->surveys().context();
    Gatherer gatherer(*this, context, *job->surveys().finds());
    options.found = [&](const EqualFiles& group) {
      const auto find = duplicateFind(*context, group, job->planBook().marks(), job->surveys().keeperOrder());
      if (find && job->surveys().find(find->id) == nullptr) gatherer.take(context, *find);
    };
    const auto done = job->contents().match(options, &sink);
    return done ? Result<void>{} : Result<void>(tl::unexpected(done.error()));
  });
}

void Session::postMeasuring(bool everything, bool watched, Measuring measuring) {
  setPaused(false);
  post(
      Work::measuring,
      [this, everything, watched, measuring = std::move(measuring)](std::unique_ptr<Job>& job,
                                                                    std::stop_token stop) -> Result<void> {
        if (!job) return {};
        Sink sink(*this);
        Gatherer gatherer(*this);
        Measurer::Options options;
        options.everything = everything;
        options.pause = pause_;
        if (watched) {
          options.watch = [this](const std::shared_ptr<const LiveSurvey>& live) {
            onGui([this, live] { live_ = live; });
          };
          options.found = [&gatherer](const ContextPtr& context, const Find& find) {
            gatherer.take(context, find);
          };
        }
        return measuring(*job, options, stop, &sink);
      },
      [this] { Q_EMIT measured(); });
}

}  // namespace zt::desktop
