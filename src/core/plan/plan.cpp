// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/plan.h"

#include <algorithm>

#include "core/finds/find.h"
#include "core/finds/subject_type.h"

namespace zt {

Result<PlanLine> lineFor(const Find& find, const StepTable& steps, std::string_view action,
                         const Marks& marks, const StepParameters& parameters) {
  const PathBytes about = find.items.empty() ? PathBytes{} : find.items[0].path;
  const StepPtr step = steps.find(action);
  const bool touches = step == nullptr || step->touches;
  if (find.standing == Standing::bedrock && touches) return fail(Errc::bedrock, "plan", about);
  for (const Subject& s : find.items)
    if (marks.locks(s.path)) return fail(Errc::kept, "plan", s.path);
  const bool offered =
      std::any_of(find.offers.begin(), find.offers.end(), [&](const Offer& o) { return o.action == action; });
  const bool fixed = std::any_of(find.closed.begin(), find.closed.end(), [&](const Offer& o) {
    return o.action == action && o.conditions == std::vector<std::string>{"fixed"};
  });
  if (fixed) return fail(Errc::notPermitted, "plan", about);
  if (step == nullptr || !offered) return fail(Errc::unknownStep, "plan", about, std::string(action));
  if (auto fit = parameters.fit(step->takes); !fit) return tl::unexpected(fit.error());
  PlanLine line;
  line.id = find.id;
  line.kind = find.kind;
  line.step = step;
  line.standing = find.standing;
  line.found = find.regret;
  for (const Offer& offer : find.offers)
    if (offer.action == action) line.gain = offer.gain;
  line.place = find.place;
  line.band = find.band;
  line.items = find.items;
  line.parameters = parameters;
  return line;
}

int turnOf(const PlanLine& line) {
  return line.kind == "trash" ? 2 : line.step->turn;
}

void Plan::add(PlanLine line) {
  const int turn = turnOf(line);
  const auto after = std::find_if(lines.rbegin(), lines.rend(),
                                  [&](const PlanLine& other) { return turnOf(other) <= turn; });
  lines.insert(after.base(), std::move(line));
}

PlanLine* Plan::find(std::string_view id) {
  const auto at = std::find_if(lines.begin(), lines.end(), [&](const auto& l) { return l.id == id; });
  return at == lines.end() ? nullptr : &*at;
}

const PlanLine* Plan::find(std::string_view id) const {
  return const_cast<Plan*>(this)->find(id);
}

namespace {
void append(std::vector<NodeId>& nodes, const PlanLine& line) {
  for (const auto& item : line.items)
    if (item.node != noNode) nodes.push_back(item.node);
}

/// What lies beneath an item of another line goes the way of that line, and is nothing of its own.
class OwnItems {
public:
  OwnItems(const Plan& plan, const FindContext& context) : outer_(outermostItems(plan, context.gain)) {}
  bool holds(const Subject& item) const {
    return item.node == noNode || std::binary_search(outer_.begin(), outer_.end(), item.node);
  }
  bool holdsAll(const PlanLine& line) const {
    return std::all_of(line.items.begin(), line.items.end(), [&](const Subject& s) { return holds(s); });
  }
  const std::vector<NodeId>& outer() const { return outer_; }

private:
  const std::vector<NodeId> outer_;
};
}  // namespace

PlannedGain plannedGain(const Plan& plan, const FindContext& context) {
  const OwnItems own(plan, context);
  std::vector<Subject> freeing;
  std::vector<Subject> all;
  Bytes elsewhere = 0;  // of packages and the like
  GainBounds some;
  Bytes lent = 0;
  for (const auto& line : plan.lines) {
    if (!line.enabled) continue;
    if (line.givesSome()) {
      some += {own.holdsAll(line) ? line.gain.sure : 0, line.gain.atMost};
      if (line.step->undo == UndoRule::payBack) lent += line.gain.sure;
      continue;
    }
    if (line.takesPart())
      std::copy_if(line.items.begin(), line.items.end(), std::back_inserter(freeing),
                   [&](const Subject& s) { return own.holds(s); });
    all.insert(all.end(), line.items.begin(), line.items.end());
    const bool weighed = std::any_of(line.items.begin(), line.items.end(),
                                     [](const Subject& s) { return typeOf(s).isWeighed(s); });
    if (!weighed) elsewhere += line.gain.atMost;
  }
  const GainBounds now = context.gainOf(freeing);
  PlannedGain gain{
      now.sure + some.sure,
      some.atMost + (all.size() == freeing.size() ? now.atMost : context.gainOf(all).atMost) + elsewhere};
  gain.lent = lent;
  return gain;
}

std::vector<NodeId> outermostItems(const Plan& plan, const GainModel& gain) {
  std::vector<NodeId> all;
  for (const auto& line : plan.lines)
    if (line.enabled && line.step->touches) append(all, line);
  return gain.outermost(all);
}

GainModel::Points pointsOf(const Plan& plan, const FindContext& context) {
  GainModel::Points all(context.points.kept(), false);
  for (const auto& line : plan.lines)
    for (const auto& item : line.items)
      if (const auto point = line.takesPart() ? context.pointOf(item) : std::nullopt) all[*point] = true;
  return all;
}

std::vector<GainBounds> stepGains(const Plan& plan, const FindContext& context) {
  const OwnItems own(plan, context);
  const std::vector<NodeId>& outer = own.outer();
  std::vector<bool> counted(outer.size(), false);
  // What points hold together with files counts with the files, whichever stands first.
  GainModel::Sum sum(context.gain, pointsOf(plan, context));
  GainModel::Points before(context.points.kept(), false);
  Bytes freed = 0;
  std::vector<GainBounds> steps;
  for (const auto& line : plan.lines) {
    GainBounds adds;
    if (line.givesSome()) adds = {own.holdsAll(line) ? line.gain.sure : 0, line.gain.atMost};
    const GainModel::Points earlier = before;
    for (const auto& item : line.items)
      if (const auto point = line.takesPart() ? context.pointOf(item) : std::nullopt) before[*point] = true;
    if (before != earlier) {
      const Bytes now = context.points.of(before).frees;
      adds += {now - freed, now - freed};
      freed = now;
    }
    for (const auto& item : line.items) {
      if (!line.takesPart()) break;
      const auto at = std::lower_bound(outer.begin(), outer.end(), item.node);
      if (at == outer.end() || *at != item.node) continue;
      const auto index = static_cast<std::size_t>(at - outer.begin());
      if (counted[index]) continue;  // another line has it already
      counted[index] = true;
      adds += sum.add(item.node);
    }
    steps.push_back(adds);
  }
  return steps;
}

Result<void> checkConflicts(const Plan& plan, const FindContext& context) {
  std::vector<NodeId> kept;  // items with a way back
  std::vector<NodeId> gone;
  for (const auto& line : plan.lines)
    if (line.enabled && line.step->touches) append(line.step->undo != UndoRule::none ? kept : gone, line);
  if (kept.empty() || gone.empty()) return {};
  const std::vector<NodeId> tops = context.gain.outermost(kept);
  std::vector<NodeId> both = context.gain.outermost(gone);
  const std::size_t apart = both.size() + tops.size();
  both.insert(both.end(), tops.begin(), tops.end());
  if (context.gain.outermost(both).size() == apart) return {};
  for (const auto& line : plan.lines) {
    if (!line.enabled || !line.step->touches || line.step->undo != UndoRule::none) continue;
    for (const auto& item : line.items) {
      if (item.node == noNode) continue;
      const bool clash = std::any_of(tops.begin(), tops.end(), [&](NodeId top) {
        return context.gain.beneath(item.node, top) || context.gain.beneath(top, item.node);
      });
      if (clash) return fail(Errc::conflict, "plan", item.path);
    }
  }
  return {};
}

Result<void> checkSeries(const PlanLine& line, const FindContext& context, const Marks& marks) {
  for (const Subject& item : line.items) {
    const SubjectType& type = typeOf(item);
    auto may = type.leavesItsSeries(context, item);
    if (line.step->touches && !may) return may;
    if (type.isKept(marks, context, item)) return fail(Errc::kept, "plan", item.path);
  }
  return {};
}

Result<void> checkLocks(const Plan& plan, const FindContext& context, const Marks& marks) {
  for (const PlanLine& line : plan.lines) {
    for (const Subject& item : line.items) {
      if (auto free = typeOf(item).isFree(context, item); line.step->touches && !free) return free;
      if (typeOf(item).isKept(marks, context, item)) return fail(Errc::kept, "plan", item.path);
    }
    if (auto may = checkSeries(line, context, marks); !may) return may;
  }
  return {};
}

void reprice(Plan& plan, const FindContext& context) {
  for (PlanLine& line : plan.lines) {
    Judgement worst{Standing::spent, Regret::none};
    bool known = !line.items.empty();
    for (Subject& item : line.items) {
      if (item.node != noNode) item.occupied = context.tree.weight(item.node);
      const auto own = typeOf(item).judged(context, item);
      known = known && own.has_value();
      if (!known) break;
      worst.standing = std::min(worst.standing, own->standing);
      worst.regret = std::max(worst.regret, own->regret);
    }
    if (!known) {
      if (line.step->gives == GainShare::some) line.gain.sure = 0;  // a claim
      continue;
    }
    line.standing = worst.standing;
    line.found = worst.regret;
    const GainBounds bounds = context.gainOf(line.items);
    // Of a part the survey knows only that it cannot be more than the whole.
    const Bytes part = line.step->gives == GainShare::some ? line.gain.atMost : bounds.atMost;
    line.gain = line.step->gainOf(bounds.sure, std::min(part, bounds.atMost));
  }
}

Result<void> bind(Plan& plan, const SurveyTree& tree) {
  for (auto& line : plan.lines)
    for (auto& item : line.items) {
      const auto& subjects = line.step->subjects;
      if (std::find(subjects.begin(), subjects.end(), item.kind) == subjects.end())
        return fail(Errc::unknownStep, "plan", item.path, line.step->id);
      if (auto bound = typeOf(item).bind(tree, item); !bound) return bound;
    }
  return {};
}

PlannedGain reaching(const CounterRise& rise, PlannedGain gain) {
  gain.sure = gain.sure / rise.of * std::min(rise.least, rise.of);
  gain.atMost = (gain.atMost + rise.of - 1) / rise.of * std::max(rise.most, rise.of);
  gain.refillKnown = rise.refill.has_value();
  gain.refills = std::min(rise.refill.value_or(gain.sure), gain.sure);
  gain.sure -= gain.refills;
  gain.lent = std::min(gain.lent, gain.sure);
  gain.atMost -= std::min(rise.refill.value_or(0), gain.atMost);
  if (gain.atMost > 0) gain.atMost += rise.follows;
  return gain;
}

std::vector<TargetOutlook> outlook(const std::vector<Target>& targets, Bytes free,
                                   const PlannedGain& planned) {
  std::vector<TargetOutlook> all;
  for (const Target& t : targets) {
    if (!t.chosen) continue;
    // What is lent helps only as long as it is.
    const SignedBytes over = surplus(t, free + planned.sure - (t.whileItRuns ? 0 : planned.lent));
    all.push_back({t, over >= 0, over});
  }
  return all;
}

}  // namespace zt
