// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/job.h"
#include "core/job/shop.h"

#include <algorithm>
#include <set>

#include "core/job/other_drive.h"
#include "core/job/outcome_json.h"
#include "core/job/reminders.h"
#include "core/os/paths.h"
#include "core/os/rights/fallback_file_system.h"
#include "core/os/rights/file_rights.h"
#include "core/os/rights/live_rights.h"
#include "core/reclaim/claims.h"
#include "core/reclaim/held_things.h"

namespace zt {

Job::Job(const Workshop& workshop, std::unique_ptr<JobFile> file)
    : workshop_(workshop),
      file_(std::move(file)),
      place_(workshop_, *file_),
      surveys_(workshop_, *file_),
      plan_(workshop_, *file_, surveys_, place_),
      contents_(workshop_, *file_, surveys_, plan_, place_),
      runs_(workshop_, *file_),
      measurer_(workshop_, place_, surveys_, plan_) {}

Result<std::unique_ptr<Job>> Job::create(const Workshop& workshop, const PathBytes& path, bool standIn,
                                         const Options& options) {
  if (workshop.placesProblem) return tl::unexpected(*workshop.placesProblem);
  auto site = standIn ? standInSite(workshop, path) : mountedSite(workshop, path);
  if (!site) return tl::unexpected(site.error());
  PathBytes file;
  if (!options.file.empty()) {
    auto resolved = canonicalNewPath(options.file);
    if (!resolved) return tl::unexpected(resolved.error());
    file = std::move(*resolved);
    const PathBytes folder(parentPath(file));
    const auto onDrive = (*site)->holdsFolder(folder.empty() ? "/" : folder);
    if (!onDrive) return tl::unexpected(onDrive.error());
    if (*onDrive && !options.acceptOnDrive) return fail(Errc::onDrive, "job-file", file);
  }
  auto store = JobFile::create(file);
  if (!store) return tl::unexpected(store.error());
  std::unique_ptr<Job> job(new Job(workshop, std::move(*store)));
  if (auto taken = job->place_.take(std::move(*site)); !taken) return tl::unexpected(taken.error());
  std::vector<Target> targets = job->site().ownTargets();
  auto rules = headroomRules(job->site().drive());
  chooseRules(rules, followedRules(workshop));
  targets.insert(targets.end(), rules.begin(), rules.end());
  if (auto set = job->plan_.setTargets(std::move(targets)); !set) return tl::unexpected(set.error());
  return job;
}

Result<std::unique_ptr<Job>> Job::createImported(const Workshop& workshop, SurveyPtr survey,
                                                 const PathBytes& file) {
  auto store = JobFile::create(file);
  if (!store) return tl::unexpected(store.error());
  std::unique_ptr<Job> job(new Job(workshop, std::move(*store)));
  job->place_.takeImported(*survey);
  if (auto set = job->plan_.setTargets(headroomRules(job->site().drive())); !set)
    return tl::unexpected(set.error());
  if (auto kept = job->measurer_.keep(std::move(survey), {}); !kept) return tl::unexpected(kept.error());
  return job;
}

Result<std::unique_ptr<Job>> Job::open(const Workshop& workshop, const PathBytes& file) {
  if (workshop.placesProblem) return tl::unexpected(*workshop.placesProblem);
  auto resolved = canonicalPath(file);
  if (!resolved) return tl::unexpected(resolved.error());
  auto store = JobFile::open(*resolved);
  if (!store) return tl::unexpected(store.error());
  std::unique_ptr<Job> job(new Job(workshop, std::move(*store)));
  if (auto loaded = job->load(); !loaded) {
    loaded.error().path = loaded.error().path.empty() ? *resolved : loaded.error().path;
    return tl::unexpected(loaded.error());
  }
  return job;
}

Result<void> Job::load() {
  const auto kept = [this](const Site& site) -> Result<SurveyPtr> {
    if (auto loaded = surveys_.load(site); !loaded) return tl::unexpected(loaded.error());
    return surveys_.survey();
  };
  if (auto loaded = place_.load(kept); !loaded) return loaded;
  if (auto loaded = surveys_.load(site()); !loaded) return loaded;
  if (auto loaded = contents_.load(); !loaded) return loaded;
  if (site().closed() && surveys_.survey()) place_.remember(*surveys_.survey());
  if (auto loaded = plan_.load(); !loaded) return loaded;
  if (auto loaded = runs_.load(); !loaded) return loaded;
  auto open = runs_.cutShort();
  if (!open) return tl::unexpected(open.error());
  cutShort_ = std::move(*open);
  return {};
}

Consent Job::consent(bool told) const {
  Consent consent = told ? plan_.toldConsent() : plan_.consent();
  TokenText all;
  all.add(consent.token);
  for (const JournalRecord& r : cutShort_) {
    Subject item;
    item.path = r.path;
    item.identity = r.identity;
    all.add(item);
    if (r.state != ItemState::discarding) continue;
    const std::string id = "cut-short-" + std::to_string(r.run) + "-" + std::to_string(r.seq);
    consent.lines.push_back(
        {id, r.action, r.occupied, 1, r.path, Regret::personalGone, {}, nullptr, r.parameters});
  }
  if (!cutShort_.empty()) consent.token = all.token();
  return consent;
}

/// Settles what a run left that was cut short. Gives the records as they then stand.
Result<std::vector<JournalRecord>> Job::settle(const GuardedDrive& drive, bool finish) {
  if (cutShort_.empty()) return std::vector<JournalRecord>{};
  auto settled = runs_.recover(drive, finish);
  if (!settled) return settled;
  (void)place_.afterChange();
  auto open = runs_.cutShort();
  cutShort_ = open ? std::move(*open) : std::vector<JournalRecord>{};
  return settled;
}

Result<GuardedDrive> Job::guarded() {
  if (auto here = place_.checkHere("reclaim"); !here) return tl::unexpected(here.error());
  const SurveyPtr survey = surveys_.survey();
  if (!survey) return fail(Errc::notThere, "survey");
  auto root = site().files()->openRoot(site().root());
  if (!root) return tl::unexpected(root.error());
  const auto stat = site().files()->stat(**root, {});
  if (!stat || stat->inode != survey->tree.inode(0)) return fail(Errc::changed, "drive", site().root());
  if (auto may = site().mayChange(); !may) return tl::unexpected(may.error());
  GuardedDrive drive{site().files(),
                     site().openFiles(),
                     surveys_.context(),
                     plan_.marks(),
                     std::move(*root),
                     identity(),
                     {},
                     plan_.copies(plan_.plan()),
                     site().snapshots(),
                     site().drive().target};
  drive.keptNow = [this, survey] { return place_.marksOfEarlierVisits().on(survey->tree); };
  drive.marks.takeKept(drive.keptNow());
  if (!site().drive().standIn) {
    drive.live = workshop_.live;
    drive.liveRights = std::make_shared<LiveRights>(workshop_.privileged);
    drive.fileRights = std::make_shared<FileRights>(workshop_.privileged);
  }
  drive.openOther = [holds = site().holds(), system = System(workshop_),
                     files = workshop_.files](const PathBytes& path) -> Result<OtherDrive> {
    const auto here = holds(path);
    if (!here) return tl::unexpected(here.error());
    if (*here) return fail(Errc::onDrive, "other-drive", path, "other-drive");
    return openOtherDrive(system, files, path);
  };
  return drive;
}

Result<std::vector<JournalRecord>> Job::rehearse() {
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  return Runner(std::move(*drive), *file_, 0).rehearse(plan_.plan());
}

/// What somebody has still to see to after this. Without a register nobody is reminded.
void Job::remind() {
  const Drive& drive = site().drive();
  if (drive.standIn || !workshop_.visits) return;
  const Reminder blank{ReminderKind::hold,
                       drive.id,
                       drive.label.empty() ? drive.target : drive.label,
                       file_->path(),
                       site().root(),
                       0,
                       0,
                       {}};
  std::vector<Reminder> all;
  const auto add = [&](ReminderKind kind, const Result<std::vector<JournalRecord>>& records) {
    if (!records || records->empty()) return;
    Reminder one = blank;
    one.kind = kind;
    one.since = workshop_.clock->now();
    for (const JournalRecord& r : *records) one.bytes += r.occupied;
    all.push_back(std::move(one));
  };
  add(ReminderKind::hold, runs_.held());
  add(ReminderKind::loan, runs_.loans());
  auto single = runs_.elsewhere();
  if (single)
    std::erase_if(*single, [](const JournalRecord& r) { return !r.parameters.place("second").empty(); });
  add(ReminderKind::secondCopy, single);
  if (const auto waits = runs_.waitsForRestart(); waits && *waits) {
    all.push_back(blank);
    all.back().kind = ReminderKind::restart;
    std::tie(all.back().since, all.back().boot) = **waits;
  }
  (void)noteReminders(workshop_, identity(), std::move(all));
}

Result<RunReport> Job::reclaim(std::string_view token, const RunControl& control) {
  // What was set aside comes back without a register; what goes must be asked about.
  if (workshop_.visitsProblem) return tl::unexpected(*workshop_.visitsProblem);
  const auto mine = place_.lock();
  if (!mine) return tl::unexpected(mine.error());
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  if (consent().token != token) return fail(Errc::noConsent, "reclaim");
  if (auto settled = settle(*drive, true); !settled) return tl::unexpected(settled.error());
  tidyUnused(*drive);
  auto report = runs_.carryOut(*drive, plan_.plan(), plan_.consent().token, control);
  if (!report) return report;
  std::vector<std::string> done;
  for (const LineOutcome& o : report->lines)
    if (o.state == LineOutcome::State::done) done.push_back(o.line);
  plan_.takeOff(done);
  if (const auto held = runs_.held(report->run); held) place_.noteHolds(*held);
  if (const auto open = runs_.loans(); open && !open->empty()) place_.noteLoans(*open);
  remind();
  auto saved = place_.afterChange(!report->unanswered);
  Bytes promised = 0;
  SignedBytes rose = 0;
  for (const LineOutcome& o : report->lines) promised += o.promised.sure, rose += o.rose;
  if (!report->lines.empty()) place_.noteVisit(VisitKind::ran, promised, rose);
  if (auto plan = plan_.save(); !plan) saved = plan;
  // The run is over and known; what failed since must not hide it.
  if (!saved && !report->journalFailed) {
    report->journalFailed = true;
    report->journalFailure = saved.error();
  }
  return report;
}

/// Empty folders that an earlier run made for what it did not come to take.
void Job::tidyUnused(const GuardedDrive& drive) const {
  std::set<PathBytes> bases{PathBytes{}};
  for (const PlanLine& line : plan_.plan().lines)
    for (const Subject& item : line.items)
      for (std::string_view at = parentPath(item.path); !at.empty(); at = parentPath(at))
        if (!bases.emplace(at).second) break;
  for (const PathBytes& base : bases) tidyEmptyHold(drive, base);
}

Result<std::vector<JournalRecord>> Job::undo(std::int64_t run, std::stop_token stop) {
  auto held = runs_.held(run);
  if (!held) return held;
  auto away = runs_.elsewhere(run);
  if (!away) return away;
  if (held->empty() && away->empty() && cutShort_.empty()) return held;
  const auto mine = place_.lock();
  if (!mine) return tl::unexpected(mine.error());
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  auto settled = settle(*drive);
  if (!settled) return settled;
  tidyUnused(*drive);
  auto done = runs_.undo(*drive, run, stop);
  if (done) done->insert(done->begin(), settled->begin(), settled->end());
  remind();
  (void)place_.afterChange();
  return done;
}

Result<std::vector<JournalRecord>> Job::repay(std::stop_token stop) {
  auto open = runs_.loans();
  if (!open || (open->empty() && cutShort_.empty())) return open;
  const auto mine = place_.lock();
  if (!mine) return tl::unexpected(mine.error());
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  auto settled = settle(*drive);
  if (!settled) return settled;
  auto done = runs_.repay(*drive, stop);
  if (const auto left = runs_.loans()) place_.noteLoans(*left);
  remind();
  (void)place_.afterChange();
  return done;
}

Result<std::vector<JournalRecord>> Job::release(std::string_view token, std::stop_token stop) {
  if (workshop_.visitsProblem) return tl::unexpected(*workshop_.visitsProblem);
  const auto mine = place_.lock();
  if (!mine) return tl::unexpected(mine.error());
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  if (auto settled = settle(*drive); !settled) return settled;
  auto done = runs_.release(*drive, token, stop);
  remind();
  (void)place_.afterChange();
  return done;
}

Result<Proof> Job::prove() {
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  auto proof = runs_.prove(*drive, plan_.targets());
  if (!proof) return proof;
  (void)place_.readAgain();
  place_.noteVisit(VisitKind::proved, proof->promised, proof->actual);
  return proof;
}

}  // namespace zt
