// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/run.h"

#include <absl/container/flat_hash_set.h>

#include <algorithm>

namespace zt {

namespace {

constexpr std::size_t batchSize = 32;  // items that share their journal writes

void refuse(JournalRecord& record, const Error& why) {
  record.state = ItemState::refused;
  record.problem = why.code;
  record.detail = why.detail.empty() && why.path != record.path ? escapePath(why.path) : why.detail;
}

/// Books a batch's records into the line.
void book(LineOutcome& outcome, const std::vector<JournalRecord>& batch) {
  for (const auto& r : batch) {
    outcome.freed += r.freed;
    outcome.linksRemain += r.linksRemain;
    if (r.state == ItemState::held) outcome.held += r.promised;
    const bool done =
        r.state == ItemState::gone || (r.state == ItemState::held && outcome.action == StepAction::hold);
    outcome.itemsDone += done;
    if (!done) outcome.problems.push_back(r);
  }
}

LineOutcome::State stateOf(const LineOutcome& o) {
  if (o.itemsDone == o.items) return LineOutcome::State::done;
  if (o.itemsDone == 0 && o.freed == 0)
    return o.problems.empty() ? LineOutcome::State::notReached : LineOutcome::State::refused;
  return LineOutcome::State::partly;
}

}  // namespace

std::string_view name(LineOutcome::State state) {
  static constexpr std::array<std::string_view, 4> names{"done", "partly", "refused", "not-reached"};
  return names[static_cast<std::size_t>(state)];
}

Result<RunReport> Runner::carryOut(const Plan& plan, std::string_view token, std::stop_token stop,
                                   const LineProgress& progress) {
  const Consent consent = consentFor(plan);
  if (consent.token != token) return fail(Errc::noConsent, "reclaim");
  RunReport report;
  report.run = run_;
  const SetGain gain(drive_.survey.tree);
  const auto steps = stepGains(plan, gain);
  const std::vector<NodeId> outer = outermostItems(plan, gain);
  absl::flat_hash_set<PathBytes> taken;
  for (std::size_t i = 0; i < plan.lines.size(); ++i) {
    const PlanLine& line = plan.lines[i];
    if (!line.enabled) continue;
    LineOutcome outcome;
    outcome.line = line.id;
    outcome.action = line.action;
    outcome.promised = steps[i];
    std::vector<PlanItem> items;
    for (const auto& item : line.items)
      if (item.node == noNode || std::binary_search(outer.begin(), outer.end(), item.node))
        if (taken.insert(item.path).second) items.push_back(item);
    outcome.items = items.size();
    for (std::size_t from = 0; from < items.size() && !report.journalFailed; from += batchSize) {
      report.stopped = report.stopped || stop.stop_requested();
      if (report.stopped) break;
      Batch batch = prepare(line, std::span(items).subspan(from, std::min(batchSize, items.size() - from)));
      if (auto done = runBatch(batch, line.action == StepAction::discard); !done) {
        report.journalFailed = true;
        report.journalFailure = done.error();
      }
      book(outcome, batch);
      outcome.state = stateOf(outcome);
      if (progress) progress(outcome);
    }
    outcome.state = stateOf(outcome);
    report.lines.push_back(std::move(outcome));
  }
  return report;
}

std::vector<JournalRecord> Runner::rehearse(const Plan& plan) {
  const Holders holders = Holders::read(drive_.openFiles);
  std::vector<JournalRecord> all;
  for (const PlanLine& line : plan.lines) {
    if (!line.enabled) continue;
    for (JournalRecord& r : prepare(line, line.items)) {
      if (r.state == ItemState::intended)
        if (const auto fits = hold_.stillMeasured(r, holders); !fits) refuse(r, fits.error());
      all.push_back(std::move(r));
    }
  }
  return all;
}

Runner::Batch Runner::prepare(const PlanLine& line, std::span<const PlanItem> items) {
  Batch batch;
  for (const PlanItem& item : items) {
    JournalRecord r;
    r.run = run_;
    r.seq = ++seq_;
    r.line = line.id;
    r.action = line.action;
    r.path = item.path;
    r.identity = item.identity;
    r.promised = item.occupied;
    if (const auto allowed = checkOnPaper(drive_, item); !allowed) refuse(r, allowed.error());
    batch.push_back(std::move(r));
  }
  return batch;
}

Result<void> Runner::record(const Batch& batch) {
  return journal_.write(batch);
}

/// Hold places are chosen before the journal is written, so that it says where an item will be.
void Runner::chooseHolds(Batch& batch) {
  for (auto& r : batch) {
    if (r.state != ItemState::intended) continue;
    const auto now = look(drive_, r.path);
    if (!now) {
      refuse(r, now.error());
      continue;
    }
    if (const auto chosen = hold_.choosePlace(r, now->stat.device); !chosen) refuse(r, chosen.error());
  }
}

void Runner::takeBack(JournalRecord& r, const Error& why) {
  r.problem = why.code;
  r.detail = why.detail.empty() && why.path != r.path ? escapePath(why.path) : why.detail;
  // What cannot go back stays in the hold, and the journal says so.
  r.state = hold_.putBack(r) ? ItemState::returned : ItemState::held;
}

void Runner::takeAll(Batch& batch) {
  const Holders before = Holders::read(drive_.openFiles);
  std::vector<JournalRecord*> taken;
  for (auto& r : batch) {
    if (r.state != ItemState::intended) continue;
    if (const auto done = hold_.take(r, before); !done)
      refuse(r, done.error());
    else
      taken.push_back(&r);
  }
  if (taken.empty()) return;
  // Looked at a second time after the taking: what was opened in between is seen now, and nobody can open it
  // by its path any more.
  const Holders after = Holders::read(drive_.openFiles);
  for (JournalRecord* r : taken) {
    if (const auto same = hold_.lookAt(*r, after); !same)
      takeBack(*r, same.error());
    else
      r->state = r->action == StepAction::discard ? ItemState::discarding : ItemState::held;
  }
}

void Runner::unlinkAll(Batch& batch) {
  for (auto& r : batch) {
    if (r.state != ItemState::discarding) continue;
    if (const auto done = hold_.unlinkHeld(r); done) {
      r.state = ItemState::gone;
    } else {
      r.state = ItemState::held;
      r.problem = done.error().code;
      r.detail = escapePath(done.error().path);
    }
  }
}

Result<void> Runner::runBatch(Batch& batch, bool discard) {
  chooseHolds(batch);
  // A journal that cannot be written stops here: nothing has been changed yet.
  if (auto noted = record(batch); !noted) {
    for (auto& r : batch)
      if (r.state == ItemState::intended) refuse(r, noted.error());
    if (!batch.empty()) hold_.tidy(batch.front());
    return noted;
  }
  takeAll(batch);
  if (auto noted = record(batch); !noted) {
    for (auto& r : batch)
      if (r.state == ItemState::discarding || r.state == ItemState::held) takeBack(r, noted.error());
    return noted;
  }
  Result<void> noted;
  if (discard) {
    unlinkAll(batch);
    noted = record(batch);
  }
  for (const auto& r : batch)
    if (!r.holdFolder.empty()) return hold_.tidy(r), noted;
  return noted;
}

}  // namespace zt
