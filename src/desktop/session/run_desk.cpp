// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/run_desk.h"

namespace zt::desktop {

namespace {
/// Switches lines of a plan on or off.
Result<void> setEnabled(Job& job, const std::set<std::string>& lines, bool on) {
  if (lines.empty()) return {};
  return job.planBook().edit([&](Plan& plan) {
    for (PlanLine& line : plan.lines)
      if (lines.contains(line.id)) line.enabled = on;
  });
}
}  // namespace

void RunDesk::reclaim(const std::string& shown, const std::set<std::string>& waiting) {
  session_.onGui([s = &session_, run = beginningOf(session_.view(), waiting,
                                                   session_.workshop().clock->now())](Underway& now) {
    now.run = run;
    Q_EMIT s->runProgressed();
  });
  session_.post(
      Session::Work::running,
      [session = &session_, shown, waiting](std::unique_ptr<Job>& job, std::stop_token stop) -> Result<void> {
        if (!job) return {};
        // What was agreed to is what was shown, and of it what was ticked.
        if (job->consent().token != shown) return fail(Errc::noConsent, "reclaim");
        if (auto off = setEnabled(*job, waiting, false); !off) return off;
        const std::string token = waiting.empty() ? shown : job->consent().token;
        RunControl control;
        control.stop = stop;
        control.pause = session->pauseGate();
        control.progress = [session](const RunProgress& progress) {
          session->onGui([session, progress](Underway& now) {
            if (!now.run) return;
            now.run->take(progress);
            Q_EMIT session->runProgressed();
          });
        };
        auto done = job->reclaim(token, control);
        if (auto on = setEnabled(*job, waiting, true); !on && done) return on;
        if (!done) return tl::unexpected(done.error());
        return done->journalFailed ? Result<void>(tl::unexpected(done->journalFailure)) : Result<void>{};
      },
      [session = &session_] { Q_EMIT session->runEnded(); });
}

namespace {
/// The first record that is not as wanted, as an error; then the drive is read again.
Result<void> afterReturn(Job& job, const Result<std::vector<JournalRecord>>& done, ItemState wanted,
                         std::string_view operation) {
  if (!done) return tl::unexpected(done.error());
  const auto proof = job.prove();
  for (const auto& r : *done)
    if (r.state != wanted && (r.state != ItemState::held || r.problem))
      return fail(r.problem.value_or(Errc::notThere), operation, r.path, r.detail);
  return proof ? Result<void>{} : Result<void>(tl::unexpected(proof.error()));
}
}  // namespace

void RunDesk::undo() {
  session_.post(Session::Work::running, [](std::unique_ptr<Job>& job, std::stop_token stop) -> Result<void> {
    return job ? afterReturn(*job, job->undo(0, stop), ItemState::returned, "put-back") : Result<void>{};
  });
}

void RunDesk::rehearse(std::function<void(std::vector<JournalRecord>)> then) {
  auto found = std::make_shared<std::vector<JournalRecord>>();
  session_.post(
      Session::Work::editing,
      [found](std::unique_ptr<Job>& job, std::stop_token) -> Result<void> {
        if (!job) return {};
        auto checked = job->rehearse();
        if (!checked) return tl::unexpected(checked.error());
        for (JournalRecord& r : *checked)
          if (r.state == ItemState::refused) found->push_back(std::move(r));
        return {};
      },
      [found, then = std::move(then)] { then(std::move(*found)); });
}

void RunDesk::repay() {
  session_.post(Session::Work::running, [](std::unique_ptr<Job>& job, std::stop_token stop) -> Result<void> {
    return job ? afterReturn(*job, job->repay(stop), ItemState::returned, "repay") : Result<void>{};
  });
}

void RunDesk::release(const std::string& token) {
  session_.post(Session::Work::running,
                [token](std::unique_ptr<Job>& job, std::stop_token stop) -> Result<void> {
                  return job ? afterReturn(*job, job->release(token, stop), ItemState::gone, "release")
                             : Result<void>{};
                });
}

void RunDesk::withReleaseConsent(std::function<void(Consent)> then) {
  auto consent = std::make_shared<Consent>();
  session_.post(
      Session::Work::editing,
      [consent](std::unique_ptr<Job>& job, std::stop_token) -> Result<void> {
        if (!job) return {};
        auto needed = job->runs().releaseConsent();
        if (!needed) return tl::unexpected(needed.error());
        *consent = *needed;
        return {};
      },
      [consent, then = std::move(then)] { then(*consent); });
}

void RunDesk::prove() {
  session_.post(Session::Work::proving, [](std::unique_ptr<Job>& job, std::stop_token) -> Result<void> {
    if (!job) return {};
    auto proof = job->prove();
    return proof ? Result<void>{} : Result<void>(tl::unexpected(proof.error()));
  });
}

}  // namespace zt::desktop
