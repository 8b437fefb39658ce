// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/run.h"

#include <absl/container/flat_hash_set.h>

#include <algorithm>

namespace zt {

namespace {

/// Items that share their journal writes and a look at who holds what. The run stops between items all the
/// same.
constexpr std::size_t batchSize = 256;

void note(JournalRecord& record, const Error& why) {
  record.problem = why.code;
  record.detail = why.detail.empty() && why.path != record.path ? escapePath(why.path) : why.detail;
}

void refuse(JournalRecord& record, const Error& why) {
  record.state = ItemState::refused;
  note(record, why);
}

/// Whatever an executor throws is the failure of its item.
template <class Work>
Result<void> guardedly(Work work) {
  try {
    return work();
  } catch (const std::exception& e) {
    return fail(Errc::io, "step", {}, e.what());
  }
}

bool isDone(const PlanLine& line, const JournalRecord& r) {
  return r.state == ItemState::gone ||
         (r.state == ItemState::held && line.step->undo != UndoRule::none && !r.problem);
}

/// Books a batch's records into the line.
void book(const PlanLine& line, LineOutcome& outcome, const std::vector<JournalRecord>& batch) {
  for (const auto& r : batch) {
    outcome.freed += r.freed;
    outcome.linksRemain += r.linksRemain;
    if (r.state == ItemState::held) outcome.held += r.occupied;
    const bool done = isDone(line, r);
    outcome.itemsDone += done;
    if (!done && r.state != ItemState::untouched) outcome.problems.push_back(r);
  }
}

LineOutcome::State stateOf(const LineOutcome& o) {
  if (o.itemsDone == o.items) return LineOutcome::State::done;
  if (o.itemsDone == 0 && o.freed.atMost == 0)
    return o.problems.empty() ? LineOutcome::State::notReached : LineOutcome::State::refused;
  return LineOutcome::State::partly;
}

}  // namespace

std::string_view name(LineOutcome::State state) {
  static constexpr std::array<std::string_view, lineStates> names{"done", "partly", "refused", "not-reached"};
  return names[static_cast<std::size_t>(state)];
}

Result<RunReport> Runner::carryOut(const Plan& plan, std::string_view token, const RunControl& control) {
  if (consentFor(plan).token != token) return fail(Errc::noConsent, "reclaim");
  control_ = control;
  auto space = SpaceLedger::begin(*drive_.files, drive_.root);
  if (!space) return tl::unexpected(space.error());
  space_.emplace(std::move(*space));
  const GainModel& gain = drive_.context->gain;
  promises_.emplace(gain);
  RunReport report;
  report.run = run_;
  const auto steps = stepGains(plan, gain);
  const std::vector<NodeId> outer = outermostItems(plan, gain);
  absl::flat_hash_set<PathBytes> taken;
  for (std::size_t i = 0; i < plan.lines.size(); ++i) {
    const PlanLine& line = plan.lines[i];
    if (!line.enabled) continue;
    LineOutcome outcome;
    outcome.line = line.id;
    outcome.action = line.step->id;
    outcome.promised = steps[i];
    std::vector<Subject> items;
    for (const auto& item : line.items)
      if (item.node == noNode || std::binary_search(outer.begin(), outer.end(), item.node))
        if (taken.insert(item.path).second) items.push_back(item);
    outcome.items = items.size();
    runLine(line, items, outcome, report);
    space_->ended(outcome.freed);
    report.lines.push_back(std::move(outcome));
  }
  space_->settle();
  for (std::size_t i = 0; i < report.lines.size(); ++i)
    if (i < space_->shares().size()) report.lines[i].rose = space_->shares()[i];
  return report;
}

void Runner::runLine(const PlanLine& line, std::span<const Subject> items, LineOutcome& outcome,
                     RunReport& report) {
  for (std::size_t from = 0; from < items.size() && !report.journalFailed; from += batchSize) {
    report.stopped = report.stopped || control_.stop.stop_requested();
    if (report.stopped) break;
    Batch batch = prepare(line, items.subspan(from, std::min(batchSize, items.size() - from)));
    if (auto done = runBatch(line, batch, outcome); !done) {
      report.journalFailed = true;
      report.journalFailure = done.error();
    }
    book(line, outcome, batch);
    report.stopped = report.stopped || std::any_of(batch.begin(), batch.end(), [](const auto& r) {
                       return r.state == ItemState::untouched;
                     });
  }
  outcome.state = stateOf(outcome);
  if (control_.progress) control_.progress(outcome);
}

std::vector<JournalRecord> Runner::rehearse(const Plan& plan) {
  const Holders holders = Holders::read(*drive_.openFiles);
  StepSite site{drive_, run_, holders};
  promises_.emplace(drive_.context->gain);
  std::vector<JournalRecord> all;
  for (const PlanLine& line : plan.lines) {
    if (!line.enabled) continue;
    for (JournalRecord& r : prepare(line, line.items)) {
      if (r.state == ItemState::intended)
        if (const auto fits = guardedly([&] { return line.step->executor->check(site, r); }); !fits)
          refuse(r, fits.error());
      all.push_back(std::move(r));
    }
  }
  return all;
}

Runner::Batch Runner::prepare(const PlanLine& line, std::span<const Subject> items) {
  Batch batch;
  for (const Subject& item : items) {
    JournalRecord r;
    r.run = run_;
    r.seq = ++seq_;
    r.line = line.id;
    r.action = line.step->id;
    r.path = item.path;
    r.identity = item.identity;
    r.occupied = item.occupied;
    if (line.step->frees() && item.node != noNode) r.promised = promises_->add(item.node);
    if (line.step->executor == nullptr)
      refuse(r, Error{Errc::unknownStep, "guard", item.path, 0, line.step->id});
    else if (const auto allowed = checkOnPaper(drive_, item); !allowed)
      refuse(r, allowed.error());
    batch.push_back(std::move(r));
  }
  return batch;
}

/// False once somebody asked to stop; waits while the run is paused.
bool Runner::mayGoOn() {
  if (control_.pause) control_.pause->pass(control_.stop);
  return !control_.stop.stop_requested();
}

/// What the line has come to in the middle of a batch, which is booked at its end only.
void Runner::tell(const PlanLine& line, const Batch& batch, const LineOutcome& so) {
  constexpr std::chrono::milliseconds apart{50};
  const auto now = std::chrono::steady_clock::now();
  if (!control_.progress || now < nextTold_) return;
  nextTold_ = now + apart;
  LineOutcome outcome = so;
  for (const auto& r : batch) {
    outcome.freed += r.freed;
    outcome.itemsDone += isDone(line, r);
  }
  control_.progress(outcome);
}

/// Places are chosen before the journal is written, so that it says where an item will be.
void Runner::chooseAll(const StepExecutor& executor, Batch& batch) {
  const Holders nobody;
  StepSite site{drive_, run_, nobody};
  for (auto& r : batch)
    if (r.state == ItemState::intended)
      if (const auto chosen = guardedly([&] { return executor.prepare(site, r); }); !chosen)
        refuse(r, chosen.error());
}

void Runner::takeBack(const StepExecutor& executor, JournalRecord& r, const Holders& holders) {
  StepSite site{drive_, run_, holders};
  // What cannot go back stays where it is, and the journal says so.
  if (!guardedly([&] { return executor.undo(site, r); })) r.state = ItemState::held;
}

void Runner::applyAll(const StepExecutor& executor, Batch& batch) {
  const Holders before = Holders::read(*drive_.openFiles);
  StepSite site{drive_, run_, before};
  bool going = true;
  for (auto& r : batch) {
    if (r.state != ItemState::intended) continue;
    going = going && mayGoOn();
    if (!going) {
      r.state = ItemState::untouched;
      continue;
    }
    const auto done = guardedly([&] { return executor.apply(site, r); });
    if (done) continue;
    // What failed midway is taken back; if that fails too it may lie in the hold, and the journal says so.
    const bool settled = guardedly([&] { return executor.recover(site, r); }).has_value();
    r.state = settled ? ItemState::refused : ItemState::held;
    note(r, done.error());
  }
  executor.settleOnDevice(site, batch);
}

/// Looked at a second time after the taking: what was opened in between is seen now, and nobody can open it
/// by its path any more.
void Runner::verifyAll(const StepExecutor& executor, Batch& batch) {
  const bool any =
      std::any_of(batch.begin(), batch.end(), [](const auto& r) { return r.state == ItemState::intended; });
  if (!any) return;
  const Holders after = Holders::read(*drive_.openFiles);
  StepSite site{drive_, run_, after};
  for (auto& r : batch) {
    if (r.state != ItemState::intended) continue;
    if (const auto same = guardedly([&] { return executor.verify(site, r); }); !same) {
      note(r, same.error());
      takeBack(executor, r, after);
    } else {
      r.state = executor.finishes() ? ItemState::discarding : executor.settled();
    }
  }
}

void Runner::finishAll(const PlanLine& line, const StepExecutor& executor, Batch& batch,
                       LineOutcome& outcome) {
  const Holders nobody;
  StepSite site{drive_, run_, nobody};
  bool going = true;
  for (auto& r : batch) {
    if (r.state != ItemState::discarding) continue;
    going = going && mayGoOn();
    if (!going) {
      takeBack(executor, r, nobody);
      if (r.state == ItemState::returned) r.state = ItemState::untouched;
    } else if (const auto done = guardedly([&] { return executor.finish(site, r); }); !done) {
      r.state = ItemState::held;
      note(r, done.error());
    }
    tell(line, batch, outcome);
  }
}

Result<void> Runner::runBatch(const PlanLine& line, Batch& batch, LineOutcome& outcome) {
  if (line.step->executor == nullptr) return {};
  const StepExecutor& executor = *line.step->executor;
  const Holders nobody;
  StepSite site{drive_, run_, nobody};
  const auto tidy = [&] {
    const JournalRecord* last = nullptr;
    for (const auto& r : batch)
      if (last == nullptr || last->holdFolder != r.holdFolder) executor.tidy(site, *(last = &r));
  };
  chooseAll(executor, batch);
  // A journal that cannot be written stops here: nothing has been changed yet.
  if (auto noted = journal_.write(batch); !noted) {
    for (auto& r : batch)
      if (r.state == ItemState::intended) refuse(r, noted.error());
    tidy();
    return noted;
  }
  if (const auto announced = guardedly([&] { return executor.announce(site, batch); }); !announced) {
    for (auto& r : batch)
      if (r.state == ItemState::intended) refuse(r, announced.error());
  }
  applyAll(executor, batch);
  verifyAll(executor, batch);
  tell(line, batch, outcome);
  if (auto noted = journal_.write(batch); !noted) {
    for (auto& r : batch)
      if (r.state == ItemState::discarding || r.state == ItemState::held)
        note(r, noted.error()), takeBack(executor, r, nobody);
    tidy();
    return noted;
  }
  Result<void> noted;
  if (executor.finishes()) {
    finishAll(line, executor, batch, outcome);
    noted = journal_.write(batch);
  }
  tidy();
  return noted;
}

}  // namespace zt
