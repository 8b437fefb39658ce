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

/// Where something lies that could not be let go or taken back.
ItemState whereItLies(const JournalRecord& record) {
  return record.payload == inPlace ? ItemState::returned : ItemState::held;
}

void refuse(JournalRecord& record, const Error& why) {
  record.state = ItemState::refused;
  note(record, why);
}

bool isDone(const PlanLine& line, const JournalRecord& r) {
  return r.state == ItemState::gone ||
         (r.state == ItemState::held && line.step->undo != UndoRule::none && !r.problem);
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

namespace {

/// Letting points go may need rights of its own, asked for once and for these alone. Without them each of
/// them fails by itself.
class DropsOfPlan {
public:
  DropsOfPlan(const GuardedDrive& drive, const Plan& plan, std::string_view token) : port_(drive.snapshots) {
    DropOrder order{std::string(token), {}};
    for (const PlanLine& line : plan.lines)
      for (const Subject& item : line.items)
        if (line.enabled && line.step->touches && item.kind == SubjectKind::point)
          order.points.emplace_back(item.identity.inode, item.identity.modified);
    if (order.points.empty()) port_ = nullptr;
    if (port_) (void)port_->begin(drive.mountTarget, order);
  }
  ~DropsOfPlan() {
    if (port_) port_->end();
  }
  DropsOfPlan(const DropsOfPlan&) = delete;
  DropsOfPlan& operator=(const DropsOfPlan&) = delete;

private:
  std::shared_ptr<Snapshots> port_;
};

}  // namespace

Runner::Runner(GuardedDrive drive, Journal& journal, std::int64_t run)
    : watch_(drive.answersWithin),
      drive_(std::make_shared<GuardedDrive>(std::move(drive))),
      journal_(journal),
      run_(run) {}

Result<RunReport> Runner::carryOut(const Plan& plan, std::string_view token, const RunControl& control) {
  if (consentFor(plan).token != token) return fail(Errc::noConsent, "reclaim");
  control_ = control;
  drive_->stop = control.stop;
  drive_->files = watch_.over(drive_->files);
  drive_->alive = watch_.alive();
  auto begun = watch_.answerOf([drive = drive_, apart = control.readingsApart] {
    return SpaceLedger::begin(*drive->files, drive->root, apart);
  });
  if (!begun) return tl::unexpected(begun.error());
  space_ = std::make_shared<SpaceLedger>(std::move(*begun));
  promises_.emplace(drive_->context->gain, pointsOf(plan, *drive_->context));
  going_.assign(drive_->context->points.size(), false);
  RunReport report;
  report.run = run_;
  divide(plan);
  const DropsOfPlan drops(*drive_, plan, token);
  runParts(report);
  if (!report.unanswered)
    report.unanswered = !watch_.call([space = space_, drive = drive_] { space->settle(); });
  if (!report.unanswered) shareTheRise();
  for (Part& part : parts_) report.lines.push_back(std::move(part.outcome));
  return report;
}

void Runner::shareTheRise() {
  const auto& shares = space_->shares();
  for (std::size_t i = 0; i < std::min(pieces_.size(), shares.size()); ++i)
    parts_[pieces_[i]].outcome.rose += shares[i];
}

/// Each thing belongs to the first line that names it or what it lies in.
void Runner::divide(const Plan& plan) {
  parts_.clear();
  pieces_.clear();
  const auto steps = stepGains(plan, *drive_->context);
  const std::vector<NodeId> outer = outermostItems(plan, drive_->context->gain);
  absl::flat_hash_set<std::pair<SubjectKind, PathBytes>> taken;
  for (std::size_t i = 0; i < plan.lines.size(); ++i) {
    const PlanLine& line = plan.lines[i];
    if (!line.enabled || !line.step->touches) continue;
    Part part{&line, {}, {}};
    part.outcome.line = line.id;
    part.outcome.action = line.step->id;
    part.outcome.promised = steps[i];
    for (const auto& item : line.items)
      if (item.node == noNode || std::binary_search(outer.begin(), outer.end(), item.node))
        // A snapshot is no entry of the survey, even where their paths are alike.
        if (taken.emplace(item.kind, item.path).second) part.items.push_back(item);
    part.outcome.items = part.items.size();
    parts_.push_back(std::move(part));
  }
}

void Runner::runParts(RunReport& report) {
  std::size_t ended = 0;
  for (Place at; at.part < parts_.size() && !report.journalFailed;) {
    report.stopped = report.stopped || control_.stop.stop_requested();
    if (report.stopped) break;
    Batch batch = nextBatch(at);
    // What was given up may wake up later: what it works with is its own.
    Result<void> done;
    if (!watch_.run([&, drive = drive_, step = batch.step] { done = runBatch(batch); })) {
      giveUp(batch);
      report.unanswered = true;
    }
    if (!done) {
      report.journalFailed = true;
      report.journalFailure = done.error();
    }
    report.unanswered = !book(batch);
    report.stopped =
        report.unanswered || std::any_of(batch.records.begin(), batch.records.end(),
                                         [](const auto& r) { return r.state == ItemState::untouched; });
    while (ended < at.part) end(parts_[ended++]);
  }
  while (ended < parts_.size()) end(parts_[ended++]);
}

/// Goes on over lines as long as they are of the same kind of step: many lines of one item each cost no more
/// than one line of many.
Runner::Batch Runner::nextBatch(Place& at) {
  Batch batch;
  batch.step = parts_[at.part].line->step;
  while (at.part < parts_.size() && parts_[at.part].line->step == batch.step) {
    const Part& part = parts_[at.part];
    for (; at.item < part.items.size() && batch.records.size() < batchSize; ++at.item) {
      batch.records.push_back(recordOf(*part.line, part.items[at.item]));
      batch.parts.push_back(at.part);
    }
    if (at.item < part.items.size()) break;
    at = {at.part + 1, 0};
  }
  return batch;
}

/// Takes what became of a batch into its lines. What each line freed in it is a piece of its own: the counter
/// is read between batches, when some lines are done and one may be half done.
bool Runner::book(const Batch& batch) {
  std::vector<GainBounds> freed;
  for (std::size_t i = 0; i < batch.records.size(); ++i) {
    const JournalRecord& r = batch.records[i];
    if (i == 0 || batch.parts[i] != batch.parts[i - 1])
      pieces_.push_back(batch.parts[i]), freed.emplace_back();
    freed.back() += r.shown();
    Part& part = parts_[batch.parts[i]];
    LineOutcome& outcome = part.outcome;
    outcome.freed += r.freed;
    outcome.linksRemain += r.linksRemain;
    if (r.state == ItemState::held) outcome.held += r.occupied;
    const bool done = isDone(*part.line, r);
    outcome.itemsDone += done;
    if (!done && r.state != ItemState::untouched) outcome.problems.push_back(r);
  }
  return watch_.call([space = space_, drive = drive_, freed = std::move(freed)] { space->ended(freed); });
}

/// What was in hand when something did not answer stays as the journal has it: open, to be put back or
/// finished when the drive answers again.
void Runner::giveUp(Batch& batch) {
  for (JournalRecord& r : batch.records)
    if (r.state == ItemState::intended || r.state == ItemState::discarding)
      note(r, Error{Errc::unanswered, "step", r.path, 0, {}});
}

void Runner::end(Part& part) {
  part.outcome.state = stateOf(part.outcome);
  if (control_.progress) control_.progress({part.outcome, false, space_->last()});
}

std::vector<JournalRecord> Runner::rehearse(const Plan& plan) {
  const Holders holders = Holders::read(*drive_->openFiles);
  StepSite site{*drive_, run_, holders};
  promises_.emplace(drive_->context->gain, pointsOf(plan, *drive_->context));
  going_.assign(drive_->context->points.size(), false);
  std::vector<JournalRecord> all;
  for (const PlanLine& line : plan.lines) {
    if (!line.enabled || !line.step->touches) continue;
    for (const Subject& item : line.items) {
      JournalRecord r = recordOf(line, item);
      if (r.state == ItemState::intended)
        if (const auto fits = guardedly([&] { return line.step->executor->check(site, r); }); !fits)
          refuse(r, fits.error());
      all.push_back(std::move(r));
    }
  }
  return all;
}

/// What is to happen to an item; refused where the guard says no on paper.
JournalRecord Runner::recordOf(const PlanLine& line, const Subject& item) {
  JournalRecord r;
  r.run = run_;
  r.seq = ++seq_;
  r.line = line.id;
  r.action = line.step->id;
  r.path = item.path;
  r.identity = item.identity;
  r.occupied = item.occupied;
  if (line.step->frees() && item.node != noNode) r.promised = promises_->add(item.node);
  if (const auto point = drive_->context->pointOf(item)) {
    const Bytes before = drive_->context->points.of(going_).frees;
    going_[*point] = true;
    const Bytes adds = drive_->context->points.of(going_).frees - before;
    r.promised = {adds, adds};
  }
  if (line.step->executor == nullptr)
    refuse(r, Error{Errc::unknownStep, "guard", item.path, 0, line.step->id});
  else if (const auto allowed = checkOnPaper(*drive_, item); !allowed)
    refuse(r, allowed.error());
  return r;
}

/// False once somebody asked to stop; waits while the run is paused.
bool Runner::mayGoOn() {
  if (control_.pause) control_.pause->pass(control_.stop);
  return !control_.stop.stop_requested();
}

/// Whether somebody has said keep of it by now, in this job or in another.
Result<void> Runner::stillAllowed(const JournalRecord& r) {
  constexpr std::chrono::milliseconds apart{200};
  const auto now = std::chrono::steady_clock::now();
  if (drive_->keptNow && now >= nextAsked_) {
    drive_->marks.takeKept(drive_->keptNow());
    nextAsked_ = now + apart;
  }
  return drive_->marks.locks(r.path) ? Result<void>(fail(Errc::kept, "guard", r.path)) : Result<void>{};
}

/// What the line of a record has come to in the middle of a batch, which is booked at its end only.
void Runner::tell(const Batch& batch, std::size_t at) {
  constexpr std::chrono::milliseconds apart{50};
  const auto now = std::chrono::steady_clock::now();
  if (!control_.progress || now < nextTold_) return;
  nextTold_ = now + apart;
  const Part& part = parts_[batch.parts[at]];
  LineOutcome outcome = part.outcome;
  for (std::size_t i = 0; i < batch.records.size(); ++i) {
    if (batch.parts[i] != batch.parts[at]) continue;
    outcome.freed += batch.records[i].freed;
    outcome.itemsDone += isDone(*part.line, batch.records[i]);
  }
  control_.progress({std::move(outcome), true, space_->last()});
}

/// Places are chosen before the journal is written, so that it says where an item will be.
void Runner::chooseAll(Batch& batch) {
  const StepExecutor& executor = *batch.step->executor;
  const Holders nobody;
  StepSite site{*drive_, run_, nobody};
  for (auto& r : batch.records)
    if (r.state == ItemState::intended)
      if (const auto chosen = watch_.ask(r, [&](auto& mine) { return executor.prepare(site, mine); });
          !chosen)
        refuse(r, chosen.error());
}

void Runner::takeBack(const StepExecutor& executor, JournalRecord& r, StepSite& site) {
  // What cannot go back stays where it is, and the journal says so.
  if (!watch_.ask(r, [&](auto& mine) { return executor.undo(site, mine); })) r.state = whereItLies(r);
}

void Runner::applyAll(Batch& batch) {
  const StepExecutor& executor = *batch.step->executor;
  const Holders before = Holders::read(*drive_->openFiles);
  StepSite site{*drive_, run_, before};
  bool going = true;
  for (auto& r : batch.records) {
    if (r.state != ItemState::intended) continue;
    going = going && mayGoOn();
    if (!going) {
      r.state = ItemState::untouched;
      continue;
    }
    if (const auto allowed = stillAllowed(r); !allowed) {
      refuse(r, allowed.error());
      continue;
    }
    const auto done = watch_.ask(r, [&](auto& mine) { return executor.apply(site, mine); });
    if (done) continue;
    // What failed midway is taken back; if that fails too it may lie in the hold, and the journal says so.
    const auto settled = watch_.ask(r, [&](auto& mine) { return executor.recover(site, mine); });
    r.state = settled ? ItemState::refused : whereItLies(r);
    note(r, done.error());
  }
  (void)watch_.ask(batch.records,
                   [&](auto& all) { return executor.settleOnDevice(site, all), Result<void>{}; });
}

/// Looked at a second time after the taking: what was opened in between is seen now, and nobody can open it
/// by its path any more.
void Runner::verifyAll(Batch& batch) {
  const StepExecutor& executor = *batch.step->executor;
  const bool any = std::any_of(batch.records.begin(), batch.records.end(),
                               [](const auto& r) { return r.state == ItemState::intended; });
  if (!any) return;
  const Holders after = Holders::read(*drive_->openFiles);
  StepSite site{*drive_, run_, after};
  for (auto& r : batch.records) {
    if (r.state != ItemState::intended) continue;
    if (const auto same = watch_.ask(r, [&](auto& mine) { return executor.verify(site, mine); }); !same) {
      const bool stopped = same.error().code == Errc::cancelled;
      if (!stopped) note(r, same.error());
      takeBack(executor, r, site);
      if (stopped && r.state == ItemState::returned) r.state = ItemState::untouched;
    } else {
      r.state = executor.finishes() ? ItemState::discarding : executor.settled();
    }
  }
}

void Runner::finishAll(Batch& batch) {
  const StepExecutor& executor = *batch.step->executor;
  const Holders nobody;
  StepSite site{*drive_, run_, nobody};
  bool going = true;
  for (std::size_t i = 0; i < batch.records.size(); ++i) {
    JournalRecord& r = batch.records[i];
    if (r.state != ItemState::discarding) continue;
    going = going && mayGoOn();
    if (!going) {
      takeBack(executor, r, site);
      if (r.state == ItemState::returned) r.state = ItemState::untouched;
    } else if (const auto done = watch_.ask(r, [&](auto& mine) { return executor.finish(site, mine); });
               !done) {
      r.state = whereItLies(r);
      note(r, done.error());
    }
    tell(batch, i);
  }
}

/// Once for every place that the batch used.
void Runner::tidyAll(Batch& batch) {
  const Holders nobody;
  StepSite site{*drive_, run_, nobody};
  const StepExecutor& executor = *batch.step->executor;
  const JournalRecord* last = nullptr;
  for (const auto& r : batch.records)
    if (last == nullptr || last->holdFolder != r.holdFolder) {
      JournalRecord mine = *(last = &r);
      (void)watch_.ask(mine, [&](auto& record) { return executor.tidy(site, record), Result<void>{}; });
    }
}

Result<void> Runner::runBatch(Batch& batch) {
  if (batch.records.empty() || batch.step->executor == nullptr) return {};
  const StepExecutor& executor = *batch.step->executor;
  const Holders nobody;
  StepSite site{*drive_, run_, nobody};
  const auto refuseAll = [&](const Error& why) {
    for (auto& r : batch.records)
      if (r.state == ItemState::intended) refuse(r, why);
  };
  chooseAll(batch);
  // A journal that cannot be written stops here: nothing has been changed yet.
  if (auto noted = journal_.write(batch.records); !noted) {
    refuseAll(noted.error());
    tidyAll(batch);
    return noted;
  }
  if (const auto announced =
          watch_.ask(batch.records, [&](auto& all) { return executor.announce(site, all); });
      !announced)
    refuseAll(announced.error());
  applyAll(batch);
  verifyAll(batch);
  tell(batch, batch.records.size() - 1);
  if (auto noted = journal_.write(batch.records); !noted) {
    for (auto& r : batch.records)
      if (r.state == ItemState::discarding || r.state == ItemState::held)
        note(r, noted.error()), takeBack(executor, r, site);
    tidyAll(batch);
    return noted;
  }
  Result<void> noted;
  if (executor.finishes()) {
    finishAll(batch);
    StepSite waiting{*drive_, run_, nobody, control_.stop};
    (void)watch_.ask(batch.records,
                     [&](auto& all) { return executor.awaitSpace(waiting, all), Result<void>{}; });
    noted = journal_.write(batch.records);
  }
  tidyAll(batch);
  return noted;
}

}  // namespace zt
