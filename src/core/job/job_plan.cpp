// SPDX-License-Identifier: GPL-3.0-or-later
// The later half of Job: plan, runs, proof.
#include <algorithm>

#include "core/job/job.h"
#include "core/job/outcome_json.h"
#include "core/plan/plan_json.h"

namespace zt {

using Json = nlohmann::json;

Result<void> Job::readUsage() {
  const auto root = site_->files().openRoot(site_->root());
  if (!root) return tl::unexpected(root.error());
  const auto usage = site_->files().usage(**root);
  if (!usage) return tl::unexpected(usage.error());
  usage_ = *usage;
  usageAt_ = site_->clock().now();
  return {};
}

Bytes Job::freeNow() const {
  return usage_ ? usage_->available : 0;
}
TimeNs Job::freeReadAt() const {
  return usageAt_;
}

Result<void> Job::addToPlan(const Find& find, StepAction action) {
  if (auto allowed = refuseImported("plan"); !allowed) return allowed;
  auto line = lineFor(find, action);
  if (!line) return tl::unexpected(line.error());
  Plan changed = plan_;
  if (PlanLine* there = changed.find(find.id))
    *there = std::move(*line);
  else
    changed.lines.push_back(std::move(*line));
  if (auto clear = checkConflicts(changed, survey_->tree); !clear) return clear;
  plan_ = std::move(changed);
  return saveState();
}

Result<void> Job::dropFromPlan(std::string_view id) {
  if (plan_.find(id) == nullptr) return fail(Errc::notThere, "plan", {}, std::string(id));
  std::erase_if(plan_.lines, [&](const PlanLine& l) { return l.id == id; });
  return saveState();
}

/// A plan from outside is not believed: standing, regret and gain are worked out anew from the survey.
Result<void> Job::setPlan(Plan plan) {
  if (auto allowed = refuseImported("plan"); !allowed) return allowed;
  if (!survey_) return fail(Errc::notThere, "survey");
  if (auto bound = bind(plan, survey_->tree); !bound) return bound;
  if (auto clear = checkConflicts(plan, survey_->tree); !clear) return clear;
  for (PlanLine& line : plan.lines) {
    std::vector<NodeId> nodes;
    Regret regret = Regret::none;
    line.standing = Standing::spent;
    for (auto& item : line.items) {
      if (context_->catalogue.touchesBedrock(context_->anchor, item.path))
        return fail(Errc::bedrock, "plan", item.path);
      nodes.push_back(item.node);
      item.occupied = survey_->tree.weight(item.node);
      line.standing = std::min(line.standing, context_->standing[item.node]);
      regret = std::max(regret, context_->regretOf(item.node));
    }
    line.gain.atMost = context_->setGain.of(nodes);
    setAction(line, line.action, regret);
  }
  plan_ = std::move(plan);
  return saveState();
}

PlannedGain Job::planned() const {
  return context_ ? plannedGain(plan_, context_->setGain) : PlannedGain{};
}

Result<Proposal> Job::propose(ProposeOptions options) const {
  if (imported()) return fail(Errc::imported, "propose");
  if (!survey_) return fail(Errc::notThere, "survey");
  const Target* most = hardest(targets_);
  Bytes need = most != nullptr && most->bytes > freeNow() ? most->bytes - freeNow() : 0;
  // A little more than the shortfall: the machine goes on writing, and folders for the hold take a block.
  if (need > 0) need += need / 2000 + 65536;
  for (const auto& [path, mark] : marks_) options.keep.push_back(path);
  return zt::propose(*finds_, need, survey_->tree, context_->setGain, options);
}

Result<GuardedDrive> Job::guarded() {
  if (imported()) return fail(Errc::imported, "reclaim");
  if (!survey_) return fail(Errc::notThere, "survey");
  auto root = site_->files().openRoot(survey_->root);
  if (!root) return tl::unexpected(root.error());
  const auto stat = site_->files().stat(**root, {});
  if (!stat || stat->inode != survey_->tree.inode(0)) return fail(Errc::changed, "drive", survey_->root);
  return GuardedDrive{site_->files(),       site_->openFiles(), *survey_,
                      Catalogue::builtIn(), site_->anchor(),    std::move(*root)};
}

Result<std::vector<JournalRecord>> Job::rehearse() {
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  return Runner(std::move(*drive), *file_, 0).rehearse(plan_);
}

Result<RunReport> Job::reclaim(std::string_view token, std::stop_token stop, const LineProgress& progress) {
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  const Consent needed = consent();
  if (needed.token != token) return fail(Errc::noConsent, "reclaim");
  if (auto synced = drive->files.syncAll(*drive->root); !synced) return tl::unexpected(synced.error());
  if (auto read = readUsage(); !read) return tl::unexpected(read.error());
  const auto run = file_->beginRun(site_->clock().now(), freeNow(), toJson(plan_).dump());
  if (!run) return tl::unexpected(run.error());
  Runner runner(*drive, *file_, *run);
  stale_ = true;
  auto report = runner.carryOut(plan_, token, stop, progress);
  if (!report) return report;
  (void)drive->files.syncAll(*drive->root);
  if (auto read = readUsage(); !read) return tl::unexpected(read.error());
  // The run itself is safe in the journal; a full job disk now costs the summary only.
  if (auto ended = file_->endRun(*run, site_->clock().now(), toJson(*report).dump());
      !ended && !report->journalFailed) {
    report->journalFailed = true;
    report->journalFailure = ended.error();
  }
  for (const LineOutcome& o : report->lines)
    if (o.state == LineOutcome::State::done)
      std::erase_if(plan_.lines, [&](const PlanLine& l) { return l.id == o.line; });
  if (auto saved = saveState(); !saved && !report->journalFailed) {
    report->journalFailed = true;
    report->journalFailure = saved.error();
  }
  return report;
}

Result<std::vector<JournalRecord>> Job::heldItems(std::int64_t run) {
  static constexpr std::array<ItemState, 1> held{ItemState::held};
  return file_->records(run, held);
}

Result<std::vector<JournalRecord>> Job::undo(std::int64_t run, std::stop_token stop) {
  auto held = heldItems(run);
  if (!held || held->empty()) return held;
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  auto done = undoRun(std::move(*drive), *file_, std::move(*held), stop);
  stale_ = true;
  if (auto read = readUsage(); !read) return tl::unexpected(read.error());
  if (auto saved = saveState(); !saved) return tl::unexpected(saved.error());
  return done;
}

Result<Consent> Job::releaseConsent() {
  const auto held = heldItems();
  if (!held) return tl::unexpected(held.error());
  Plan plan;
  for (const JournalRecord& r : *held) {
    PlanLine line;
    line.id = "held-" + std::to_string(r.run) + "-" + std::to_string(r.seq);
    line.regret = Regret::personalGone;
    line.gain = {r.promised, r.promised, GainTime::now};
    line.items.push_back({r.path, r.identity, r.promised, noNode});
    plan.lines.push_back(std::move(line));
  }
  return consentFor(plan);
}

Result<std::vector<JournalRecord>> Job::release(std::string_view token, std::stop_token stop) {
  const auto needed = releaseConsent();
  if (!needed) return tl::unexpected(needed.error());
  if (needed->token != token) return fail(Errc::noConsent, "release");
  auto held = heldItems();
  if (!held || held->empty()) return held;
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  auto done = releaseRun(std::move(*drive), *file_, std::move(*held), stop);
  stale_ = true;
  if (auto read = readUsage(); !read) return tl::unexpected(read.error());
  if (auto saved = saveState(); !saved) return tl::unexpected(saved.error());
  return done;
}

Result<Proof> Job::prove() {
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  const auto rows = file_->runs(false);
  if (!rows) return tl::unexpected(rows.error());
  std::vector<ProvedRun> runs;
  for (const auto& row : *rows) {
    ProvedRun run;
    run.freeBefore = row.freeBefore;
    auto plan = planFromJson(Json::parse(row.plan, nullptr, false));
    if (!plan) return fail(Errc::corrupt, "run", file_->path());
    run.plan = std::move(*plan);
    auto records = file_->records(row.id, {});
    if (!records) return tl::unexpected(records.error());
    run.records = std::move(*records);
    auto lines = row.outcome.empty()
                     ? Result<std::vector<LineOutcome>>(outcomesOfRecords(run.plan, run.records))
                     : outcomesFromJson(Json::parse(row.outcome, nullptr, false));
    if (!lines) return tl::unexpected(lines.error());
    run.lines = std::move(*lines);
    runs.push_back(std::move(run));
  }
  auto proof = zt::prove(*drive, runs, targets_, site_->clock().now());
  if (!proof) return proof;
  if (auto read = readUsage(); !read) return tl::unexpected(read.error());
  proof_ = *proof;
  if (auto put = file_->put("proof", toJson(*proof).dump()); !put) return tl::unexpected(put.error());
  return proof;
}

}  // namespace zt
