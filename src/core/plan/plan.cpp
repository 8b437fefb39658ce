// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/plan.h"

#include <absl/container/flat_hash_set.h>

#include <algorithm>

namespace zt {

std::string_view name(StepAction action) {
  return action == StepAction::discard ? "discard" : "hold";
}

void setAction(PlanLine& line, StepAction action, Regret discardRegret) {
  line.action = action;
  line.regret = action == StepAction::hold ? Regret::personalMoved : discardRegret;
  line.gain.when = action == StepAction::hold ? GainTime::onRelease : GainTime::now;
  line.gain.sure = action == StepAction::hold ? 0 : line.gain.atMost;
}

Result<PlanLine> lineFor(const Find& find, StepAction action) {
  if (find.standing == Standing::bedrock)
    return fail(Errc::bedrock, "plan", find.items.empty() ? "" : find.items[0].path);
  PlanLine line;
  line.id = find.id;
  line.kind = find.kind;
  line.standing = find.standing;
  line.gain = find.gain;
  line.place = find.place;
  line.band = find.band;
  for (const FindItem& item : find.items)
    line.items.push_back({item.path, item.identity, item.occupied, item.node});
  setAction(line, action, find.regret);
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

PlannedGain plannedGain(const Plan& plan, const SetGain& gain) {
  std::vector<NodeId> discards;
  std::vector<NodeId> all;
  for (const auto& line : plan.lines) {
    if (!line.enabled) continue;
    if (line.action == StepAction::discard) append(discards, line);
    append(all, line);
  }
  const Bytes sure = gain.of(discards);
  return {sure, all.size() == discards.size() ? sure : gain.of(all)};
}

std::vector<NodeId> outermostItems(const Plan& plan, const SetGain& gain) {
  std::vector<NodeId> all;
  for (const auto& line : plan.lines)
    if (line.enabled) append(all, line);
  return gain.outermost(all);
}

Result<void> checkConflicts(const Plan& plan, const SurveyTree& tree) {
  absl::flat_hash_set<NodeId> held;
  absl::flat_hash_set<NodeId> aboveHeld;
  for (const auto& line : plan.lines)
    if (line.enabled && line.action == StepAction::hold)
      for (const auto& item : line.items) {
        held.insert(item.node);
        for (NodeId up = tree.parent(item.node); up != noNode && aboveHeld.insert(up).second;)
          up = tree.parent(up);
      }
  if (held.empty()) return {};
  for (const auto& line : plan.lines)
    if (line.enabled && line.action == StepAction::discard)
      for (const auto& item : line.items) {
        bool clash = aboveHeld.contains(item.node);
        for (NodeId up = item.node; up != noNode && !clash; up = tree.parent(up)) clash = held.contains(up);
        if (clash) return fail(Errc::conflict, "plan", item.path);
      }
  return {};
}

std::vector<Bytes> stepGains(const Plan& plan, const SetGain& gain) {
  const std::vector<NodeId> outer = outermostItems(plan, gain);
  std::vector<Bytes> steps;
  std::vector<NodeId> nodes;
  Bytes before = 0;
  for (const auto& line : plan.lines) {
    if (line.enabled && line.action == StepAction::discard)
      for (const auto& item : line.items)
        if (std::binary_search(outer.begin(), outer.end(), item.node)) nodes.push_back(item.node);
    const Bytes now = gain.of(nodes);
    steps.push_back(now - before);
    before = now;
  }
  return steps;
}

bool plainRelative(std::string_view path) {
  if (path.empty() || path.front() == '/' || path.back() == '/' || path.find('\0') != std::string_view::npos)
    return false;
  if (path.find("//") != std::string_view::npos) return false;
  for (const auto part : splitPath(path))
    if (part == "." || part == ".." || part.size() > 255) return false;
  return true;
}

Result<void> bind(Plan& plan, const SurveyTree& tree) {
  for (auto& line : plan.lines)
    for (auto& item : line.items) {
      if (!plainRelative(item.path)) return fail(Errc::outsideRoot, "plan", item.path);
      const auto node = tree.find(item.path);
      if (!node) return fail(Errc::notThere, "plan", item.path);
      if (tree.identity(*node) != item.identity) return fail(Errc::changed, "plan", item.path);
      item.node = *node;
    }
  return {};
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
