// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/plan_book.h"

#include <absl/container/flat_hash_map.h>
#include <absl/container/flat_hash_set.h>

#include <algorithm>

#include "core/finds/subject_type.h"
#include "core/job/not_planned.h"
#include "core/match/duplicates.h"
#include "core/plan/plan_json.h"

namespace zt {

Result<void> PlanBook::load() {
  const auto document = [&](const char* key) -> Result<Json> {
    auto text = file_.get(key);
    if (!text) return tl::unexpected(text.error());
    if (!*text) return Json();
    const Json json = parseJson(**text);
    if (json.is_null()) return fail(Errc::corrupt, "job-file", file_.path(), key);
    return json;
  };
  const auto targets = document("targets");
  const auto marks = document("marks");
  const auto plan = document("plan");
  for (const auto* read : {&targets, &marks, &plan})
    if (!*read) return tl::unexpected(read->error());
  if (!targets->is_null()) {
    auto list = targetsFromJson(*targets);
    if (!list) return tl::unexpected(list.error());
    targets_ = std::move(*list);
  }
  if (!marks->is_null()) {
    auto said = marksFromJson(*marks);
    if (!said) return tl::unexpected(said.error());
    marks_ = std::move(*said);
  }
  surveys_.applyMarks(marks_);
  if (plan->is_null() || !surveys_.survey()) return {};
  auto parsed = planFromJson(*plan, knownKinds(*workshop_.craft));
  if (!parsed) return fail(Errc::corrupt, "plan", file_.path(), parsed.error().detail);
  if (auto bound = bind(*parsed, surveys_.survey()->tree); !bound)
    return fail(Errc::corrupt, "plan", bound.error().path);
  plan_ = std::move(*parsed);
  return {};
}

Result<void> PlanBook::setTargets(std::vector<Target> targets) {
  targets_ = std::move(targets);
  return save();
}

Result<void> PlanBook::addTarget(const std::string& label, const std::string& text) {
  constexpr std::string_view whileItRuns = ",while-it-runs";
  const bool passing = text.ends_with(whileItRuns);
  const std::string amount = passing ? text.substr(0, text.size() - whileItRuns.size()) : text;
  const Bytes capacity = place_.reading().capacity;
  const auto bytes = parseAmount(amount, capacity);
  if (!bytes) return tl::unexpected(bytes.error());
  if (*bytes > capacity) return fail(Errc::tooMuch, "amount", {}, amount);
  std::vector<Target> targets = targets_;
  targets.insert(targets.begin(), Target{TargetOrigin::task, label, amount, *bytes, true, passing});
  return setTargets(std::move(targets));
}

Result<std::vector<std::string>> PlanBook::pick(const std::vector<PathBytes>& paths) {
  if (auto here = place_.checkHere("plan"); !here) return tl::unexpected(here.error());
  return surveys_.pick(paths);
}

Result<void> PlanBook::addPaths(const std::vector<PathBytes>& paths, std::string_view action,
                                const StepParameters& told) {
  const auto ids = pick(paths);
  return ids ? add(*ids, action, {}, told) : Result<void>(tl::unexpected(ids.error()));
}

/// Fails with inUse, and who, for the first thing that somebody has in use. What was in use when the survey
/// was made is asked for once more: it may be free by now.
Result<void> PlanBook::checkInUse(const Plan& plan) const {
  const FindContext& context = *surveys_.context();
  std::optional<Holders> now;
  for (const PlanLine& line : plan.lines) {
    if (!line.step->touches || line.step->stopsUse) continue;
    for (const Subject& item : line.items) {
      if (item.node != noNode)
        if (auto whole = checkWhole(context, item.node, item.path); !whole) return whole;
      const std::string* who = item.node == noNode ? nullptr : context.holderIn(item.node);
      if (who == nullptr) continue;
      if (place_.site().closed()) return fail(Errc::inUse, "plan", item.path, *who);
      if (!now) now = Holders::read(*place_.site().openFiles());
      // Each subvolume has a device number of its own.
      FileSystemReader& files = *place_.site().files();
      const auto root = files.openRoot(place_.site().root());
      const auto in = root ? files.openBeneath(**root, parentPath(item.path))
                           : Result<FolderPtr>(tl::unexpected(root.error()));
      const auto stat = in ? files.stat(**in, baseName(item.path)) : Result<EntryStat>(EntryStat{});
      const bool above = who->starts_with("overlay ");
      const auto* still = stat ? now->holderWithin(context.tree, item.node, stat->device) : nullptr;
      if (above || still != nullptr) return fail(Errc::inUse, "plan", item.path, still ? *still : *who);
    }
  }
  return {};
}

/// Writes a changed plan, and only then lets it stand.
Result<void> PlanBook::settle(Plan plan, bool keeps) {
  if (auto clear = checkConflicts(plan, *surveys_.context()); !clear) return clear;
  if (auto idle = checkInUse(plan); !idle) return idle;
  for (const PlanLine& line : plan.lines)
    if (auto may = checkSeries(line, *surveys_.context(), marks_); !may) return may;
  if (const auto kept = copies(plan))
    if (auto stay = kept->checkPlan(); !stay) return stay;
  if (keeps)
    if (auto put = file_.put({{"plan", toJson(plan).dump()}}); !put) return put;
  if (keeps) remember();
  plan_ = std::move(plan);
  return {};
}

void PlanBook::remember() {
  past_.push_back(plan_);
  if (past_.size() > mostEdits) past_.erase(past_.begin());
  ahead_.clear();
}

Result<void> PlanBook::step(std::vector<Plan>& from, std::vector<Plan>& to) {
  if (from.empty()) return fail(Errc::notThere, "plan");
  std::vector<Plan> past = past_, ahead = ahead_;
  auto& source = &from == &past_ ? past : ahead;
  auto& target = &to == &past_ ? past : ahead;
  Plan meant = std::move(source.back());
  source.pop_back();
  target.push_back(plan_);
  if (auto done = set(std::move(meant)); !done) return done;
  past_ = std::move(past);
  ahead_ = std::move(ahead);
  return {};
}

Result<void> PlanBook::split(const std::string& id) {
  const PlanLine* line = plan_.find(id);
  if (line == nullptr) return fail(Errc::notThere, "plan", {}, id);
  std::vector<PathBytes> paths;
  for (const Subject& item : line->items)
    if (item.inSurvey()) paths.push_back(item.path);
  if (paths.size() < 2 || paths.size() != line->items.size())
    return fail(Errc::unsupported, "plan", {}, "split");
  const PlanLine was = *line;
  const std::vector<Plan> past = past_;
  if (auto dropped = drop(id); !dropped) return dropped;
  if (auto added = addPaths(paths, was.step->id, was.parameters); !added) {
    const Result<void> why = added;
    if (auto back = undoEdit(); !back) return back;
    return why;
  }
  // One change, whatever it took.
  Plan before = past_[past.size()];
  past_ = past;
  past_.push_back(std::move(before));
  return {};
}

Result<void> PlanBook::add(const std::vector<std::string>& finds, std::string_view action,
                           const Narrowing& by, const StepParameters& told) {
  if (!surveys_.survey()) return fail(Errc::notThere, "survey");
  std::vector<const Find*> all;
  for (const std::string& id : finds) {
    all.push_back(surveys_.find(id));
    if (all.back() == nullptr) return fail(Errc::notThere, "plan", {}, id);
  }
  std::vector<Find> meant;
  if (by.any()) {
    meant = narrowed(all, by, *surveys_.context());
    if (meant.empty()) return fail(Errc::notThere, "plan", {}, "nothing is left by the rule");
    all.clear();
    for (Find& find : meant) priceOffers(find, workshop_.craft->steps), all.push_back(&find);
  }
  const auto onLine = [&](const PlanLine& line, const Find& find) {
    return by.any() ? std::optional(find) : without(find, *surveys_.context(), NotPlanned(line));
  };
  Plan changed = plan_;
  std::vector<PlanLine> added;
  absl::flat_hash_map<std::string, std::size_t> lineOf;
  for (std::size_t i = 0; i < changed.lines.size(); ++i) lineOf.emplace(changed.lines[i].id, i);
  const auto lineAt = [&](std::size_t i) -> PlanLine& {
    return i < changed.lines.size() ? changed.lines[i] : added[i - changed.lines.size()];
  };
  for (const Find* find : all) {
    const auto [there, fresh] = lineOf.emplace(find->id, changed.lines.size() + added.size());
    // Another step for a line is for what is on it.
    auto part = fresh ? std::optional(*find) : onLine(lineAt(there->second), *find);
    if (!part) part = *find;
    if (part->kind == "namesakes") {
      const Find& whole = *surveys_.find(find->id);
      part = withoutNewest(*surveys_.context(), *part, whole);
      const bool alike =
          part->items.empty() && withoutNewest(*surveys_.context(), whole, whole).items.empty();
      if (part->items.empty())
        return fail(Errc::lastCopy, "plan", find->items.front().path, alike ? "equally-new" : "newest");
    }
    priceOffers(*part, workshop_.craft->steps);
    const std::string usual = part->offers.empty() ? "discard" : part->offers.front().action;
    auto line = lineFor(*part, workshop_.craft->steps, action.empty() ? std::string_view(usual) : action,
                        marks_, told);
    if (!line) return tl::unexpected(line.error());
    if (fresh)
      added.push_back(std::move(*line));
    else
      lineAt(there->second) = std::move(*line);
  }
  for (PlanLine& line : added) changed.add(std::move(line));
  return settle(std::move(changed));
}

/// A folder of this drive is no other drive, by whatever path it is reached.
Result<void> PlanBook::checkOtherDrives(std::string_view action, const StepParameters& told) const {
  const StepPtr step = workshop_.craft->steps.find(action);
  if (step == nullptr || place_.site().closed()) return {};
  for (const ParameterSpec* where : step->otherDrives()) {
    const PathBytes path = told.place(where->id);
    if (path.empty()) continue;
    const auto here = place_.site().holdsFolder(path);
    if (!here) return fail(here.error().code, "other-drive", path);
    if (*here) return fail(Errc::onDrive, "other-drive", path, "other-drive");
  }
  return {};
}

Result<void> PlanBook::addWithPoints(const std::vector<std::string>& finds) {
  if (!surveys_.survey()) return fail(Errc::notThere, "survey");
  const FindContext& context = *surveys_.context();
  std::vector<Subject> items;
  for (const std::string& id : finds) {
    const Find* find = surveys_.find(id);
    if (find == nullptr) return fail(Errc::notThere, "plan", {}, id);
    items.insert(items.end(), find->items.begin(), find->items.end());
  }
  const FindContext::Pinned pinned = context.pinned(items);
  if (!pinned.helps) return fail(Errc::lastCopy, "plan", {}, "newest");
  Narrowing by;
  by.only.emplace();
  for (const Subject& item : items) by.only->push_back(item.path);
  std::vector<std::string> all = finds;
  for (const Find& find : *surveys_.finds()) {
    if (find.kind != "points") continue;
    const auto before = by.only->size();
    for (const Subject& item : find.items)
      if (const auto point = context.pointOf(item); point && pinned.mayGo[*point])
        by.only->push_back(item.path);
    if (by.only->size() == before) continue;
    all.push_back(find.id);
    if (const PlanLine* line = plan_.find(find.id))
      for (const Subject& item : line->items) by.only->push_back(item.path);
  }
  return add(all, {}, by);
}

Result<void> PlanBook::drop(const std::vector<std::string>& ids) {
  Plan changed = plan_;
  for (const std::string& id : ids)
    if (std::erase_if(changed.lines, [&](const PlanLine& l) { return l.id == id; }) == 0 &&
        plan_.find(id) == nullptr)
      return fail(Errc::notThere, "plan", {}, id);
  if (auto put = file_.put({{"plan", toJson(changed).dump()}}); !put) return put;
  remember();
  plan_ = std::move(changed);
  return {};
}

Result<void> PlanBook::edit(const std::function<void(Plan&)>& change) {
  Plan plan = plan_;
  change(plan);
  return set(std::move(plan));
}

namespace {
/// Whether all things of a line are things of a find.
bool isPartOf(const PlanLine& line, const Find& find) {
  absl::flat_hash_set<NodeId> things;
  for (const Subject& item : find.items) things.insert(item.node);
  return std::all_of(line.items.begin(), line.items.end(),
                     [&](const Subject& item) { return things.contains(item.node); });
}
}  // namespace

Result<void> PlanBook::set(Plan plan) {
  return take(std::move(plan), true);
}

Result<void> PlanBook::suppose(Plan plan) {
  return take(std::move(plan), false);
}

Result<void> PlanBook::take(Plan plan, bool keeps) {
  if (!surveys_.survey()) return fail(Errc::notThere, "survey");
  const FindContext& context = *surveys_.context();
  if (auto bound = bind(plan, context.tree); !bound) return bound;
  if (auto free = checkLocks(plan, context, marks_); !free) return free;
  reprice(plan, context);
  for (PlanLine& line : plan.lines)
    if (const Find* find = surveys_.find(line.id); find != nullptr && isPartOf(line, *find)) {
      // A find may know better than its entries: what was thrown away is judged by that.
      line.standing = find->standing;
      line.found = find->regret;
      for (const Offer& offer : find->offers)
        if (line.step->gives == GainShare::some && offer.action == line.step->id) line.gain = offer.gain;
    }
  std::vector<NodeId> picked;
  for (const PlanLine& line : plan.lines)
    if (line.items.size() == 1 && surveys_.find(line.id) == nullptr)
      picked.push_back(line.items.front().node);
  if (auto settled = settle(std::move(plan), keeps); !settled) return settled;
  if (!picked.empty()) surveys_.addPicked(picked), surveys_.applyMarks(marks_);
  return {};
}

Result<void> PlanBook::mark(const std::vector<PathBytes>& paths, std::optional<Mark> mark) {
  Marks said = marks_;
  const SurveyPtr survey = surveys_.survey();
  for (const PathBytes& path : paths) {
    said.set(path, mark);
    const auto node = mark && survey ? survey->tree.find(path) : std::nullopt;
    if (mark && survey && !node) return fail(Errc::notThere, "mark", path);
    if (node) said.put(path, {*mark, survey->tree.inode(*node), survey->tree.isFolder(*node)});
  }
  Plan changed;
  std::vector<LeftLine> left;
  const FindList shown = survey ? surveys_.marked(surveys_.detected(), said) : FindList();
  for (const PlanLine& line : plan_.lines) {
    auto rest = unlocked(line, shown, said, *surveys_.context());
    if (rest)
      changed.lines.push_back(std::move(*rest));
    else
      left.push_back({line.id, line.items.front().path, Errc::kept});
  }
  if (auto put = file_.put(documents(changed, said)); !put) return put;
  marks_ = std::move(said);
  plan_ = std::move(changed);
  left_ = std::move(left);
  surveys_.applyMarks(marks_);
  place_.noteMarks(marks_, paths);
  return {};
}

void PlanBook::adopt(Rebound rebound) {
  plan_ = std::move(rebound.plan);
  left_ = std::move(rebound.left);
  marks_ = std::move(rebound.marks);
  if (!rebound.picked.empty()) surveys_.addPicked(rebound.picked);
  surveys_.applyMarks(marks_);
}

void PlanBook::takeOff(const std::vector<std::string>& lines) {
  const absl::flat_hash_set<std::string> off(lines.begin(), lines.end());
  std::erase_if(plan_.lines, [&](const PlanLine& l) { return off.contains(l.id); });
}

}  // namespace zt
