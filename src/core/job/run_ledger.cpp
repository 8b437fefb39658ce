// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/run_ledger.h"

#include <absl/container/flat_hash_map.h>

#include <algorithm>
#include <array>

#include "core/job/outcome_json.h"
#include "core/plan/line_conditions.h"
#include "core/reclaim/watch.h"

namespace zt {

Result<void> RunLedger::load() {
  auto proof = file_.get("proof");
  if (!proof) return tl::unexpected(proof.error());
  if (*proof) {
    auto parsed = proofFromJson(parseJson(**proof));
    if (!parsed) return tl::unexpected(parsed.error());
    proof_ = std::move(*parsed);
  }
  const auto rows = file_.runs();
  if (!rows) return tl::unexpected(rows.error());
  if (rows->empty() || rows->back().outcome.empty()) return {};
  auto report = reportFromJson(parseJson(rows->back().outcome));
  if (!report) return tl::unexpected(report.error());
  report->run = rows->back().id;
  const auto records = file_.records(report->run, {});
  if (!records) return tl::unexpected(records.error());
  absl::flat_hash_map<std::string, LineOutcome*> lineOf;
  for (LineOutcome& o : report->lines) lineOf.emplace(o.line, &o);
  for (const JournalRecord& r : *records)
    if (const auto line = lineOf.find(r.line); r.problem && line != lineOf.end())
      line->second->problems.push_back(r);
  report_ = std::move(*report);
  return {};
}

std::string RunLedger::bootOfNow() const {
  return workshop_.machine ? workshop_.machine->facts().boot : std::string();
}

Result<RunReport> RunLedger::carryOut(const GuardedDrive& drive, const Plan& plan, std::string_view token,
                                      const RunControl& control) {
  if (consentFor(plan).token != token) return fail(Errc::noConsent, "reclaim");
  Watch watch(drive.answersWithin);
  const auto usage = watch.answerOf([files = watch.over(drive.files), root = drive.root] {
    const auto synced = files->syncAll(*root);
    return synced ? files->usage(*root) : Result<SpaceUsage>(tl::unexpected(synced.error()));
  });
  if (!usage) return tl::unexpected(usage.error());
  const auto run = file_.beginRun(workshop_.clock->now(), usage->available, toJson(plan).dump());
  if (!run) return tl::unexpected(run.error());
  auto report = Runner(drive, file_, *run).carryOut(plan, token, control);
  if (!report) return report;
  report->refill = usage->rise.refill.value_or(0);
  for (const PlanLine& line : plan.lines) {
    if (!line.enabled) continue;
    const auto conditions = conditionsOf(line, *drive.context, 0);
    if (std::find(conditions.begin(), conditions.end(), "restart") != conditions.end())
      report->restart.lines.push_back(line.id);
  }
  if (drive.context->options.live) report->restart.boot = bootOfNow();
  report_ = *report;
  // The items are safe in the journal; a full job disk now costs the summary only.
  std::vector<JobFile::Credit> credits;
  for (const LineOutcome& o : report->lines) credits.push_back({*run, o.line, o.rose});
  auto kept = file_.addCredits(credits);
  if (kept) kept = file_.endRun(*run, workshop_.clock->now(), toJson(*report).dump());
  if (!kept && !report->journalFailed) {
    report->journalFailed = true;
    report->journalFailure = kept.error();
  }
  return report;
}

Result<std::vector<JournalRecord>> RunLedger::held(std::int64_t run) {
  static constexpr std::array<ItemState, 1> states{ItemState::held};
  return file_.records(run, states);
}

Result<std::vector<JournalRecord>> RunLedger::endedWith(std::int64_t run, ItemState state, UndoRule undo) {
  auto records = file_.records(run, std::array{state});
  if (!records) return records;
  std::erase_if(*records, [&](const JournalRecord& r) {
    const StepPtr step = workshop_.craft->steps.find(r.action);
    return step == nullptr || step->undo != undo;
  });
  return records;
}

Result<std::vector<JournalRecord>> RunLedger::elsewhere(std::int64_t run) {
  return endedWith(run, ItemState::gone, UndoRule::bringBack);
}

Result<std::vector<JournalRecord>> RunLedger::loans() {
  return endedWith(0, ItemState::done, UndoRule::payBack);
}

Result<std::vector<JournalRecord>> RunLedger::repay(const GuardedDrive& drive, std::stop_token stop) {
  auto open = loans();
  if (!open || open->empty()) return open;
  return credited(drive,
                  [&] { return undoRun(drive, workshop_.craft->steps, file_, std::move(*open), stop); });
}

template <class Work>
Result<std::vector<JournalRecord>> RunLedger::credited(const GuardedDrive& drive, Work work) {
  Watch watch(drive.answersWithin);
  const FileSystemPtr files = watch.over(drive.files);
  auto begun = watch.answerOf([files, root = drive.root] { return SpaceLedger::begin(*files, root); });
  if (!begun) return tl::unexpected(begun.error());
  const auto space = std::make_shared<SpaceLedger>(std::move(*begun));
  Result<std::vector<JournalRecord>> records = work();
  if (!records) return records;
  // By line, in the order of the records.
  std::vector<JobFile::Credit> credits;
  std::vector<GainBounds> freed;
  absl::flat_hash_map<std::pair<std::int64_t, std::string>, std::size_t> lineAt;
  for (const JournalRecord& r : *records) {
    const auto [at, fresh] = lineAt.emplace(std::pair(r.run, r.line), credits.size());
    if (fresh) credits.push_back({r.run, r.line, 0}), freed.emplace_back();
    if (r.state == ItemState::gone || r.state == ItemState::done) freed[at->second] += r.freed;
  }
  // A counter that does not answer any more costs the credits alone.
  if (!watch.call([files, space] { space->settle(); })) return records;
  const auto rose = static_cast<SignedBytes>(space->last()) - static_cast<SignedBytes>(space->first());
  const auto shares = shareOut(rose, freed);
  for (std::size_t i = 0; i < credits.size(); ++i) credits[i].rose = shares[i];
  // What was done is in the journal already; without the credits the proof calls it a change by others.
  (void)file_.addCredits(credits);
  return records;
}

Result<std::vector<JournalRecord>> RunLedger::undo(const GuardedDrive& drive, std::int64_t run,
                                                   std::stop_token stop) {
  auto things = held(run);
  if (!things) return things;
  auto away = elsewhere(run);
  if (!away) return away;
  things->insert(things->end(), away->begin(), away->end());
  if (things->empty()) return things;
  return credited(drive,
                  [&] { return undoRun(drive, workshop_.craft->steps, file_, std::move(*things), stop); });
}

Consent consentToRelease(std::span<const JournalRecord> held) {
  Consent consent;
  TokenText all;
  for (const JournalRecord& r : held) {
    const std::string id = "held-" + std::to_string(r.run) + "-" + std::to_string(r.seq);
    Subject item;
    item.path = r.path;
    item.identity = r.identity;
    all.add(id);
    all.add(item);
    consent.lines.push_back({id, "release", r.occupied, 1, r.path, Regret::personalGone, {}});
  }
  if (!consent.lines.empty()) consent.token = all.token();
  return consent;
}

Result<Consent> RunLedger::releaseConsent() {
  const auto things = held();
  if (!things) return tl::unexpected(things.error());
  return consentToRelease(*things);
}

Result<std::vector<JournalRecord>> RunLedger::release(const GuardedDrive& drive, std::string_view token,
                                                      std::stop_token stop) {
  auto things = held();
  if (!things) return things;
  if (consentToRelease(*things).token != token) return fail(Errc::noConsent, "release");
  if (things->empty()) return things;
  return credited(drive,
                  [&] { return releaseRun(drive, workshop_.craft->steps, file_, std::move(*things), stop); });
}

namespace {
constexpr std::array<ItemState, 3> openStates{ItemState::intended, ItemState::discarding,
                                              ItemState::returning};
}

Result<std::vector<JournalRecord>> RunLedger::cutShort() {
  return file_.records(0, openStates);
}

Result<std::vector<JournalRecord>> RunLedger::recover(const GuardedDrive& drive, bool finish) {
  auto open = cutShort();
  if (!open || open->empty()) return open;
  return credited(
      drive, [&] { return zt::recover(drive, workshop_.craft->steps, file_, std::move(*open), finish); });
}

/// Runs as the proof needs them. A plan that this version cannot read any more costs the titles of its lines
/// alone.
Result<std::vector<ProvedRun>> RunLedger::provedRuns() {
  const auto rows = file_.runs();
  if (!rows) return tl::unexpected(rows.error());
  const auto credits = file_.credits();
  if (!credits) return tl::unexpected(credits.error());
  absl::flat_hash_map<std::pair<std::int64_t, std::string>, SignedBytes> rose;
  for (const auto& c : *credits) rose[{c.run, c.line}] += c.rose;
  std::vector<ProvedRun> runs;
  for (const auto& row : *rows) {
    ProvedRun run;
    run.freeBefore = row.freeBefore;
    if (const auto plan = planFromJson(parseJson(row.plan), knownKinds(*workshop_.craft)))
      for (const PlanLine& line : plan->lines)
        run.planned.push_back(
            {line.id, line.kind, line.items.empty() ? line.place : line.items.front().path});
    auto records = file_.records(row.id, {});
    if (!records) return tl::unexpected(records.error());
    run.records = std::move(*records);
    if (row.outcome.empty()) {
      run.lines = outcomesOfRecords(run.records);
    } else {
      auto report = reportFromJson(parseJson(row.outcome));
      if (!report) return tl::unexpected(report.error());
      run.lines = std::move(report->lines);
      run.refill = report->refill;
      run.restart = report->restart;
    }
    for (LineOutcome& o : run.lines) {
      const auto credit = rose.find({row.id, o.line});
      o.rose = credit == rose.end() ? 0 : credit->second;
    }
    runs.push_back(std::move(run));
  }
  return runs;
}

Result<Proof> RunLedger::prove(const GuardedDrive& drive, const std::vector<Target>& targets) {
  const auto runs = provedRuns();
  if (!runs) return tl::unexpected(runs.error());
  auto proof = zt::prove(drive, *runs, targets, workshop_.clock->now());
  if (!proof) return proof;
  for (const ProvedRun& run : *runs) {
    if (run.restart.lines.empty()) continue;
    const Restart now = run.restart.boot.empty()          ? Restart::unseen
                        : run.restart.boot == bootOfNow() ? Restart::waiting
                                                          : Restart::happened;
    proof->restart = std::max(proof->restart, now);
  }
  if (const auto open = loans())
    for (const JournalRecord& r : *open) proof->loans.push_back({r.action, r.path, r.freed.atMost});
  proof_ = *proof;
  if (auto put = file_.put({{"proof", toJson(*proof).dump()}}); !put) return tl::unexpected(put.error());
  return proof;
}

Result<std::size_t> RunLedger::unproved() {
  const auto runs = provedRuns();
  if (!runs) return tl::unexpected(runs.error());
  std::size_t lines = 0;
  for (const ProvedRun& run : *runs) lines += run.lines.size();
  return lines - std::min(lines, proof_ ? proof_->lines.size() : 0);
}

Result<std::optional<std::pair<TimeNs, std::string>>> RunLedger::waitsForRestart() {
  const auto rows = file_.runs();
  if (!rows) return tl::unexpected(rows.error());
  for (const auto& row : *rows) {
    if (row.outcome.empty()) continue;
    const auto report = reportFromJson(parseJson(row.outcome));
    if (report && !report->restart.boot.empty() && report->restart.boot == bootOfNow())
      return std::optional(std::pair(row.started, report->restart.boot));
  }
  return std::nullopt;
}

Result<std::vector<std::pair<PathBytes, Bytes>>> RunLedger::freedSince(TimeNs time) {
  const auto rows = file_.runs();
  if (!rows) return tl::unexpected(rows.error());
  std::vector<std::pair<PathBytes, Bytes>> freed;
  for (const auto& row : *rows) {
    if (row.started < time) continue;
    const auto records = file_.records(row.id, {});
    if (!records) return tl::unexpected(records.error());
    for (const auto& r : *records)
      if (r.freed.atMost > 0) freed.emplace_back(r.path, r.freed.atMost);
  }
  return freed;
}

}  // namespace zt
