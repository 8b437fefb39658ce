// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/frame/stations.h"

#include <algorithm>

#include "desktop/stations/bench/bench_station.h"
#include "desktop/stations/finds/finds_station.h"
#include "desktop/stations/plan/plan_station.h"
#include "desktop/stations/proof/proof_station.h"
#include "desktop/stations/reclaim/reclaim_station.h"
#include "desktop/stations/survey/survey_station.h"

namespace zt::desktop {

namespace {
template <class S>
Station* made(const StationTools& tools, QWidget* parent) {
  return new S(tools.session, tools.prompter, parent);
}
Station* madeBench(const StationTools& tools, QWidget* parent) {
  return new BenchStation(tools.session, tools.drives, tools.prompter, parent);
}
}  // namespace

StationTable builtInStations() {
  return {
      {benchStation, QT_TRANSLATE_NOOP("Station", "Bench"), QT_TRANSLATE_NOOP("Station", "&Bench"), "target",
       madeBench},
      {surveyStation, QT_TRANSLATE_NOOP("Station", "Survey"), QT_TRANSLATE_NOOP("Station", "&Survey"),
       "statement", made<SurveyStation>},
      {findsStation, QT_TRANSLATE_NOOP("Station", "Finds"), QT_TRANSLATE_NOOP("Station", "&Finds"),
       "standing", made<FindsStation>},
      {planStation, QT_TRANSLATE_NOOP("Station", "Plan"), QT_TRANSLATE_NOOP("Station", "&Plan"), "plan",
       made<PlanStation>},
      {reclaimStation, QT_TRANSLATE_NOOP("Station", "Reclaim"), QT_TRANSLATE_NOOP("Station", "&Reclaim"),
       "consent", made<ReclaimStation>},
      {proofStation, QT_TRANSLATE_NOOP("Station", "Proof"), QT_TRANSLATE_NOOP("Station", "P&roof"), "proof",
       made<ProofStation>},
  };
}

Stations::Stations(StationTable table, const StationTools& tools, QWidget* parent)
    : table_(std::move(table)) {
  for (const StationKind& kind : table_) all_.append(kind.make(tools, parent));
}

int Stations::indexOf(std::string_view id) const {
  const auto at =
      std::find_if(table_.begin(), table_.end(), [&](const StationKind& k) { return k.id == id; });
  return at == table_.end() ? -1 : static_cast<int>(at - table_.begin());
}

}  // namespace zt::desktop
