// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/job.h"

#include <algorithm>

#include "core/job/outcome_json.h"
#include "core/os/paths.h"
#include "core/os/rights/fallback_file_system.h"
#include "core/reclaim/held_things.h"

namespace zt {

Job::Job(const Workshop& workshop, std::unique_ptr<JobFile> file)
    : workshop_(workshop),
      file_(std::move(file)),
      place_(workshop_, *file_),
      surveys_(workshop_, *file_),
      plan_(workshop_, *file_, surveys_, place_),
      contents_(*file_, surveys_, plan_, place_),
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
  const auto rules = headroomRules(job->site().drive());
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
  recoverRuns();
  return {};
}

void Job::recoverRuns() {
  const auto needed = runs_.needsRecovery();
  if (!needed || !*needed) return;
  auto drive = guarded();
  if (!drive) {
    recovery_.waits = drive.error();
    return;
  }
  auto settled = runs_.recover(*drive);
  if (!settled) {
    recovery_.waits = settled.error();
    return;
  }
  recovery_.records = std::move(*settled);
  (void)place_.afterChange();
}

Result<GuardedDrive> Job::guarded() {
  if (auto here = place_.checkHere("reclaim"); !here) return tl::unexpected(here.error());
  const SurveyPtr survey = surveys_.survey();
  if (!survey) return fail(Errc::notThere, "survey");
  auto root = site().files()->openRoot(site().root());
  if (!root) return tl::unexpected(root.error());
  const auto stat = site().files()->stat(**root, {});
  if (!stat || stat->inode != survey->tree.inode(0)) return fail(Errc::changed, "drive", site().root());
  if (auto awake = checkAwake(*site().files(), **root, surveys_.context()->places.systems()); !awake)
    return tl::unexpected(awake.error());
  return GuardedDrive{site().files(),
                      site().openFiles(),
                      surveys_.context(),
                      plan_.marks(),
                      std::move(*root),
                      identity(),
                      {},
                      plan_.copies(plan_.plan()),
                      site().snapshots(),
                      site().drive().target};
}

Result<std::vector<JournalRecord>> Job::rehearse() {
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  return Runner(std::move(*drive), *file_, 0).rehearse(plan_.plan());
}

Result<RunReport> Job::reclaim(std::string_view token, const RunControl& control) {
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  auto report = runs_.carryOut(*drive, plan_.plan(), token, control);
  if (!report) return report;
  std::vector<std::string> done;
  for (const LineOutcome& o : report->lines)
    if (o.state == LineOutcome::State::done) done.push_back(o.line);
  plan_.takeOff(done);
  if (const auto held = runs_.held(report->run); held) place_.noteHolds(*held);
  auto saved = place_.afterChange();
  if (auto plan = plan_.save(); !plan) saved = plan;
  // The run is over and known; what failed since must not hide it.
  if (!saved && !report->journalFailed) {
    report->journalFailed = true;
    report->journalFailure = saved.error();
  }
  return report;
}

Result<std::vector<JournalRecord>> Job::undo(std::int64_t run, std::stop_token stop) {
  if (auto held = runs_.held(run); !held || held->empty()) return held;
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  auto done = runs_.undo(*drive, run, stop);
  (void)place_.afterChange();
  return done;
}

Result<std::vector<JournalRecord>> Job::release(std::string_view token, std::stop_token stop) {
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  auto done = runs_.release(*drive, token, stop);
  (void)place_.afterChange();
  return done;
}

Result<Proof> Job::prove() {
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  auto proof = runs_.prove(*drive, plan_.targets());
  if (!proof) return proof;
  (void)place_.readAgain();
  return proof;
}

}  // namespace zt
