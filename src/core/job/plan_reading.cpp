// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/plan_reading.h"

#include <absl/container/flat_hash_map.h>
#include <absl/container/flat_hash_set.h>

#include <algorithm>

#include "core/finds/subject_type.h"
#include "core/job/not_planned.h"
#include "core/match/contents.h"
#include "core/plan/plan_json.h"
#include "core/query/narrowing.h"

namespace zt {

JobFile::Documents PlanReading::documents(const Plan& plan, const Marks& marks) const {
  Json targets = Json::array();
  for (const Target& t : targets_) targets.push_back(toJson(t));
  return {{"targets", targets.dump()}, {"marks", toJson(marks).dump()}, {"plan", toJson(plan).dump()}};
}

/// What is left of a line without the things that are locked: the line as it is, a part of it, or nothing.
std::optional<PlanLine> PlanReading::unlocked(const PlanLine& line, const FindList& finds, const Marks& marks,
                                              const FindContext& context) const {
  const bool free = std::none_of(line.items.begin(), line.items.end(), [&](const Subject& item) {
    return typeOf(item).isKept(marks, context, item);
  });
  if (free) return line;
  const Find* find = finds.find(line.id);
  if (find == nullptr) return std::nullopt;
  const NotPlanned notPlanned(line);
  auto rest = without(*find, context, [&](const Subject& item) {
    return notPlanned(item) || typeOf(item).isKept(marks, context, item);
  });
  if (!rest) return std::nullopt;
  priceOffers(*rest, workshop_.craft->steps);
  auto left = lineFor(*rest, workshop_.craft->steps, line.step->id, marks, line.parameters);
  if (!left) return std::nullopt;
  left->enabled = line.enabled;
  left->proposed = line.proposed;
  return std::move(*left);
}

std::shared_ptr<const Copies> PlanReading::copies(const Plan& plan) const {
  const auto equal = equalFiles(surveys_.detected().contents);
  if (!equal) return nullptr;
  const FindContext& context = *surveys_.context();
  // What is only moved, linked or stored once keeps its content.
  Plan losing;
  std::copy_if(plan.lines.begin(), plan.lines.end(), std::back_inserter(losing.lines),
               [](const PlanLine& line) {
                 return line.step->regret == RegretRule::asFound || line.step->undo == UndoRule::putBack;
               });
  return std::make_shared<const Copies>(equal, context, outermostItems(losing, context.gain),
                                        outermostItems(plan, context.gain));
}

Consent PlanReading::toldConsent() const {
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

PlannedGain PlanReading::gainOf(const Plan& plan) const {
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
void PlanReading::leaveOut(std::vector<Find>& finds, const PathSet& keep) const {
  const FindContext& context = *surveys_.context();
  if (keep.empty() && context.held.empty() && context.busy.empty() && context.fixed.empty() &&
      context.points.empty())
    return;
  const auto stays = [&](const Subject& item) {
    if (item.inSurvey() && context.points.lockAround(context.tree, item.node) != PointLock::none) return true;
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
Plan PlanReading::decidedLines() const {
  Plan decided;
  std::copy_if(plan_.lines.begin(), plan_.lines.end(), std::back_inserter(decided.lines),
               [](const PlanLine& line) { return !line.proposed; });
  return decided;
}

Result<Proposal> PlanReading::propose(ProposeOptions options) const {
  if (place_.site().closed() == Errc::imported) return fail(Errc::imported, "propose");
  if (!surveys_.survey()) return fail(Errc::notThere, "survey");
  const Bytes free = place_.reading().free;
  Bytes need = 0;
  for (const Target& t : targets_) {
    if (!t.chosen || t.bytes <= free) continue;
    // A little more than the shortfall: the machine goes on writing, and folders for the hold take a block.
    Bytes missing = t.bytes - free + place_.reading().rise.refill.value_or(0);
    missing += missing / 2000 + 65536;
    // What is needed only for a while may be lent.
    Bytes& asked = t.whileItRuns ? options.needForNow : need;
    asked = std::max(asked, missing);
  }
  std::vector<Find> finds(surveys_.finds()->begin(), surveys_.finds()->end());
  const FindContext& context = *surveys_.context();
  const Plan decided = decidedLines();
  need -= std::min(need, plannedGain(decided, context).sure);
  options.needForNow -= std::min(options.needForNow, plannedGain(decided, context).sure);
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
      if (!place_.reading().rise.refill && need + options.needForNow > 0)
        proposal.reached = proposal.optimal = false;
      return proposal;
    }
    // Of each group one stays; what else there is may make up for it.
    for (const EqualFiles* group : taken)
      options.keep.push_back(
          context.tree.path(keeperOf(context, *group, marks_, surveys_.keeperOrder()).node));
  }
}

Result<std::vector<PlanReading::Alternative>> PlanReading::alternatives(const ProposeOptions& options) const {
  using Prefer = ProposeOptions::Prefer;
  ProposeOptions third = options;
  if (options.to.empty()) third.ceiling = Regret::none;
  third.to.clear();
  std::vector<Alternative> all;
  for (auto [id, how, prefer] :
       {std::tuple("least-regret", options, Prefer::leastRegret),
        std::tuple("fewest-steps", options, Prefer::fewestSteps),
        std::tuple(options.to.empty() ? "no-regret" : "nothing-leaves", third, Prefer::leastRegret)}) {
    how.prefer = prefer;
    auto proposal = propose(how);
    if (!proposal) return tl::unexpected(proposal.error());
    const Bytes sure = gainOf(proposal->plan).sure;
    all.push_back({id, std::move(*proposal), sure});
  }
  return all;
}

PlanReading::Rebound PlanReading::rebind(const SurveyStore::Content& content) const {
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
      auto again = lineFor(*find, workshop_.craft->steps, line.step->id, rebound.marks, line.parameters);
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

}  // namespace zt
