// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/measure_desk.h"

#include <chrono>

#include "core/match/duplicates.h"

namespace zt::desktop {

namespace {

/// Hands progress to the GUI thread.
class Sink final : public ProgressSink {
public:
  explicit Sink(Session& session) : session_(session) {}
  void report(const Progress& progress) override {
    session_.onGui([s = &session_, progress](Underway&) { Q_EMIT s->progressed(progress); });
  }

private:
  Session& session_;
};

/// Gathers finds as they come, and shows them a few times a second.
class Gatherer {
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
    session_.onGui([s = &session_, so = std::make_shared<const ComingFinds>(so_)](Underway& underway) {
      if (s->work() != Session::Work::measuring && s->work() != Session::Work::matching) return;
      underway.coming = so;
      Q_EMIT s->findsCame();
    });
  }

private:
  Session& session_;
  ComingFinds so_;
  std::chrono::steady_clock::time_point next_{};
};

}  // namespace

void MeasureDesk::openPlace(const PathBytes& path, bool standIn, const Keeping& keeping) {
  session_.post(
      Session::Work::opening,
      [s = &session_, path, standIn, keeping](std::unique_ptr<Job>& slot, std::stop_token) -> Result<void> {
        auto job = Job::create(s->workshop(), path, standIn, {keeping.file, keeping.acceptOnDrive});
        if (!job && job.error().code == Errc::onDrive) {
          s->onGui([s, path, standIn, keeping](Underway&) {
            Q_EMIT s->onDriveRefused(QByteArray::fromStdString(path), standIn,
                                     QByteArray::fromStdString(keeping.file));
          });
          return fail(Errc::cancelled, "open");
        }
        if (!job) return tl::unexpected(job.error());
        slot = std::move(*job);
        return {};
      },
      [s = &session_] { Q_EMIT s->opened(); });
}

void MeasureDesk::openJob(const PathBytes& file) {
  session_.post(Session::Work::opening,
                [s = &session_, file](std::unique_ptr<Job>& slot, std::stop_token) -> Result<void> {
                  if (slot && slot->store().path() == file) return {};
                  auto job = Job::open(s->workshop(), file);
                  if (!job) return tl::unexpected(job.error());
                  slot = std::move(*job);
                  return {};
                });
}

void MeasureDesk::measure(bool everything) {
  session_.onGui([everything](Underway& now) { now.withRights = everything; });
  postMeasuring(everything, true,
                [](Job& job, const Measurer::Options& options, std::stop_token stop, ProgressSink* sink) {
                  return job.measurer().measure(options, stop, sink);
                });
}

void MeasureDesk::measureFolder(const PathBytes& folder) {
  // Of one folder there is little to watch, and the rest of the survey stays on show.
  postMeasuring(
      session_.withRights(), false,
      [folder](Job& job, const Measurer::Options& options, std::stop_token stop, ProgressSink* sink) {
        return job.measurer().measureAgain(folder, options, stop, sink);
      });
}

void MeasureDesk::match(std::optional<Bytes> least) {
  session_.setPaused(false);
  session_.post(Session::Work::matching,
                [s = &session_, least](std::unique_ptr<Job>& job, std::stop_token stop) -> Result<void> {
                  if (!job) return {};
                  Sink sink(*s);
                  MatchBook::Options options;
                  options.least = least;
                  options.stop = std::move(stop);
                  options.pause = s->pauseGate().get();
                  if (!job->surveys().survey()) return fail(Errc::notThere, "survey");
                  const ContextPtr context = job->surveys().context();
                  Gatherer gatherer(*s, context, *job->surveys().finds());
                  options.found = [&](const EqualFiles& group) {
                    const auto find =
                        duplicateFind(*context, group, job->planBook().marks(), job->surveys().keeperOrder());
                    if (find && job->surveys().find(find->id) == nullptr) gatherer.take(context, *find);
                  };
                  const auto done = job->contents().match(options, &sink);
                  return done ? Result<void>{} : Result<void>(tl::unexpected(done.error()));
                });
}

void MeasureDesk::postMeasuring(bool everything, bool watched, Measuring measuring) {
  session_.setPaused(false);
  session_.post(
      Session::Work::measuring,
      [s = &session_, everything, watched, measuring = std::move(measuring)](
          std::unique_ptr<Job>& job, std::stop_token stop) -> Result<void> {
        if (!job) return {};
        Sink sink(*s);
        Gatherer gatherer(*s);
        Measurer::Options options;
        options.everything = everything;
        options.pause = s->pauseGate();
        if (watched) {
          options.watch = [s](const std::shared_ptr<const LiveSurvey>& live) {
            s->onGui([live](Underway& now) { now.live = live; });
          };
          options.found = [&gatherer](const ContextPtr& context, const Find& find) {
            gatherer.take(context, find);
          };
        }
        return measuring(*job, options, stop, &sink);
      },
      [s = &session_] { Q_EMIT s->measured(); });
}

}  // namespace zt::desktop
