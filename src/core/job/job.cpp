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
      identity_(newJobIdentity()),
      surveys_(workshop_, *file_),
      plan_(workshop_, *file_, surveys_),
      runs_(workshop_, *file_) {}

Result<std::unique_ptr<Job>> Job::create(const Workshop& workshop, const PathBytes& path, bool standIn,
                                         const Options& options) {
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
  job->site_ = std::move(*site);
  if (workshop.visits) job->site_->overrule(workshop.visits->overrule(job->site_->drive().id));
  std::vector<Target> targets = job->site_->ownTargets();
  const auto rules = headroomRules(job->site_->drive());
  targets.insert(targets.end(), rules.begin(), rules.end());
  if (auto read = job->readUsage(); !read) return tl::unexpected(read.error());
  if (auto put = job->file_->put(job->siteDocument()); !put) return tl::unexpected(put.error());
  if (auto set = job->plan_.setTargets(std::move(targets)); !set) return tl::unexpected(set.error());
  return job;
}

Result<std::unique_ptr<Job>> Job::createImported(const Workshop& workshop, SurveyPtr survey,
                                                 const PathBytes& file) {
  auto store = JobFile::create(file);
  if (!store) return tl::unexpected(store.error());
  std::unique_ptr<Job> job(new Job(workshop, std::move(*store)));
  job->site_ = importedSite(workshop, *survey);
  if (auto set = job->plan_.setTargets(headroomRules(job->site_->drive())); !set)
    return tl::unexpected(set.error());
  if (auto kept = job->keepSurvey(std::move(survey), {}); !kept) return tl::unexpected(kept.error());
  return job;
}

