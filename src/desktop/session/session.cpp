// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/session.h"

namespace zt::desktop {

void Session::onGui(std::function<void(Underway&)> change) {
  QMetaObject::invokeMethod(
      this, [this, change = std::move(change)] { change(underway_); }, Qt::QueuedConnection);
}

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

void Session::post(Work work, Task task, std::function<void()> then) {
  auto stop =
      queue_->post([this, task = std::move(task), then = std::move(then)](const std::stop_token& token) {
        const Result<void> done = task(job_, token);
        latest_ = std::make_shared<const JobView>(job_ ? viewOf(*job_, *latest_) : JobView{});
        onGui([this, done, view = latest_, then](Underway&) { finish(done, view, then); });
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
  underway_.live.reset();  // no one sees both what grows and what it grew into
  underway_.coming.reset();
  if (waiting_.front().work == Work::running) underway_.run.reset();
  waiting_.pop_front();
  Q_EMIT workChanged();
  Q_EMIT changed();
  if (!done && done.error().code != Errc::cancelled) Q_EMIT failed(done.error());
  if (done && then) then();
}

void Session::showProposal(std::optional<Proposal> proposal) {
  auto shown = std::make_shared<JobView>(*view_);
  shown->proposal = std::move(proposal);
  view_ = std::move(shown);
  Q_EMIT changed();
}

}  // namespace zt::desktop
