// SPDX-License-Identifier: GPL-3.0-or-later
// What can happen to held items later: put back, let go, or found after a crash.
#include <algorithm>

#include "core/os/rights/file_rights.h"
#include "core/reclaim/claims.h"
#include "core/reclaim/run.h"
#include "core/reclaim/steps/with_file_rights.h"
#include "core/reclaim/steps/with_rights.h"
#include "core/reclaim/steps/with_step_rights.h"

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

/// The kind of step of a record, with what it is done by; nullptr for one that is not known.
StepPtr stepOf(const StepTable& steps, const JournalRecord& r) {
  const StepPtr step = steps.find(r.action);
  return step == nullptr || step->executor == nullptr ? nullptr : step;
}

/// What is going to be done with records, and so what rights are asked for where others' things are held.
struct Aim {
  bool giveBack = false;
  bool release = false;
};

/// What rights are needed for: to set back what was changed of the running system, and to give back or let go
/// what lies in holds of others.
struct Orders {
  RightsOrder live;
  RightsOrder files;
};

Orders ordersFor(const GuardedDrive& drive, const StepTable& steps, std::span<const JournalRecord> records,
                 Aim aim) {
  Orders orders;
  RightsOrderMaker made(drive);
  for (const JournalRecord& r : records) {
    const StepPtr step = stepOf(steps, r);
    if (step == nullptr) continue;
    if (step->rights == RightsRule::live) {
      orders.live.things.push_back(liveThing(r.action, r.path, r.parameters));
    } else if (made.asks() && step->rights == RightsRule::files && heldByOthers(drive, r)) {
      if (aim.giveBack) made.take(mayGiveBack, r.path, r.identity);
      if (aim.release) made.take(mayRelease, r.path, r.identity);
    } else if (made.asks() && step->rights == RightsRule::whole &&
               (heldByOthers(drive, r) || needsStepRights(drive, r.path) || copyIsOthers(drive, r))) {
      made.carryOut(*step, r.path, r.identity, r.parameters);
    }
  }
  orders.files = std::move(made.order);
  // Whoever calls has the consent; it is for these things.
  if (aim.release) orders.files.consent = orders.files.digest();
  return orders;
}

/// The drive as what was asked for lets it be seen.
const GuardedDrive& seen(const GuardedDrive& drive) {
  return drive.rightful ? drive.rightful->drive : drive;
}

/// Goes over records until `each` gives false or fails. What does not answer ends it: it is the problem of
/// the record in hand, which stays open or held as the journal has it.
template <class Each>
Result<std::vector<JournalRecord>> goOver(GuardedDrive drive, const StepTable& steps,
                                          std::vector<JournalRecord> records, Aim aim, Each each) {
  Watch watch(drive.answersWithin);
  const auto shared = std::make_shared<GuardedDrive>(std::move(drive));
  shared->files = watch.over(shared->files);
  shared->alive = watch.alive();
  // Asked for before anything, because a person may take their time.
  const auto orders = std::make_shared<Orders>();
  (void)watch.run([=, &steps, &records] { *orders = ordersFor(*shared, steps, records, aim); });
  const std::shared_ptr<void> rights[] = {beginLive(*shared, orders->live),
                                          beginFiles(*shared, orders->files)};
  std::size_t inHand = 0;
  Result<void> ended;
  const bool answered = watch.run([&, shared] {
    for (; inHand < records.size(); ++inHand) {
      const Result<bool> on = each(watch, *shared, records, inHand);
      if (!on) ended = tl::unexpected(on.error());
      if (!on || !*on) return;
    }
  });
  if (!answered) problem(records[inHand], Error{Errc::unanswered, "aftermath", records[inHand].path, 0, {}});
  if (answered && !ended) return tl::unexpected(ended.error());
  return records;
}

/// One record through one of an executor's ways; the journal says before that it is under way, and after what
/// came of it.
template <class Work>
Result<void> carry(Watch& watch, StepSite& site, const StepTable& steps, Journal& journal, JournalRecord& r,
                   ItemState underWay, Work work) {
  const StepPtr step = stepOf(steps, r);
  if (step == nullptr) {
    problem(r, Error{Errc::unknownStep, "aftermath", r.path, 0, r.action});
    return {};
  }
  if (const auto believed = checkClaim(seen(site.drive), r); !believed) {
    problem(r, believed.error());
    return {};
  }
  if (site.others.empty()) {
    auto others = openOthers(watch, site.drive, *step, r);
    if (!others) {
      problem(r, others.error());
      return {};  // stays as it is
    }
    site.others = std::move(*others);
  }
  const ItemState before = r.state;
  r.state = underWay;
  if (auto noted = note(journal, r); !noted) return noted;
  const auto done = watch.ask(r, [&](JournalRecord& mine) {
    auto came = work(*step->executor, mine);
    if (came) step->executor->tidy(site, mine);
    return came;
  });
  if (!done) {
    // It lies where it lay: in the hold, or on another drive.
    r.state = before;
    problem(r, done.error());
  }
  return note(journal, r);
}

}  // namespace

