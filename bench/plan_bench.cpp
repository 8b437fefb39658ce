// SPDX-License-Identifier: GPL-3.0-or-later
// The plan bound: 100,000 things, a third of their sum needed for good, half of it for a while.
#include <benchmark/benchmark.h>

#include <algorithm>
#include <numeric>
#include <random>

#include "core/plan/choose.h"

namespace {

void choiceOfManyThings(benchmark::State& state) {
  std::mt19937_64 random(20);
  zt::ChoiceProblem problem;
  zt::Bytes all = 0;
  for (std::int64_t i = 0; i < state.range(0); ++i) {
    const zt::Bytes gain = 4'096 + random() % 10'000'000;
    problem.things.push_back(
        {gain, {gain / 1024 * (1 + random() % 100), 1 + random() % 3}, random() % 10 != 0});
    all += gain;
  }
  problem.need = all / 3;
  problem.needForNow = all / 2;
  double gap = 0;
  for (auto _ : state) gap = zt::choose(problem).gap;
  state.counters["gap"] = gap;
}
BENCHMARK(choiceOfManyThings)->Arg(1'000)->Arg(100'000)->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
