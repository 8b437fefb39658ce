// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/plan.h"

#include <algorithm>

namespace zt {

Result<PlanLine> lineFor(const Find& find, const StepTable& steps, std::string_view action,
                         const Marks& marks) {
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
  return line;
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
}  // namespace

PlannedGain plannedGain(const Plan& plan, const FindContext& context) {
  std::vector<Subject> freeing;
  std::vector<Subject> all;
  Bytes elsewhere = 0;  // of packages and the like
  for (const auto& line : plan.lines) {
    if (!line.enabled) continue;
    if (line.takesPart()) freeing.insert(freeing.end(), line.items.begin(), line.items.end());
    all.insert(all.end(), line.items.begin(), line.items.end());
    const bool neither = std::all_of(line.items.begin(), line.items.end(), [](const Subject& s) {
      return s.node == noNode && s.kind != SubjectKind::point;
    });
    if (neither) elsewhere += line.gain.atMost;
  }
  const GainBounds now = context.gainOf(freeing);
  return {now.sure, (all.size() == freeing.size() ? now.atMost : context.gainOf(all).atMost) + elsewhere};
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
  std::vector<NodeId> freeing;
  for (const auto& line : plan.lines)
    if (line.takesPart()) append(freeing, line);
  const std::vector<NodeId> outer = context.gain.outermost(freeing);
  std::vector<bool> counted(outer.size(), false);
  // What points hold together with files counts with the files, whichever stands first.
  GainModel::Sum sum(context.gain, pointsOf(plan, context));
  GainModel::Points before(context.points.kept(), false);
  Bytes freed = 0;
  std::vector<GainBounds> steps;
  for (const auto& line : plan.lines) {
    GainBounds adds;
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

Result<void> checkPoint(const FindContext& context, const Subject& item) {
  const auto point = context.pointOf(item);
  if (!point || context.points[*point].path != item.path) return fail(Errc::changed, "plan", item.path);
  const PointLock lock = context.points.lock(*point);
  if (lock == PointLock::mounted) return fail(Errc::inUse, "plan", item.path, std::string(name(lock)));
  if (lock == PointLock::newest) return fail(Errc::lastCopy, "plan", item.path, std::string(name(lock)));
  if (lock != PointLock::none) return fail(Errc::bedrock, "plan", item.path, std::string(name(lock)));
  return {};
}

/// The last state that stays of a series in folders is kept whole: it goes neither by itself, nor with what
/// it lies in, nor a part of it.
Result<void> checkMember(const FindContext& context, NodeId node, const PathBytes& path) {
  const PointLock lock = context.points.lockAround(context.tree, node);
  if (lock == PointLock::none) return {};
  return fail(Errc::lastCopy, "plan", path, std::string(name(lock)));
}

namespace {
/// The top of a subvolume goes only where it is known as a state that nobody has mounted or starts from.
bool mayGoWithItsTop(const FindContext& context, NodeId node) {
  if (context.survey.fsType != "btrfs" || node == 0 || context.survey.standIn) return true;
  if (!context.tree.isFolder(node) || context.tree.inode(node) != subvolumeTopInode) return true;
  const auto state = context.points.memberAt(node);
  return state && context.points.seriesOf(*state).walked &&
         context.points.lock(*state) == PointLock::writable && !context.points[*state].isDefault;
}
}  // namespace

Result<void> checkWhole(const FindContext& context, NodeId node, const PathBytes& path) {
  if (!mayGoWithItsTop(context, node)) return fail(Errc::otherDevice, "plan", path);
  if (!context.cannotGo(node)) return {};
  const SurveyTree& tree = context.tree;
  const auto in = [&](NodeId id) { return id != noNode && context.gain.beneath(id, node); };
  const auto refuse = [&](Errc code, NodeId by) {
    return fail(code, "plan", path, escapePath(tree.path(by)));
  };
  // A snapshot beneath it goes as what it is, or not at all.
  for (std::size_t i = 0; i < context.points.kept(); ++i)
    if (in(context.points[i].node)) return refuse(Errc::otherDevice, context.points[i].node);
  for (const SurveyException& e : context.survey.exceptions) {
    if (!in(e.node)) continue;
    // What was not seen cannot be compared, so it cannot go.
    if (e.kind == SurveyException::Kind::mountedOver) return refuse(Errc::inUse, e.node);
    if (e.kind == SurveyException::Kind::unreadable || e.kind == SurveyException::Kind::unanswered)
      return refuse(Errc::notPermitted, e.node);
  }
  for (NodeId id = node; id < tree.size(); ++id)
    if (tree.isFixed(id) && !tree.isGone(id) && in(id)) return refuse(Errc::notPermitted, id);
  return refuse(Errc::notPermitted, tree.parent(node));
}

bool marksLock(const Marks& marks, const FindContext& context, const Subject& item) {
  const auto i = context.pointOf(item);
  const NodeId node = i ? context.points[*i].node : noNode;
  return marks.locks(item.path) || (node != noNode && marks.locks(context.tree.path(node)));
}

Result<void> checkSeries(const PlanLine& line, const FindContext& context, const Marks& marks) {
  for (const Subject& item : line.items) {
    const bool point = item.kind == SubjectKind::point;
    auto may = point ? checkPoint(context, item) : checkMember(context, item.node, item.path);
    if (line.step->touches && !may) return may;
    if (point && marksLock(marks, context, item)) return fail(Errc::kept, "plan", item.path);
  }
  return {};
}

Result<void> checkLocks(const Plan& plan, const FindContext& context, const Marks& marks) {
  for (const PlanLine& line : plan.lines) {
    for (const Subject& item : line.items) {
      const bool entry = item.kind != SubjectKind::point;
      if (entry && line.step->touches && context.locked(item.path))
        return fail(Errc::bedrock, "plan", item.path);
      if (entry && marks.locks(item.path)) return fail(Errc::kept, "plan", item.path);
    }
    if (auto may = checkSeries(line, context, marks); !may) return may;
  }
  return {};
}

void reprice(Plan& plan, const FindContext& context) {
  for (PlanLine& line : plan.lines) {
    std::vector<NodeId> nodes;
    Judgement worst{Standing::spent, Regret::none};
    if (line.items.empty()) continue;
    if (line.items.front().kind == SubjectKind::point) {
      const bool received = std::any_of(line.items.begin(), line.items.end(), [&](const Subject& item) {
        const auto point = context.pointOf(item);
        return point && !context.points[*point].receivedUuid.empty();
      });
      line.standing = Standing::ownersCall;
      line.found = received ? Regret::personalGone : Regret::wayBack;
      const GainBounds bounds = context.gainOf(line.items);
      line.gain = line.step->gainOf(bounds.sure, bounds.atMost);
      continue;
    }
    if (line.items.front().kind != SubjectKind::entry) continue;
    for (Subject& item : line.items) {
      nodes.push_back(item.node);
      item.occupied = context.tree.weight(item.node);
      const Judgement own = context.strictest(item.node);
      worst.standing = std::min(worst.standing, own.standing);
      worst.regret = std::max(worst.regret, own.regret);
    }
    line.standing = worst.standing;
    line.found = worst.regret;
    const GainBounds bounds = context.gain.of(nodes);
    line.gain = line.step->gainOf(bounds.sure, bounds.atMost);
  }
}

Result<void> bind(Plan& plan, const SurveyTree& tree) {
  for (auto& line : plan.lines)
    for (auto& item : line.items) {
      const auto& subjects = line.step->subjects;
      if (std::find(subjects.begin(), subjects.end(), item.kind) == subjects.end())
        return fail(Errc::unknownStep, "plan", item.path, line.step->id);
      if (item.kind != SubjectKind::entry) continue;
      if (!plainRelative(item.path)) return fail(Errc::outsideRoot, "plan", item.path);
      const auto node = tree.find(item.path);
      if (!node) return fail(Errc::notThere, "plan", item.path);
      if (tree.identity(*node) != item.identity) return fail(Errc::changed, "plan", item.path);
      item.node = *node;
    }
  return {};
}

PlannedGain reaching(const CounterRise& rise, PlannedGain gain) {
  gain.sure = gain.sure / rise.of * std::min(rise.least, rise.of);
  gain.atMost = (gain.atMost + rise.of - 1) / rise.of * std::max(rise.most, rise.of);
  gain.refillKnown = rise.refill.has_value();
  gain.refills = std::min(rise.refill.value_or(gain.sure), gain.sure);
  gain.sure -= gain.refills;
  gain.atMost -= std::min(rise.refill.value_or(0), gain.atMost);
  if (gain.atMost > 0) gain.atMost += rise.follows;
  return gain;
}

std::vector<TargetOutlook> outlook(const std::vector<Target>& targets, Bytes free,
                                   const PlannedGain& planned) {
  std::vector<TargetOutlook> all;
  for (const Target& t : targets) {
    if (!t.chosen) continue;
    const SignedBytes over = surplus(t, free + planned.sure);
    all.push_back({t, over >= 0, over});
  }
  return all;
}

}  // namespace zt
