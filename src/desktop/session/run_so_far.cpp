// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/run_so_far.h"

namespace zt::desktop {

void RunSoFar::take(const RunProgress& progress) {
  lines[progress.line.line] = progress.line;
  atWork = progress.atWork ? progress.line.line : std::string();
  if (progress.free > 0) free = progress.free;
}

Bytes RunSoFar::freed() const {
  Bytes sum = 0;
  for (const auto& [id, outcome] : lines) sum += outcome.freed.sure;
  return sum;
}

Bytes RunSoFar::toCome(const JobView& view) const {
  const Bytes all = view.planned.sure, gone = freed();
  return gone < all ? all - gone : 0;
}

double RunSoFar::secondsLeft(const JobView& view, TimeNs now) const {
  const Bytes gone = freed();
  if (gone == 0 || now <= since || view.planned.sure == 0) return 0;
  const double spent = static_cast<double>(now - since) / static_cast<double>(nsPerSecond);
  if (spent < 2) return 0;
  return spent * static_cast<double>(toCome(view)) / static_cast<double>(gone);
}

DrivePicture duringRun(DrivePicture picture, const JobView& view, const RunSoFar& run) {
  picture.running = true;
  picture.free = run.free;
  picture.planned = {run.toCome(view), std::max(run.toCome(view), picture.planned.atMost), 0, true};
  for (const PlanLine& line : view.plan.lines) {
    const auto outcome = run.lines.find(line.id);
    if (outcome == run.lines.end()) continue;
    const bool points = !line.items.empty() && line.items.front().kind == SubjectKind::point;
    const auto stratum = static_cast<std::size_t>(line.standing);
    const Bytes gone = outcome->second.freed.atMost;
    for (Bytes* from : {points ? &picture.points : &picture.strata[stratum],
                        points ? &picture.plannedPoints : &picture.plannedFrom[stratum]})
      *from -= std::min(*from, gone);
  }
  return picture;
}

}  // namespace zt::desktop