Result<std::unique_ptr<Job>> Job::open(const Workshop& workshop, const PathBytes& file) {
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

JobFile::Documents Job::siteDocument() const {
  Json site{
      {"kind", site_->kind() == "away" ? (site_->drive().standIn ? "stand-in" : "mounted") : site_->kind()},
      {"drive", toJson(site_->drive())},
      {"stale", stale_}};
  putPath(site, "path", site_->opened());
  putPath(site, "root", site_->root());
  return {{"site", site.dump()}, {"identity", Json{{"job", identity_}}.dump()}};
}

Result<void> Job::load() {
  const auto text = file_->get("site");
  if (!text) return tl::unexpected(text.error());
  const auto identity = file_->get("identity");
  if (!identity) return tl::unexpected(identity.error());
  if (*identity) {
    const Json json = parseJson(**identity);
    JsonReader in(json);
    identity_ = in.text("job", 64);
    const bool plain =
        !identity_.empty() && identity_.find_first_not_of("0123456789abcdef") == std::string::npos;
    if (!in.ok() || !plain) return fail(Errc::corrupt, "job-file", {}, "identity");
  }
  const Json site = parseJson(text->value_or(""));
  if (!site.is_object()) return fail(Errc::corrupt, "job-file", {}, "site");
  if (auto opened = openSite(site); !opened) return opened;
  if (auto loaded = surveys_.load(*site_); !loaded) return loaded;
  if (site_->kind() == "imported" && (!surveys_.survey() || !surveys_.survey()->imported))
    return fail(Errc::corrupt, "job-file", {}, "site");
  if (auto loaded = plan_.load(); !loaded) return loaded;
  if (auto loaded = runs_.load(); !loaded) return loaded;
  if (!site_->closed()) {
    if (auto read = readUsage(); !read) return read;
  } else if (surveys_.survey()) {
    usage_ = surveys_.survey()->usage;
    usageAt_ = surveys_.survey()->finished;
  }
  recoverRuns();
  return {};
}

/// The place the job is about; where it is not here, or is another drive now, as the job remembers it.
Result<void> Job::openSite(const Json& site) {
  JsonReader in(site);
  const PathBytes path = in.path("path");
  const PathBytes root = in.pathOr("root", path);
  stale_ = in.flagOr("stale", false);
  // The first version kept two flags, and of the drive its id alone.
  std::string kind = in.textOr("kind");
  if (kind.empty())
    kind = in.flagOr("imported", false) ? "imported" : in.flagOr("stand_in", false) ? "stand-in" : "mounted";
  Drive known;
  if (site.contains("drive") && site["drive"].is_object()) {
    auto drive = driveFromJson(site["drive"]);
    if (!drive) return tl::unexpected(drive.error());
    known = std::move(*drive);
  } else {
    known.id = in.textOr("drive");
    known.target = root;
    known.standIn = kind == "stand-in";
  }
  if (!in.ok()) return fail(Errc::corrupt, "job-file", {}, "site." + in.fault());
  if (kind == "imported") {
    site_ = awaySite(workshop_, known, root, path, Errc::imported);
    if (auto pieces = surveys_.load(*site_); !pieces) return pieces;
    if (surveys_.survey()) site_ = importedSite(workshop_, *surveys_.survey());
    return {};
  }
  auto opened = kind == "stand-in" ? standInSite(workshop_, path) : mountedSite(workshop_, path);
  if (opened && (*opened)->drive().id == known.id) {
    site_ = std::move(*opened);
    site_->overrule({known.fsType.empty() ? std::nullopt : std::optional(known.kind),
                     known.fsType.empty() ? std::nullopt : std::optional(known.size)});
    return {};
  }
  site_ = awaySite(workshop_, std::move(known), root, path, opened ? Errc::changed : Errc::away);
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
  (void)afterwards();
}

Result<void> Job::measureWith(const MeasureOptions& options, std::stop_token stop,
                              const Measuring& measuring) {
  if (const auto why = site_->closed()) return fail(*why, "measure", site_->root());
  if (auto fresh = site_->refresh(); !fresh) return fresh;
  rightsProblem_.reset();
  FileSystemPtr files = site_->files();
  std::shared_ptr<PrivilegedAccess> access;
  if (options.everything && site_->takesRights()) {
    auto started = workshop_.privileged->start(site_->root());
    if (started) {
      access = std::move(*started);
      files = std::make_shared<FallbackFileSystem>(files, access);
    } else {
      rightsProblem_ = started.error();
    }
  }
  auto survey = measuring(site_->measurePorts(std::move(files), access));
  if (!survey) return tl::unexpected(survey.error());
  if (options.walked) options.walked(*survey);
  return keepSurvey(std::move(*survey), {std::move(stop), options.found});
}

Result<void> Job::measure(const MeasureOptions& options, std::stop_token stop, ProgressSink* progress) {
  return measureWith(options, stop, [&](const MeasurePorts& ports) {
    return zt::measure(ports, site_->drive(), site_->root(), options, stop, progress);
  });
}

Result<void> Job::measureAgain(const PathBytes& folder, const MeasureOptions& options, std::stop_token stop,
                               ProgressSink* progress) {
  const SurveyPtr before = surveys_.survey();
  if (!before) return fail(Errc::notThere, "survey");
  const auto node = before->tree.find(folder);
  if (!node) return fail(Errc::notThere, "survey", folder);
  if (!before->tree.isFolder(*node)) return fail(Errc::notAFolder, "survey", folder);
  if (*node == 0) return measure(options, stop, progress);
  return measureWith(options, stop, [&](const MeasurePorts& ports) {
    return zt::measureAgain(ports, site_->drive(), before, *node, options, stop, progress);
  });
}

/// Everything that can fail comes first; only then the new survey takes the old one's place.
Result<void> Job::keepSurvey(SurveyPtr survey, const SurveyStore::Watch& watch) {
  auto prepared = surveys_.prepare(*site_, survey, watch);
  if (!prepared) return tl::unexpected(prepared.error());
  auto rebound = plan_.rebind(prepared->content);
  const bool wasStale = std::exchange(stale_, false);
  JobFile::Documents documents = siteDocument();
  documents.merge(plan_.documents(rebound.plan));
  if (auto kept = surveys_.keep(std::move(*prepared), documents); !kept) return stale_ = wasStale, kept;
  plan_.adopt(std::move(rebound));
  usage_ = survey->usage;
  usageAt_ = survey->finished;
  noteVisit();
  return {};
}

void Job::noteVisit() {
  if (!workshop_.visits || site_->closed()) return;
  const Survey& s = *surveys_.survey();
  // Without the register everything else works.
  (void)workshop_.visits->noteVisit({site_->drive().id, identity_, file_->path(), site_->opened(), s.finished,
                                     s.usage.capacity, s.usage.available, s.tree.entries(), s.wholeDrive});
}

Result<void> Job::planPaths(const std::vector<PathBytes>& paths, std::string_view action) {
  if (const auto why = site_->closed()) return fail(*why, "plan", site_->root());
  const auto ids = surveys_.pick(paths);
  return ids ? plan_.add(*ids, action) : Result<void>(tl::unexpected(ids.error()));
}

Result<Proposal> Job::propose(ProposeOptions options) const {
  if (site_->closed() == Errc::imported) return fail(Errc::imported, "propose");
  return plan_.propose(std::move(options), usage_.available);
}

Result<void> Job::addTarget(const std::string& label, const std::string& text) {
  constexpr std::string_view whileItRuns = ",while-it-runs";
  const bool passing = text.ends_with(whileItRuns);
  const std::string amount = passing ? text.substr(0, text.size() - whileItRuns.size()) : text;
  const auto bytes = parseAmount(amount, usage_.capacity);
  if (!bytes) return tl::unexpected(bytes.error());
  if (*bytes > usage_.capacity) return fail(Errc::badInput, "amount", {}, amount);
  std::vector<Target> targets = plan_.targets();
  targets.insert(targets.begin(), Target{TargetOrigin::task, label, amount, *bytes, true, passing});
  return plan_.setTargets(std::move(targets));
}

Result<void> Job::readUsage() {
  const auto root = site_->files()->openRoot(site_->root());
  if (!root) return tl::unexpected(root.error());
  const auto usage = site_->files()->usage(**root);
  if (!usage) return tl::unexpected(usage.error());
  usage_ = *usage;
  usageAt_ = site_->clock().now();
  return {};
}

/// What follows on every change of the drive: its figures are read anew, and the survey is stale.
Result<void> Job::afterwards() {
  stale_ = true;
  auto read = readUsage();
  if (auto put = file_->put(siteDocument()); !put) return put;
  return read;
}

Result<GuardedDrive> Job::guarded() {
  if (const auto why = site_->closed()) return fail(*why, "reclaim", site_->root());
  const SurveyPtr survey = surveys_.survey();
  if (!survey) return fail(Errc::notThere, "survey");
  auto root = site_->files()->openRoot(site_->root());
  if (!root) return tl::unexpected(root.error());
  const auto stat = site_->files()->stat(**root, {});
  if (!stat || stat->inode != survey->tree.inode(0)) return fail(Errc::changed, "drive", site_->root());
  if (auto awake = checkAwake(*site_->files(), **root, surveys_.context()->places.systems()); !awake)
    return tl::unexpected(awake.error());
  return GuardedDrive{
      site_->files(), site_->openFiles(), surveys_.context(), plan_.marks(), std::move(*root), identity_, {}};
}

Result<std::vector<JournalRecord>> Job::rehearse() {
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  return Runner(std::move(*drive), *file_, 0).rehearse(plan_.plan());
}

namespace {
/// Where the measured place lies below the top of its drive.
PathBytes belowTop(const Site& site) {
  const PathBytes& top = site.drive().target;
  if (site.drive().standIn || site.root().size() <= top.size()) return {};
  if (top == "/") return site.root().substr(1);
  return site.root().starts_with(top + "/") ? site.root().substr(top.size() + 1) : PathBytes{};
}
}  // namespace

Result<RunReport> Job::reclaim(std::string_view token, const RunControl& control) {
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  auto report = runs_.carryOut(*drive, plan_.plan(), token, control);
  if (!report) return report;
  std::vector<std::string> done;
  for (const LineOutcome& o : report->lines)
    if (o.state == LineOutcome::State::done) done.push_back(o.line);
  plan_.takeOff(done);
  if (workshop_.visits)
    if (const auto held = runs_.held(report->run); held)
      for (const JournalRecord& r : *held)
        (void)workshop_.visits->noteHold(
            site_->drive().id,
            joinPath(belowTop(*site_), PathBytes(parentPath(parentPath(parentPath(r.holdFolder))))));
  auto saved = afterwards();
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
  (void)afterwards();
  return done;
}

Result<std::vector<JournalRecord>> Job::release(std::string_view token, std::stop_token stop) {
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  auto done = runs_.release(*drive, token, stop);
  (void)afterwards();
  return done;
}

Result<Proof> Job::prove() {
  auto drive = guarded();
  if (!drive) return tl::unexpected(drive.error());
  auto proof = runs_.prove(*drive, plan_.targets());
  if (!proof) return proof;
  (void)readUsage();
  return proof;
}

}  // namespace zt