Result<std::vector<JournalRecord>> undoRun(GuardedDrive drive, const StepTable& steps, Journal& journal,
                                           std::vector<JournalRecord> held, std::stop_token stop) {
  std::reverse(held.begin(), held.end());
  const auto each = [&](Watch& watch, GuardedDrive& at, auto& records, std::size_t i) -> Result<bool> {
    if (stop.stop_requested()) return false;
    const Holders nobody;
    StepSite site{at, records[i].run, nobody};
    records[i].problem.reset();
    const auto done = carry(watch, site, steps, journal, records[i], ItemState::returning,
                            [&](const StepExecutor& e, JournalRecord& r) { return e.undo(site, r); });
    if (!done) return tl::unexpected(done.error());
    return true;
  };
  return goOver(std::move(drive), steps, std::move(held), {true, false}, each);
}

Result<std::vector<JournalRecord>> releaseRun(GuardedDrive drive, const StepTable& steps, Journal& journal,
                                              std::vector<JournalRecord> held, std::stop_token stop) {
  auto holders = std::make_shared<Holders>();
  const auto each = [&](Watch& watch, GuardedDrive& at, auto& records, std::size_t i) -> Result<bool> {
    if (stop.stop_requested()) return false;
    if (i % atOnce == 0) holders = std::make_shared<Holders>(Holders::read(*at.openFiles));
    const auto kept = holders;
    JournalRecord& record = records[i];
    StepSite site{at, record.run, *kept};
    const StepPtr step = stepOf(steps, record);
    record.problem.reset();
    if (const auto believed = checkClaim(seen(at), record); !believed) {
      problem(record, believed.error());
      return true;  // stays held
    }
    if (step != nullptr) {
      auto others = openOthers(watch, at, *step, record);
      if (others) site.others = std::move(*others);
      const auto same =
          !others ? Result<void>(tl::unexpected(others.error()))
                  : watch.ask(record, [&](auto& mine) { return step->executor->verify(site, mine); });
      if (!same && same.error().code != Errc::notThere) {
        problem(record, same.error());
        return true;  // stays held
      }
    }
    const auto done = carry(watch, site, steps, journal, record, ItemState::discarding,
                            [&](const StepExecutor& e, JournalRecord& r) { return e.release(site, r); });
    if (!done) return tl::unexpected(done.error());
    return true;
  };
  return goOver(std::move(drive), steps, std::move(held), {false, true}, each);
}

namespace {

/// Where the drive does not answer nothing is known.
bool nothingKnown(const Error& e) {
  return e.code == Errc::unanswered || e.code == Errc::away;
}

Result<void> recoverOne(Watch& watch, GuardedDrive& drive, const StepTable& steps, Journal& journal,
                        JournalRecord& r, bool finish) {
  const bool isOpen =
      r.state == ItemState::intended || r.state == ItemState::returning || r.state == ItemState::discarding;
  if (!isOpen) return {};
  const StepPtr step = stepOf(steps, r);
  if (step == nullptr) {
    problem(r, Error{Errc::unknownStep, "recover", r.path, 0, r.action});
    return {};
  }
  if (const auto believed = checkClaim(seen(drive), r); !believed) {
    if (nothingKnown(believed.error())) return believed;
    // Nothing is done for a record that cannot be true; it is told each time.
    problem(r, believed.error());
    return {};
  }
  const Holders nobody;
  StepSite site{drive, r.run, nobody};
  auto others = openOthers(watch, drive, *step, r);
  if (!others) {
    // It stays open until the other drive is here again.
    problem(r, others.error());
    return {};
  }
  site.others = std::move(*others);
  const StepExecutor& executor = *step->executor;
  const bool letGo = finish && r.state == ItemState::discarding;
  const auto settled = watch.ask(
      r, [&](auto& mine) { return letGo ? executor.release(site, mine) : executor.recover(site, mine); });
  // It was being finished: what is in neither place has gone.
  if (settled && letGo && r.state == ItemState::missing) r.state = ItemState::gone;
  if (!settled) {
    if (nothingKnown(settled.error())) return settled;
    // What was being let go, and is not whole any more, can only be finished.
    const bool elsewhere = r.state == ItemState::returning && step->undo == UndoRule::bringBack;
    if (r.state != ItemState::discarding) r.state = elsewhere ? ItemState::gone : ItemState::held;
    problem(r, settled.error());
  }
  (void)watch.ask(r, [&](auto& mine) { return executor.tidy(site, mine), Result<void>{}; });
  return note(journal, r);
}

}  // namespace

Result<std::vector<JournalRecord>> recover(GuardedDrive drive, const StepTable& steps, Journal& journal,
                                           std::vector<JournalRecord> open, bool finish) {
  const auto each = [&](Watch& watch, GuardedDrive& at, auto& records, std::size_t i) -> Result<bool> {
    const auto done = recoverOne(watch, at, steps, journal, records[i], finish);
    if (!done) return tl::unexpected(done.error());
    return true;
  };
  return goOver(std::move(drive), steps, std::move(open), {true, finish}, each);
}

}  // namespace zt
