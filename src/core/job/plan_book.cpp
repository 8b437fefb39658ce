// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/plan_book.h"

#include <absl/container/flat_hash_map.h>
#include <absl/container/flat_hash_set.h>

#include <algorithm>

#include "core/finds/match/duplicates.h"
#include "core/plan/plan_json.h"

namespace zt {

namespace {

/// The entry that an item of the plan is now: at the same path, and the same inode.
std::optional<NodeId> sameEntry(const SurveyTree& tree, const Subject& item) {
  const auto node = tree.find(item.path);
  if (!node || tree.inode(*node) != item.identity.inode || tree.kind(*node) != item.identity.kind)
    return std::nullopt;
  return node;
}

/// Says of the things of a find whether they are not on a line, or are other things on a later survey.
class NotPlanned {
public:
  explicit NotPlanned(const PlanLine& line, const SurveyTree* later = nullptr) {
    for (const Subject& item : line.items)
      if (later == nullptr || item.node == noNode || sameEntry(*later, item)) planned_.insert(item.path);
  }
  bool operator()(const Subject& item) const { return !planned_.contains(item.path); }

private:
  absl::flat_hash_set<PathBytes> planned_;
};

}  // namespace

JobFile::Documents PlanBook::documents(const Plan& plan, const Marks& marks) const {
  Json targets = Json::array();
  for (const Target& t : targets_) targets.push_back(toJson(t));
  return {{"targets", targets.dump()}, {"marks", toJson(marks).dump()}, {"plan", toJson(plan).dump()}};
}

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
  auto parsed = planFromJson(*plan, {workshop_.craft->steps, workshop_.craft->detectors});
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

Result<void> PlanBook::addPaths(const std::vector<PathBytes>& paths, std::string_view action) {
  const auto ids = pick(paths);
  return ids ? add(*ids, action) : Result<void>(tl::unexpected(ids.error()));
}

/// Fails with inUse, and who, for the first thing that somebody has in use. What was in use when the survey
/// was made is asked for once more: it may be free by now.
Result<void> PlanBook::checkInUse(const Plan& plan) const {
  const FindContext& context = *surveys_.context();
  std::optional<Holders> now;
  for (const PlanLine& line : plan.lines) {
    if (!line.step->touches) continue;
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
  plan_ = std::move(plan);
  return {};
}

Result<void> PlanBook::add(const std::vector<std::string>& finds, std::string_view action,
                           const Narrowing& by) {
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
  absl::flat_hash_map<std::string, std::size_t> lineOf;
  for (std::size_t i = 0; i < changed.lines.size(); ++i) lineOf.emplace(changed.lines[i].id, i);
  for (const Find* find : all) {
    const auto [there, fresh] = lineOf.emplace(find->id, changed.lines.size());
    // Another step for a line is for what is on it.
    auto part = fresh ? std::optional(*find) : onLine(changed.lines[there->second], *find);
    if (!part) part = *find;
    if (part->kind == "namesakes") part = withoutNewest(*surveys_.context(), *part);
    if (part->items.empty()) return fail(Errc::lastCopy, "plan", find->items.front().path, "newest");
    priceOffers(*part, workshop_.craft->steps);
    const std::string usual = part->offers.empty() ? "discard" : part->offers.front().action;
    auto line =
        lineFor(*part, workshop_.craft->steps, action.empty() ? std::string_view(usual) : action, marks_);
    if (!line) return tl::unexpected(line.error());
    if (fresh)
      changed.lines.push_back(std::move(*line));
    else
      changed.lines[there->second] = std::move(*line);
  }
  return settle(std::move(changed));
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
    }
  std::vector<NodeId> picked;
  for (const PlanLine& line : plan.lines)
    if (line.items.size() == 1 && surveys_.find(line.id) == nullptr)
      picked.push_back(line.items.front().node);
  if (auto settled = settle(std::move(plan), keeps); !settled) return settled;
  if (!picked.empty()) surveys_.addPicked(picked), surveys_.applyMarks(marks_);
  return {};
}

/// What is left of a line without the things that are locked: the line as it is, a part of it, or nothing.
std::optional<PlanLine> PlanBook::unlocked(const PlanLine& line, const FindList& finds, const Marks& marks,
                                           const FindContext& context) const {
  const bool free = std::none_of(line.items.begin(), line.items.end(),
                                 [&](const Subject& item) { return marksLock(marks, context, item); });
  if (free) return line;
  const Find* find = finds.find(line.id);
  if (find == nullptr) return std::nullopt;
  const NotPlanned notPlanned(line);
  auto rest = without(*find, context, [&](const Subject& item) {
    return notPlanned(item) || marksLock(marks, context, item);
  });
  if (!rest) return std::nullopt;
  priceOffers(*rest, workshop_.craft->steps);
  auto left = lineFor(*rest, workshop_.craft->steps, line.step->id, marks);
  if (!left) return std::nullopt;
  left->enabled = line.enabled;
  left->proposed = line.proposed;
  return std::move(*left);
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

std::shared_ptr<const Copies> PlanBook::copies(const Plan& plan) const {
  const auto& equal = surveys_.detected().equal;
  if (!equal) return nullptr;
  const FindContext& context = *surveys_.context();
  return std::make_shared<const Copies>(equal, context, outermostItems(plan, context.gain));
}

Consent PlanBook::toldConsent() const {
  Consent consent = consentFor(plan_);
  if (!surveys_.context()) return consent;
  const auto kept = copies(plan_);
  const auto together = kept ? kept->takenTogether() : decltype(kept->takenTogether()){};
  for (Consent::Line& asked : consent.lines) {
    const PlanLine* line = plan_.find(asked.id);
    if (line == nullptr) continue;
    asked.lost = lossesOf(*line, *surveys_.context());
    for (const Subject& item : line->items) {
      const auto last = item.node == noNode ? together.end() : together.find(item.node);
      if (last == together.end()) continue;
      for (const EqualFiles* group : last->second) {
        ++asked.lost.lastCopies;
        asked.lost.lastCopy = surveys_.context()->tree.path(group->nodes.front());
      }
    }
  }
  return consent;
}

PlannedGain PlanBook::gainOf(const Plan& plan) const {
  if (!surveys_.context()) return {};
  return reaching(place_.reading().rise, plannedGain(plan, *surveys_.context()));
}

namespace {

/// Single files that somebody said may go, the largest: a proposal may use them though no detector found
/// them.
void addFreed(const FindContext& c, const Marks& marks, const StepTable& steps, std::vector<Find>& finds) {
  constexpr std::size_t most = 2000;
  for (const auto& [path, said] : marks.all()) {
    const auto node = said.mark == Mark::mayGo ? c.tree.find(path) : std::nullopt;
    if (!node) continue;
    std::vector<NodeId> files;
    for (NodeId id = *node; id < c.tree.size(); ++id)
      if (c.tree.kind(id) == EntryKind::file && c.tree.occupied(id) > 0 && c.gain.beneath(id, *node))
        files.push_back(id);
    std::sort(files.begin(), files.end(),
              [&](NodeId a, NodeId b) { return c.tree.occupied(a) > c.tree.occupied(b); });
    files.resize(std::min(files.size(), most));
    for (const NodeId id : files) {
      Find find = pickedFind(c, id);
      priceOffers(find, steps);
      finds.push_back(std::move(find));
    }
  }
}

}  // namespace

/// Takes out of finds what is at, in or above some paths, what cannot go, and what is in use. What is left of
/// a find can go without it.
void PlanBook::leaveOut(std::vector<Find>& finds, const PathSet& keep) const {
  const FindContext& context = *surveys_.context();
  if (keep.empty() && context.held.empty() && context.busy.empty() && context.fixed.empty() &&
      context.points.empty())
    return;
  const auto stays = [&](const Subject& item) {
    const bool entry = item.kind == SubjectKind::entry && item.node != noNode;
    if (entry && context.points.lockAround(context.tree, item.node) != PointLock::none) return true;
    if (item.node != noNode && (context.cannotGo(item.node) || context.holderIn(item.node) != nullptr))
      return true;
    return keep.touches(item.path);
  };
  std::vector<Find> rest;
  for (const Find& find : finds) {
    auto part = without(find, *surveys_.context(), stays);
    if (!part) continue;
    if (part->items.size() != find.items.size()) priceOffers(*part, workshop_.craft->steps);
    rest.push_back(std::move(*part));
  }
  finds = std::move(rest);
}

/// What a person put on the plan: it stays there, and is not asked for again.
Plan PlanBook::decidedLines() const {
  Plan decided;
  std::copy_if(plan_.lines.begin(), plan_.lines.end(), std::back_inserter(decided.lines),
               [](const PlanLine& line) { return !line.proposed; });
  return decided;
}

Result<Proposal> PlanBook::propose(ProposeOptions options) const {
  if (place_.site().closed() == Errc::imported) return fail(Errc::imported, "propose");
  if (!surveys_.survey()) return fail(Errc::notThere, "survey");
  const Target* most = hardest(targets_);
  const Bytes free = place_.reading().free;
  Bytes need = most != nullptr && most->bytes > free ? most->bytes - free : 0;
  if (need > 0) need += place_.reading().rise.refill.value_or(0);
  // A little more than the shortfall: the machine goes on writing, and folders for the hold take a block.
  if (need > 0) need += need / 2000 + 65536;
  std::vector<Find> finds(surveys_.finds()->begin(), surveys_.finds()->end());
  const FindContext& context = *surveys_.context();
  const Plan decided = decidedLines();
  need -= std::min(need, plannedGain(decided, context).sure);
  for (const PlanLine& line : decided.lines)
    for (const Subject& item : line.items) options.keep.push_back(item.path);
  addFreed(context, marks_, workshop_.craft->steps, finds);
  while (true) {
    leaveOut(finds, PathSet(options.keep));
    Proposal proposal = zt::propose(finds, need, context, workshop_.craft->steps, marks_, options);
    auto& lines = proposal.plan.lines;
    lines.insert(lines.begin(), decided.lines.begin(), decided.lines.end());
    std::stable_partition(lines.begin(), lines.end(), [](const PlanLine& l) { return l.kind != "trash"; });
    const auto kept = copies(proposal.plan);
    const auto taken = kept ? kept->allTaken() : std::vector<const EqualFiles*>{};
    if (taken.empty()) {
      if (!place_.reading().rise.refill && need > 0) proposal.reached = proposal.optimal = false;
      return proposal;
    }
    // Of each group one stays; what else there is may make up for it.
    for (const EqualFiles* group : taken)
      options.keep.push_back(
          context.tree.path(keeperOf(context, *group, marks_, surveys_.keeperOrder()).node));
  }
}

PlanBook::Rebound PlanBook::rebind(const SurveyStore::Content& content) const {
  Rebound rebound;
  const SurveyTree& tree = content.survey->tree;
  rebound.marks = marks_.on(tree);
  if (!surveys_.survey()) rebound.marks.takeMissing(place_.marksOfEarlierVisits().on(tree), tree);
  const FindList finds = surveys_.marked(content, rebound.marks);
  for (const PlanLine& line : plan_.lines) {
    const PathBytes about = line.items.empty() ? line.place : line.items.front().path;
    const auto keep = [&](const Find& found) -> Result<void> {
      auto find = without(found, *content.context, NotPlanned(line, &tree));
      if (!find) return fail(Errc::notThere, "plan", about);
      priceOffers(*find, workshop_.craft->steps);
      auto again = lineFor(*find, workshop_.craft->steps, line.step->id, rebound.marks);
      if (!again) return tl::unexpected(again.error());
      if (auto may = checkSeries(*again, *content.context, rebound.marks); !may) return may;
      again->enabled = line.enabled;
      again->proposed = line.proposed;
      rebound.plan.lines.push_back(std::move(*again));
      return {};
    };
    Result<void> kept = fail(Errc::notThere, "plan", about);
    if (const Find* same = finds.find(line.id)) {
      kept = keep(*same);
    } else if (line.items.size() == 1) {
      // What one thing is about stays, found again or not: somebody put it there.
      if (const auto node = sameEntry(tree, line.items.front())) {
        Find find = pickedFind(*content.context, *node);
        priceOffers(find, workshop_.craft->steps);
        kept = content.context->locked(about) ? Result<void>(fail(Errc::bedrock, "plan", about)) : keep(find);
        if (kept) rebound.picked.push_back(*node);
      }
    }
    if (!kept) rebound.left.push_back({line.id, about, kept.error().code});
  }
  return rebound;
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
