// SPDX-License-Identifier: GPL-3.0-or-later
// What can happen to held items later: put back, let go, or found after a crash.
#include <algorithm>

#include "core/reclaim/claims.h"
#include "core/reclaim/run.h"

namespace zt {

namespace {

/// Items that share a look at who holds what.
constexpr std::size_t atOnce = 256;

Result<void> note(Journal& journal, const JournalRecord& record) {
  return journal.write(std::span(&record, 1));
}

void problem(JournalRecord& r, const Error& e) {
  r.problem = e.code;
  r.detail = e.detail.empty() ? escapePath(e.path) : e.detail;
}

const StepExecutor* executorOf(const StepTable& steps, const JournalRecord& r) {
  const StepPtr step = steps.find(r.action);
  return step == nullptr ? nullptr : step->executor.get();
}

/// One record through one of an executor's ways; the journal says before that it is under way, and after what
/// came of it.
template <class Work>
Result<void> carry(const GuardedDrive& drive, const StepTable& steps, Journal& journal, JournalRecord& r,
                   ItemState underWay, StepSite& site, Work work) {
  const StepExecutor* executor = executorOf(steps, r);
  if (executor == nullptr) {
    problem(r, Error{Errc::unknownStep, "aftermath", r.path, 0, r.action});
    return {};
  }
  if (const auto believed = checkClaim(drive, r); !believed) {
    problem(r, believed.error());
    return {};
  }
  r.state = underWay;
  if (auto noted = note(journal, r); !noted) return noted;
  if (const auto done = guardedly([&] { return work(*executor, r); }); !done) {
    r.state = ItemState::held;
    problem(r, done.error());
  } else {
    executor->tidy(site, r);
  }
  return note(journal, r);
}

}  // namespace

Result<std::vector<JournalRecord>> undoRun(GuardedDrive drive, const StepTable& steps, Journal& journal,
                                           std::vector<JournalRecord> held, std::stop_token stop) {
  std::reverse(held.begin(), held.end());
  const Holders nobody;
  for (auto& r : held) {
    if (stop.stop_requested()) break;
    StepSite site{drive, r.run, nobody};
    r.problem.reset();
    const auto done =
        carry(drive, steps, journal, r, ItemState::returning, site,
              [&](const StepExecutor& e, JournalRecord& record) { return e.undo(site, record); });
    if (!done) return tl::unexpected(done.error());
  }
  return held;
}

Result<std::vector<JournalRecord>> releaseRun(GuardedDrive drive, const StepTable& steps, Journal& journal,
                                              std::vector<JournalRecord> held, std::stop_token stop) {
  for (std::size_t from = 0; from < held.size() && !stop.stop_requested(); from += atOnce) {
    const Holders holders = Holders::read(*drive.openFiles);
    for (auto& r : std::span(held).subspan(from, std::min(atOnce, held.size() - from))) {
      if (stop.stop_requested()) break;
      StepSite site{drive, r.run, holders};
      const StepExecutor* executor = executorOf(steps, r);
      r.problem.reset();
      if (const auto believed = checkClaim(drive, r); !believed) {
        problem(r, believed.error());
        continue;  // stays held
      }
      if (executor != nullptr)
        if (const auto same = guardedly([&] { return executor->verify(site, r); });
            !same && same.error().code != Errc::notThere) {
          problem(r, same.error());
          continue;  // stays held
        }
      const auto done =
          carry(drive, steps, journal, r, ItemState::discarding, site,
                [&](const StepExecutor& e, JournalRecord& record) { return e.release(site, record); });
      if (!done) return tl::unexpected(done.error());
    }
  }
  return held;
}

Result<std::vector<JournalRecord>> recover(GuardedDrive drive, const StepTable& steps, Journal& journal,
                                           std::vector<JournalRecord> open, bool finish) {
  const Holders nobody;
  for (auto& r : open) {
    const StepExecutor* executor = executorOf(steps, r);
    const bool isOpen =
        r.state == ItemState::intended || r.state == ItemState::returning || r.state == ItemState::discarding;
    if (!isOpen) continue;
    if (executor == nullptr) {
      problem(r, Error{Errc::unknownStep, "recover", r.path, 0, r.action});
      continue;
    }
    if (const auto believed = checkClaim(drive, r); !believed) {
      if (believed.error().code == Errc::unanswered || believed.error().code == Errc::away)
        return tl::unexpected(believed.error());
      // Nothing is done for a record that cannot be true; it is told each time.
      problem(r, believed.error());
      continue;
    }
    StepSite site{drive, r.run, nobody};
    const bool letGo = finish && r.state == ItemState::discarding;
    const auto settled =
        guardedly([&] { return letGo ? executor->release(site, r) : executor->recover(site, r); });
    // It was being finished: what is in neither place has gone.
    if (settled && letGo && r.state == ItemState::missing) r.state = ItemState::gone;
    if (!settled) {
      // Where the drive does not answer nothing is known, and the record stays open.
      if (settled.error().code == Errc::unanswered || settled.error().code == Errc::away)
        return tl::unexpected(settled.error());
      // What was being let go, and is not whole any more, can only be finished.
      if (r.state != ItemState::discarding) r.state = ItemState::held;
      problem(r, settled.error());
    }
    executor->tidy(site, r);
    if (auto noted = note(journal, r); !noted) return tl::unexpected(noted.error());
  }
  return open;
}

}  // namespace zt
