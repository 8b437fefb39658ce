// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/job_view.h"

#include <unistd.h>

#include <absl/container/flat_hash_set.h>

#include <algorithm>

#include "core/finds/subject_type.h"
#include "core/plan/line_conditions.h"

namespace zt::desktop {

DrivePicture JobView::picture() const {
  DrivePicture p;
  p.shown = open;
  p.measured = survey != nullptr;
  p.wholeDrive = !survey || survey->wholeDrive;
  p.drive = drive;
  p.targets = targets;
  p.free = free;
  p.freeAt = freeAt;
  p.stale = stale;
  p.planned = planned;
  p.strata = strata;
  p.plannedFrom = plannedFrom;
  p.points = points;
  p.plannedPoints = plannedPoints;
  p.foreignPoints = context && context->points.kept() > 0 && context->points[0].foreign;
  return p;
}

Bytes JobView::shortfall() const {
  const Target* target = hardest(targets);
  return target != nullptr && target->bytes > free ? target->bytes - free : 0;
}

namespace {

using Strata = std::array<Bytes, standings>;

Bytes& stratum(Strata& strata, Standing standing) {
  return strata[static_cast<std::size_t>(standing)];
}

/// Occupied bytes by standing; an inode with several names counts where its first name lies.
Strata strataOf(const FindContext& c) {
  Strata sums{};
  for (NodeId id = 0; id < c.tree.size(); ++id)
    if (!c.tree.isLinked(id)) stratum(sums, c.standing[id]) += c.tree.occupied(id);
  std::uint32_t next = 0;
  for (const LinkedNode& link : c.tree.linked())
    if (link.group == next) {
      stratum(sums, c.standing[link.node]) += c.tree.occupied(link.node);
      ++next;
    }
  return sums;
}

/// What points hold and no file does; unknown is nothing.
Bytes heldByPoints(const FindContext& c) {
  return c.points.of(GainModel::Points(c.points.kept(), true)).frees;
}

/// Takes what runs have freed since the survey out of the strata it came from, so that the Level sinks where
/// something went.
void lowerStrata(Job& job, JobView& v) {
  const auto freed = job.runs().freedSince(v.survey->finished);
  if (!freed) return;
  absl::flat_hash_set<PathBytes> points;
  for (std::size_t i = 0; i < v.context->points.kept(); ++i) points.insert(v.context->points[i].path);
  for (const auto& [path, bytes] : *freed)
    if (points.contains(path))
      v.points -= std::min(v.points, bytes);
    else if (const auto node = v.survey->tree.find(path)) {
      Bytes& in = stratum(v.strata, v.context->standing[*node]);
      in -= std::min(in, bytes);
    }
}

Ladder ladderOfAll(const FindList& finds, const FindContext& context, const Marks& marks) {
  std::vector<const Find*> all;
  all.reserve(finds.size());
  for (const Find& f : finds) all.push_back(&f);
  return ladderOf(all, context, marks);
}

void fillSurvey(Job& job, const JobView& before, JobView& v) {
  const bool same = before.survey == v.survey;
  v.composition = same ? before.composition : std::make_shared<const Composition>(v.context);
  v.strata = same && !before.stale ? before.strata : strataOf(*v.context);
  v.points = same && !before.stale ? before.points : heldByPoints(*v.context);
  if (v.stale) lowerStrata(job, v);
  v.adds = stepGains(v.plan, *v.context);
  for (const PlanLine& line : v.plan.lines)
    v.conditions.push_back(conditionsOf(line, *v.context, ::geteuid()));
  v.planned = job.planBook().planned();
  if (same && before.evidence) {
    v.evidence = before.evidence;
  } else {
    // Looking for namesakes is a pass over all names: not for the thread that draws.
    std::vector<const Find*> all;
    for (const Find& f : *v.finds) all.push_back(&f);
    v.evidence = std::make_shared<const EvidenceDesk>(*v.context, all, ::geteuid());
  }
  const bool sameFinds = same && before.finds == v.finds && before.marks == v.marks;
  v.ladder = sameFinds ? before.ladder : ladderOfAll(*v.finds, *v.context, v.marks);
  for (std::size_t i = 0; i < v.plan.lines.size(); ++i) {
    const PlanLine& line = v.plan.lines[i];
    const bool drops = !line.items.empty() && typeOf(line.items.front()).isLayerOfItsOwn();
    (drops ? v.plannedPoints : stratum(v.plannedFrom, line.standing)) += v.adds[i].sure;
  }
}

}  // namespace

JobView viewOf(Job& job, const JobView& before) {
  JobView v;
  v.open = true;
  v.drive = job.site().drive();
  v.root = job.site().root();
  v.files = job.site().files();
  v.file = job.store().path();
  v.targets = job.planBook().targets();
  v.survey = job.surveys().survey();
  v.context = job.surveys().context();
  if (job.surveys().finds()) v.finds = job.surveys().finds();
  v.problems = job.surveys().problems();
  v.marks = job.planBook().marks();
  v.plan = job.planBook().plan();
  v.left = job.planBook().left();
  v.free = job.reading().free;
  v.freeAt = job.reading().when;
  v.stale = job.reading().stale;
  v.closed = job.site().closed();
  v.rightsProblem = job.measurer().rightsProblem();
  v.consent = job.consent(true);
  v.report = job.runs().lastReport();
  v.proof = job.runs().proof();
  v.cutShort = job.cutShort();
  if (!v.plan.lines.empty())
    v.seesAllOpenFiles = before.plan.lines.empty() ? job.site().seesAllOpenFiles() : before.seesAllOpenFiles;
  if (auto held = job.runs().held()) v.held = std::move(*held);
  if (auto away = job.runs().elsewhere()) v.elsewhere = std::move(*away);
  if (auto open = job.runs().loans()) v.loans = std::move(*open);
  if (v.context) fillSurvey(job, before, v);
  return v;
}

}  // namespace zt::desktop
