// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/run_so_far.h"

#include <algorithm>

#include "core/finds/subject_type.h"

namespace zt::desktop {

void RunSoFar::take(const RunProgress& progress) {
  lines[progress.line.line] = progress.line;
  atWork = progress.atWork ? progress.line.line : std::string();
  if (progress.free > 0) free = progress.free;
  inHand = progress.wentOfItem;
}

Bytes RunSoFar::freed() const {
  Bytes sum = 0;
  for (const auto& [id, outcome] : lines) sum += outcome.freed.sure;
  return sum;
}

Bytes RunSoFar::toCome() const {
  const Bytes gone = freed();
  return gone < promised ? promised - gone : 0;
}

double RunSoFar::share() const {
  if (promised == 0) return 2;
  return std::min(1.0, static_cast<double>(freed() + inHand) / static_cast<double>(promised));
}

double RunSoFar::secondsLeft(TimeNs now) const {
  const Bytes gone = freed();
  const double spent = static_cast<double>(now - since) / static_cast<double>(nsPerSecond);
  if (gone == 0 || spent < 2) return 0;
  return spent * static_cast<double>(toCome()) / static_cast<double>(gone);
}

RunSoFar beginningOf(const JobView& view, std::set<std::string> waiting, TimeNs now) {
  RunSoFar run;
  run.since = now;
  run.freeBefore = run.free = view.free;
  for (std::size_t i = 0; i < view.plan.lines.size(); ++i)
    if (view.plan.lines[i].takesPart() && !waiting.contains(view.plan.lines[i].id))
      run.promised += view.adds[i].sure;
  run.promised = std::min(run.promised, view.planned.sure);  // some of it may fill up what is kept back
  run.waiting = std::move(waiting);
  return run;
}

DrivePicture duringRun(DrivePicture picture, const JobView& view, const RunSoFar& run) {
  picture.running = true;
  picture.free = run.free;
  picture.planned = {run.toCome(), std::max(run.toCome(), picture.planned.atMost), 0, true};
  for (const PlanLine& line : view.plan.lines) {
    const auto outcome = run.lines.find(line.id);
    if (outcome == run.lines.end()) continue;
    const bool points = !line.items.empty() && typeOf(line.items.front()).isLayerOfItsOwn();
    const auto stratum = static_cast<std::size_t>(line.standing);
    const Bytes gone = outcome->second.freed.atMost;
    for (Bytes* from : {points ? &picture.points : &picture.strata[stratum],
                        points ? &picture.plannedPoints : &picture.plannedFrom[stratum]})
      *from -= std::min(*from, gone);
  }
  return picture;
}

}  // namespace zt::desktop
