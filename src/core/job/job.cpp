// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/job.h"

#include <algorithm>

#include "core/job/outcome_json.h"
#include "core/os/fallback_file_system.h"
#include "core/os/paths.h"
#include "core/plan/plan_json.h"
#include "core/survey/survey_codec.h"

namespace zt {

using Json = nlohmann::json;

Result<std::unique_ptr<Job>> Job::create(System& system, const PathBytes& path, bool standIn,
                                         const Options& options) {
  auto site = Site::open(system, path, standIn);
  if (!site) return tl::unexpected(site.error());
  PathBytes file;
  if (!options.file.empty()) {
    auto resolved = canonicalNewPath(options.file);
    if (!resolved) return tl::unexpected(resolved.error());
    file = std::move(*resolved);
    const auto onDrive =
        (*site)->holdsFolder(PathBytes(parentPath(file)).empty() ? "/" : PathBytes(parentPath(file)));
    if (!onDrive) return tl::unexpected(onDrive.error());
    if (*onDrive && !options.acceptOnDrive) return fail(Errc::onDrive, "job-file", file);
  }
  auto store = JobFile::create(file);
  if (!store) return tl::unexpected(store.error());
  std::unique_ptr<Job> job(new Job(system, std::move(*store)));
  job->site_ = std::move(*site);
  job->targets_ = headroomRules(job->site_->drive());
  if (const auto* standInDrive = job->site_->standIn())
    job->targets_.insert(job->targets_.begin(), standInDrive->manifest().targets.begin(),
                         standInDrive->manifest().targets.end());
  if (auto read = job->readUsage(); !read) return tl::unexpected(read.error());
  if (auto saved = job->saveState(); !saved) return tl::unexpected(saved.error());
  return job;
}

namespace {
Drive importedDrive(const Survey& survey) {
  Drive d;
  d.id = survey.driveId;
  d.target = survey.root;
  d.fsType = survey.fsType;
  d.usage = survey.usage;
  d.readOnly = true;
  return d;
}
}  // namespace

Result<std::unique_ptr<Job>> Job::createImported(System& system, SurveyPtr survey, const PathBytes& file) {
  auto store = JobFile::create(file);
  if (!store) return tl::unexpected(store.error());
  std::unique_ptr<Job> job(new Job(system, std::move(*store)));
  job->site_ = Site::imported(system, importedDrive(*survey), survey->root);
  job->targets_ = headroomRules(job->site_->drive());
  if (auto kept = job->keepSurvey(std::move(survey)); !kept) return tl::unexpected(kept.error());
  return job;
}

Result<void> Job::refuseImported(std::string_view operation) const {
  return imported() ? Result<void>(fail(Errc::imported, operation, survey_ ? survey_->root : PathBytes{}))
                    : Result<void>{};
}

Result<std::unique_ptr<Job>> Job::open(System& system, const PathBytes& file) {
  auto resolved = canonicalPath(file);
  if (!resolved) return tl::unexpected(resolved.error());
  auto store = JobFile::open(*resolved);
  if (!store) return tl::unexpected(store.error());
  std::unique_ptr<Job> job(new Job(system, std::move(*store)));
  if (auto loaded = job->load(); !loaded) {
    loaded.error().path = loaded.error().path.empty() ? *resolved : loaded.error().path;
    return tl::unexpected(loaded.error());
  }
  return job;
}

namespace {

Result<Json> document(JobFile& file, const char* key) {
  auto text = file.get(key);
  if (!text) return tl::unexpected(text.error());
  if (!*text) return Json();
  Json json = Json::parse(**text, nullptr, false);
  if (json.is_discarded()) return fail(Errc::corrupt, "job-file", file.path(), key);
  return json;
}

}  // namespace

Result<void> Job::saveState() {
  Json site{{"stand_in", site_->standIn() != nullptr},
            {"imported", imported()},
            {"drive", site_->drive().id},
            {"stale", stale_}};
  putPath(site, "path", site_->opened());
  Json targets = Json::array();
  for (const Target& t : targets_) targets.push_back(toJson(t));
  Json marks = Json::array();
  for (const auto& [path, mark] : marks_) {
    Json j{{"kept", mark == Mark::kept}};
    putPath(j, "path", path);
    marks.push_back(std::move(j));
  }
  for (const auto& [key, value] : {std::pair{"site", site}, {"targets", targets}, {"marks", marks}})
    if (auto put = file_->put(key, value.dump()); !put) return put;
  return file_->put("plan", toJson(plan_).dump());
}

Result<void> Job::load() {
  const auto site = document(*file_, "site");
  if (!site) return tl::unexpected(site.error());
  if (!site->is_object()) return fail(Errc::corrupt, "job-file", {}, "site");
  const auto path = getPath(*site, "path");
  if (!path) return fail(Errc::corrupt, "job-file", {}, "site");
  if (site->value("imported", Json()) == true) {
    site_ = Site::imported(system_, {}, *path);
    if (auto loaded = loadSurvey(); !loaded) return loaded;
    if (!survey_ || !survey_->imported) return fail(Errc::corrupt, "job-file", {}, "site");
    site_ = Site::imported(system_, importedDrive(*survey_), survey_->root);
    usage_ = survey_->usage;
    usageAt_ = survey_->finished;
    targets_ = headroomRules(site_->drive());
    return {};
  }
  auto opened = Site::open(system_, *path, site->value("stand_in", Json()) == true);
  if (!opened) return tl::unexpected(opened.error());
  site_ = std::move(*opened);
  stale_ = site->value("stale", Json()) == true;
  if (site->value("drive", Json()) != site_->drive().id) return fail(Errc::changed, "drive", *path);
  const auto targets = document(*file_, "targets");
  if (!targets) return tl::unexpected(targets.error());
  auto list = targetsFromJson(*targets);
  if (!list) return tl::unexpected(list.error());
  targets_ = std::move(*list);
  const auto marks = document(*file_, "marks");
  if (!marks) return tl::unexpected(marks.error());
  for (const Json& j : *marks)
    if (const auto marked = getPath(j, "path"))
      marks_.emplace_back(*marked, j.value("kept", Json()) == true ? Mark::kept : Mark::notNow);
  if (auto read = readUsage(); !read) return read;
  if (auto loaded = loadSurvey(); !loaded) return loaded;
  return survey_ ? recoverRuns() : Result<void>{};
}

Result<void> Job::loadSurvey() {
  const auto pieces = file_->newestSurvey();
  if (!pieces) return tl::unexpected(pieces.error());
  if (pieces->empty()) return {};
  auto survey = decodeSurvey(*pieces);
  if (!survey) return tl::unexpected(survey.error());
  const auto rows = file_->finds();
  if (!rows) return tl::unexpected(rows.error());
  std::vector<Find> finds;
  for (const auto& row : *rows) {
    const Json json = Json::parse(row, nullptr, false);
    auto find = json.is_object() ? findFromJson(json) : Result<Find>(fail(Errc::corrupt, "finds"));
    if (!find) return tl::unexpected(find.error());
    for (auto& item : find->items) {
      const auto node = (*survey)->tree.find(item.path);
      if (!node) return fail(Errc::corrupt, "finds", item.path);
      item.node = *node;
    }
    finds.push_back(std::move(*find));
  }
  adopt(std::move(*survey), std::move(finds));
  const auto plan = document(*file_, "plan");
  if (!plan) return tl::unexpected(plan.error());
  auto parsed = planFromJson(*plan);
  if (!parsed) return fail(Errc::corrupt, "plan", {}, parsed.error().detail);
  if (auto bound = bind(*parsed, survey_->tree); !bound)
    return fail(Errc::corrupt, "plan", bound.error().path);
  plan_ = std::move(*parsed);
  return {};
}

Result<void> Job::recoverRuns() {
  static constexpr std::array<ItemState, 3> openStates{ItemState::intended, ItemState::discarding,
                                                       ItemState::returning};
  auto open = file_->records(0, openStates);
  if (!open) return tl::unexpected(open.error());
  if (open->empty()) return {};
  auto drive = guarded();
  if (!drive) {
    recoveryWaits_ = true;
    return {};
  }
  auto settled = recover(std::move(*drive), *file_, std::move(*open));
  if (!settled) return tl::unexpected(settled.error());
  recovered_ = std::move(*settled);
  stale_ = true;
  if (auto read = readUsage(); !read) return read;
  return saveState();
}

void Job::adopt(SurveyPtr survey, std::vector<Find> finds) {
  survey_ = std::move(survey);
  FindOptions options;
  options.now = survey_->finished;
  if (!kinds_) kinds_ = KindTable::ofThisMachine().value_or(KindTable());
  options.kinds = *kinds_;
  options.owners = site_->ownerNames(*survey_);
  context_ = std::shared_ptr<const FindContext>(
      new FindContext(*survey_, Catalogue::builtIn(), site_->anchor(), options, site_->keepsAccessTimes()),
      [keep = survey_](const FindContext* c) { delete c; });
  applyMarks(finds);
  finds_ = std::make_shared<const std::vector<Find>>(std::move(finds));
}

void Job::applyMarks(std::vector<Find>& finds) const {
  for (Find& f : finds) {
    const bool keep = std::any_of(f.items.begin(), f.items.end(),
                                  [&](const auto& i) { return markOf(i.path) == Mark::kept; });
    if (keep && f.standing != Standing::bedrock) f.standing = Standing::kept;
  }
}

Result<void> Job::measureWith(bool everything, const Measuring& measuring) {
  if (auto allowed = refuseImported("measure"); !allowed) return allowed;
  if (auto fresh = site_->refreshDrive(); !fresh) return fresh;
  rightsProblem_.reset();
  std::unique_ptr<PrivilegedAccess> access;
  if (everything && !site_->drive().standIn && system_.privileged.worthAsking()) {
    auto started = system_.privileged.start(site_->root());
    if (started)
      access = std::move(*started);
    else
      rightsProblem_ = started.error();
  }
  Result<SurveyPtr> survey;
  if (access) {
    FallbackFileSystem files(site_->files(), *access);
    survey = measuring(site_->measurePorts(files, access.get()));
  } else {
    survey = measuring(site_->measurePorts(site_->files(), nullptr));
  }
  if (!survey) return tl::unexpected(survey.error());
  return keepSurvey(std::move(*survey));
}

Result<void> Job::measure(const MeasureOptions& options, std::stop_token stop, ProgressSink* progress) {
  return measureWith(options.everything, [&](const MeasurePorts& ports) {
    return zt::measure(ports, site_->drive(), site_->root(), options, stop, progress);
  });
}

Result<void> Job::measureAgain(const PathBytes& folder, const MeasureOptions& options, std::stop_token stop,
                               ProgressSink* progress) {
  if (!survey_) return fail(Errc::notThere, "survey");
  const auto node = survey_->tree.find(folder);
  if (!node) return fail(Errc::notThere, "survey", folder);
  if (!survey_->tree.isFolder(*node)) return fail(Errc::notAFolder, "survey", folder);
  if (*node == 0) return measure(options, stop, progress);
  return measureWith(options.everything, [&](const MeasurePorts& ports) {
    return zt::measureAgain(ports, site_->drive(), survey_, *node, options, stop, progress);
  });
}

Result<void> Job::keepSurvey(SurveyPtr survey) {
  adopt(std::move(survey), {});
  const auto root = site_->files().openRoot(site_->root());
  if (!root && !imported()) return tl::unexpected(root.error());
  class Nothing final : public Folder {
  } nothing;
  std::vector<Find> finds = detectAll(*context_, site_->files(), root ? **root : nothing);
  std::vector<std::string> rows;
  for (const Find& f : finds) rows.push_back(toJson(f).dump());
  applyMarks(finds);
  finds_ = std::make_shared<const std::vector<Find>>(std::move(finds));
  usage_ = survey_->usage;
  usageAt_ = survey_->finished;
  stale_ = false;
  rebindPlan();
  // A job in memory keeps the survey itself; only the number of the survey is noted, which runs refer to.
  const bool inMemory = file_->path().empty();
  const auto pieces = inMemory ? std::vector<std::string>{} : encodeSurvey(*survey_);
  if (auto put = file_->putSurvey(pieces, inMemory ? std::vector<std::string>{} : rows, survey_->finished);
      !put)
    return put;
  return saveState();
}

/// After a new survey a line stays on the plan if the same thing is found again.
void Job::rebindPlan() {
  Plan fresh;
  for (const PlanLine& line : plan_.lines) {
    const Find* same = find(line.id);
    if (same == nullptr) continue;
    if (auto again = lineFor(*same, line.action)) {
      again->enabled = line.enabled;
      fresh.lines.push_back(std::move(*again));
    }
  }
  plan_ = std::move(fresh);
}

const Find* Job::find(std::string_view id) const {
  if (!finds_) return nullptr;
  const auto at = std::find_if(finds_->begin(), finds_->end(), [&](const Find& f) { return f.id == id; });
  return at == finds_->end() ? nullptr : &*at;
}

Result<const Find*> Job::pick(const PathBytes& path) {
  if (!survey_) return fail(Errc::notThere, "survey");
  if (!plainRelative(path)) return fail(Errc::outsideRoot, "plan", path);
  const auto node = survey_->tree.find(path);
  if (!node) return fail(Errc::notThere, "plan", path);
  if (context_->catalogue.touchesBedrock(context_->anchor, path)) return fail(Errc::bedrock, "plan", path);
  for (const Find& f : *finds_)
    if (f.items.size() == 1 && f.items[0].node == *node) return &f;
  std::vector<Find> more = *finds_;
  more.push_back(pickedFind(*context_, *node));
  applyMarks(more);
  finds_ = std::make_shared<const std::vector<Find>>(std::move(more));
  return &finds_->back();
}

std::optional<Mark> Job::markOf(const PathBytes& path) const {
  for (const auto& [marked, mark] : marks_)
    if (marked == path || (mark == Mark::kept && beneath(path, marked))) return mark;
  return std::nullopt;
}

Result<void> Job::mark(const PathBytes& path, std::optional<Mark> mark) {
  std::erase_if(marks_, [&](const auto& m) { return m.first == path; });
  if (mark) marks_.emplace_back(path, *mark);
  if (finds_) {
    std::vector<Find> finds = *finds_;
    for (Find& f : finds)
      if (f.standing == Standing::kept && !f.items.empty()) f.standing = context_->standing[f.items[0].node];
    applyMarks(finds);
    finds_ = std::make_shared<const std::vector<Find>>(std::move(finds));
    if (mark == Mark::kept)
      std::erase_if(plan_.lines, [&](const PlanLine& line) {
        return std::any_of(line.items.begin(), line.items.end(),
                           [&](const auto& i) { return i.path == path; });
      });
  }
  return saveState();
}

Result<void> Job::setTargets(std::vector<Target> targets) {
  targets_ = std::move(targets);
  return saveState();
}

Result<void> Job::addTarget(const std::string& label, const std::string& amount) {
  const Bytes capacity = usage_ ? usage_->capacity : 0;
  const auto bytes = parseAmount(amount, capacity);
  if (!bytes) return tl::unexpected(bytes.error());
  if (*bytes > capacity) return fail(Errc::badInput, "amount", {}, amount);
  targets_.insert(targets_.begin(), Target{TargetOrigin::task, label, amount, *bytes, true});
  return saveState();
}

}  // namespace zt
