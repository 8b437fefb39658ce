// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/run.h"

#include <absl/container/flat_hash_set.h>

#include <algorithm>
#include <map>

#include "core/os/rights/file_rights.h"
#include "core/reclaim/steps/with_file_rights.h"
#include "core/reclaim/steps/with_rights.h"
#include "core/reclaim/steps/with_step_rights.h"

namespace zt {

namespace {

void note(JournalRecord& record, const Error& why) {
  record.problem = why.code;
  record.detail = why.detail.empty() && why.path != record.path ? escapePath(why.path) : why.detail;
}

/// Where something lies that could not be let go or taken back.
ItemState whereItLies(const JournalRecord& record) {
  return record.staysInPlace() ? ItemState::returned : ItemState::held;
}

void refuse(JournalRecord& record, const Error& why) {
  record.state = ItemState::refused;
  note(record, why);
}

bool isDone(const PlanLine& line, const JournalRecord& r) {
  return r.state == ItemState::gone || r.state == ItemState::done ||
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

Runner::Runner(GuardedDrive drive, Journal& journal, std::int64_t run)
    : watch_(drive.answersWithin),
      drive_(std::make_shared<GuardedDrive>(std::move(drive))),
      journal_(journal),
      run_(run) {}

Result<RunReport> Runner::carryOut(const Plan& plan, std::string_view token, const RunControl& control) {
  if (consentFor(plan).token != token) return fail(Errc::noConsent, "reclaim");
  control_ = control;
  drive_->stop = control.stop;
  if (control_.enough > 0) control_.readingsApart = std::chrono::milliseconds(0);
  drive_->files = watch_.over(drive_->files);
  drive_->alive = watch_.alive();
  auto begun = watch_.answerOf([drive = drive_, apart = control_.readingsApart] {
    return SpaceLedger::begin(*drive->files, drive->root, apart);
  });
  if (!begun) return tl::unexpected(begun.error());
  space_ = std::make_shared<SpaceLedger>(std::move(*begun));
  promises_.emplace(drive_->context->gain, pointsOf(plan, *drive_->context));
  going_.assign(drive_->context->points.size(), false);
  RunReport report;
  report.run = run_;
  divide(plan);
  const auto rights = beginSteps(plan, token);
  runParts(report);
  if (!report.unanswered)
    report.unanswered = !watch_.call([space = space_, drive = drive_] { space->settle(); });
  if (!report.unanswered) shareTheRise();
  for (Part& part : parts_) report.lines.push_back(std::move(part.outcome));
  return report;
}

/// What of a plan can be done only with rights that are asked for.
RightsOrder Runner::othersThings(const Plan& plan, std::string_view token) {
  const auto made = std::make_shared<RightsOrderMaker>(*drive_);
  if (!made->asks()) return {};
  const bool answered = watch_.run([=, &plan, drive = drive_] {
    for (const PlanLine& line : plan.lines) {
      const RightsRule rights = line.step->rights;
      if (!line.enabled || (rights != RightsRule::files && rights != RightsRule::whole)) continue;
      for (const Subject& item : line.items) {
        if (item.kind != SubjectKind::entry) continue;
        if (rights == RightsRule::files && needsRights(*drive, item.path))
          made->take(mayTake, item.path, item.identity);
        if (rights == RightsRule::whole && needsStepRights(*drive, item.path))
          made->carryOut(*line.step, item.path, item.identity, line.parameters);
      }
    }
  });
  if (!answered) return {};
  made->order.consent = token;
  return made->order;
}

/// Rights and the like that are asked for once, with all that there is to do: by a kind of step for itself;
/// for the running system, and for what is others', by all of them together.
std::vector<std::shared_ptr<void>> Runner::beginSteps(const Plan& plan, std::string_view token) {
  std::map<StepPtr, std::vector<Subject>> all;
  RightsOrder live{std::string(token), {}};
  for (const PlanLine& line : plan.lines) {
    if (!line.enabled || !line.step->touches || line.step->executor == nullptr) continue;
    all[line.step].insert(all[line.step].end(), line.items.begin(), line.items.end());
    for (const Subject& item : line.items)
      if (line.step->rights == RightsRule::live)
        live.things.push_back(liveThing(line.step->id, item.path, line.parameters));
  }
  std::vector<std::shared_ptr<void>> kept;
  kept.reserve(all.size() + 2);
  for (const auto& [step, items] : all) kept.push_back(step->executor->begin(*drive_, token, items));
  kept.push_back(beginLive(*drive_, live));
  kept.push_back(beginFiles(*drive_, othersThings(plan, token)));
  return kept;
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
  // Sorted, so that a million items are found in it without a set of their own.
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
    report.enough = hasEnough();
    if (report.stopped || report.enough) break;
    Batch batch = nextBatch(at);
    // What was given up may wake up later: what it works with is its own. The batch is not: a step that was
    // given up ends before it looks at it again (`Watch::ask`).
    Result<void> done;
    if (!watch_.run([&, drive = drive_, step = batch.step] { done = runBatch(batch); })) {
      giveUp(batch);
      report.unanswered = true;
    }
    // Without a journal nobody could say after a crash what lies where: nothing more is begun.
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

/// Goes on over lines as long as they are of the same kind of step and say the same beside their things: many
/// lines of one item each cost no more than one line of many. The run stops between items all the same.
Runner::Batch Runner::nextBatch(Place& at) {
  Batch batch;
  const PlanLine& first = *parts_[at.part].line;
  batch.step = first.step;
  const auto alike = [&](const PlanLine& line) {
    return line.step == first.step && line.parameters == first.parameters;
  };
  Bytes bytes = 0, most = batch.step->mostTogether;
  // No more at once than is still missing, so that nothing goes for which there is no need any more.
  if (control_.enough > 0) most = std::min(most, control_.enough - std::min(space_->last(), control_.enough));
  const auto hasRoom = [&] {
    return batch.records.empty() || (batch.records.size() < batch.step->together && bytes < most);
  };
  while (at.part < parts_.size() && alike(*parts_[at.part].line)) {
    const Part& part = parts_[at.part];
    for (; at.item < part.items.size() && hasRoom(); ++at.item) {
      bytes += part.items[at.item].occupied;
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
    // A line that goes on in the next batch is two pieces: the counter may have been read in between.
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
  drive_->files = watch_.over(drive_->files);
  drive_->alive = watch_.alive();
  promises_.emplace(drive_->context->gain, pointsOf(plan, *drive_->context));
  going_.assign(drive_->context->points.size(), false);
  std::vector<JournalRecord> all;
  std::vector<StepPtr> steps;
  for (const PlanLine& line : plan.lines) {
    if (!line.enabled || !line.step->touches) continue;
    for (const Subject& item : line.items) all.push_back(recordOf(line, item)), steps.push_back(line.step);
  }
  std::size_t inHand = 0;
  const bool answered = watch_.run([&, drive = drive_] {
    const Holders holders = Holders::read(*drive->openFiles);
    for (; inHand < all.size(); ++inHand)
      if (all[inHand].state == ItemState::intended) checkOne(steps[inHand], holders, all[inHand]);
  });
  // What came after it was not looked at.
  for (; !answered && inHand < all.size(); ++inHand)
    refuse(all[inHand], Error{Errc::unanswered, "step", all[inHand].path, 0, {}});
  return all;
}

void Runner::checkOne(const StepPtr& kind, const Holders& holders, JournalRecord& record) {
  const StepPtr step = kind;  // what was given up keeps its own
  StepSite site{*drive_, run_, holders};
  auto others = openOthers(watch_, *drive_, *step, record);
  if (!others) return refuse(record, others.error());
  site.others = std::move(*others);
  if (const auto fits = watch_.ask(record, [&](auto& mine) { return step->executor->check(site, mine); });
      !fits)
    refuse(record, fits.error());
}

/// What is to happen to an item; refused where the guard says no on paper.
JournalRecord Runner::recordOf(const PlanLine& line, const Subject& item) {
  JournalRecord r;
  r.run = run_;
  r.seq = ++seq_;
  r.line = line.id;
  r.action = line.step->id;
  r.parameters = line.parameters;
  r.path = item.path;
  r.identity = item.identity;
  r.occupied = item.occupied;
  if (line.takesPart() && item.node != noNode) r.promised = promises_->add(item.node);
  if (line.givesSome() && line.items.size() == 1) r.promised = {line.gain.sure, line.gain.atMost};
  if (const auto point = drive_->context->pointOf(item)) {
    // Points hold things together: what one adds depends on those that were promised before it.
    const Bytes before = drive_->context->points.of(going_).frees;
    going_[*point] = true;
    const Bytes adds = drive_->context->points.of(going_).frees - before;
    r.promised = {adds, adds};
  }
  if (line.step->executor == nullptr)
    refuse(r, Error{Errc::unknownStep, "guard", item.path, 0, line.step->id});
  else if (const auto fit = line.parameters.fit(line.step->takes); !fit)
    refuse(r, fit.error());
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
  // Asked of the register, which another program may be writing: not for each of a million items.
  if (drive_->keptNow && now >= nextAsked_) {
    drive_->marks.takeKept(drive_->keptNow());
    nextAsked_ = now + apart;
  }
  return drive_->marks.locks(r.path) ? Result<void>(fail(Errc::kept, "guard", r.path)) : Result<void>{};
}

/// What the line of a record has come to in the middle of a batch, which is booked at its end only.
void Runner::tell(const Batch& batch, std::size_t at, Bytes went) {
  constexpr std::chrono::milliseconds apart{50};
  const auto now = std::chrono::steady_clock::now();
  if (!control_.progress || now < nextTold_ || at >= batch.records.size()) return;
  nextTold_ = now + apart;
  const Part& part = parts_[batch.parts[at]];
  LineOutcome outcome = part.outcome;
  for (std::size_t i = 0; i < batch.records.size(); ++i) {
    if (batch.parts[i] != batch.parts[at]) continue;
    outcome.freed += batch.records[i].freed;
    outcome.itemsDone += isDone(*part.line, batch.records[i]);
  }
  const Bytes whole = went > 0 ? batch.records[at].occupied : 0;
  control_.progress({std::move(outcome), true, space_->last(), whole, std::min(went, whole)});
}

/// What a step works with: it can tell how it gets on, and write a phase down, as long as it is not given up.
StepSite Runner::siteOf(const Batch& batch, const Holders& holders) {
  StepSite site{*drive_, run_, holders, control_.stop};
  site.others = batch.others;
  site.memory = batch.memory;
  site.went = watch_.whileAsked([this, &batch](Bytes went) { tell(batch, batch.inHand, went); });
  site.note = watch_.whileAsked([this](const JournalRecord& r) { return journal_.write(std::span(&r, 1)); });
  return site;
}

Result<OtherDrives> openOthers(Watch& watch, const GuardedDrive& drive, const StepKind& step,
                               JournalRecord& record) {
  OtherDrives all;
  for (const ParameterSpec* where : step.otherDrives()) {
    const PathBytes path = record.parameters.place(where->id);
    if (path.empty() && !where->needed) continue;
    if (!drive.openOther) return fail(Errc::unsupported, "other-drive", record.path);
    const auto other = std::make_shared<OtherDrive>();
    const auto call = [other, ask = drive.openOther, path](auto&) {
      auto opened = ask(path);
      if (opened) *other = std::move(*opened);
      return opened ? Result<void>{} : Result<void>(tl::unexpected(opened.error()));
    };
    if (auto opened = watch.ask(record, call); !opened) return tl::unexpected(opened.error());
    other->files = watch.over(other->files);
    all.push_back(other);
  }
  return all;
}

/// Places are chosen before the journal is written, so that it says where an item will be.
void Runner::chooseAll(Batch& batch) {
  const StepExecutor& executor = *batch.step->executor;
  const Holders nobody;
  StepSite site = siteOf(batch, nobody);
  for (batch.inHand = 0; batch.inHand < batch.records.size(); ++batch.inHand)
    if (JournalRecord& r = batch.records[batch.inHand]; r.state == ItemState::intended)
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
  StepSite site = siteOf(batch, before);
  bool going = true;
  for (batch.inHand = 0; batch.inHand < batch.records.size(); ++batch.inHand) {
    JournalRecord& r = batch.records[batch.inHand];
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
    const bool stopped = settled && done.error().code == Errc::cancelled;
    r.state = stopped ? ItemState::untouched : settled ? ItemState::refused : whereItLies(r);
    if (!stopped) note(r, done.error());
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
  StepSite site = siteOf(batch, after);
  for (batch.inHand = 0; batch.inHand < batch.records.size(); ++batch.inHand) {
    JournalRecord& r = batch.records[batch.inHand];
    if (r.state != ItemState::intended) continue;
    if (const auto same = watch_.ask(r, [&](auto& mine) { return executor.verify(site, mine); }); !same) {
      // A stop inside a long comparison says nothing against the item.
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
  StepSite site = siteOf(batch, nobody);
  bool going = true;
  for (batch.inHand = 0; batch.inHand < batch.records.size(); ++batch.inHand) {
    JournalRecord& r = batch.records[batch.inHand];
    if (r.state != ItemState::discarding) continue;
    going = going && mayGoOn();
    if (!going) {
      takeBack(executor, r, site);
      if (r.state == ItemState::returned) r.state = ItemState::untouched;
    } else if (const auto done = watch_.ask(r, [&](auto& mine) { return executor.finish(site, mine); });
               !done) {
      // A step that took the item back itself has said so.
      if (r.state == ItemState::discarding) r.state = whereItLies(r);
      note(r, done.error());
    }
    tell(batch, batch.inHand);
  }
}

/// Once for every place that the batch used.
void Runner::tidyAll(Batch& batch) {
  const Holders nobody;
  StepSite site = siteOf(batch, nobody);
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
  const auto refuseAll = [&](const Error& why) {
    for (auto& r : batch.records)
      if (r.state == ItemState::intended) refuse(r, why);
  };
  auto others = openOthers(watch_, *drive_, *batch.step, batch.records.front());
  if (others) batch.others = std::move(*others);
  if (!others) refuseAll(others.error());
  StepSite site = siteOf(batch, nobody);
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
  // From here on things go for good. If that cannot be written down first, all of it is taken back.
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
    (void)watch_.ask(batch.records,
                     [&](auto& all) { return executor.awaitSpace(site, all), Result<void>{}; });
    noted = journal_.write(batch.records);
  }
  tidyAll(batch);
  return noted;
}

}  // namespace zt
