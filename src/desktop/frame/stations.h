// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "desktop/stations/bench/bench_station.h"
#include "desktop/stations/finds/finds_station.h"
#include "desktop/stations/plan/plan_station.h"
#include "desktop/stations/proof/proof_station.h"
#include "desktop/stations/reclaim/reclaim_station.h"
#include "desktop/stations/survey/survey_station.h"

namespace zt::desktop {

/// The six stations, by name and in the order of the work.
struct Stations {
  BenchStation* bench = nullptr;
  SurveyStation* survey = nullptr;
  FindsStation* finds = nullptr;
  PlanStation* plan = nullptr;
  ReclaimStation* reclaim = nullptr;
  ProofStation* proof = nullptr;
  QList<Station*> all;
};

}  // namespace zt::desktop
