// SPDX-License-Identifier: GPL-3.0-or-later
// The plan bound: 100,000 amounts, a third of their sum needed.
#include <benchmark/benchmark.h>

#include <algorithm>
#include <numeric>
#include <random>

#include "core/plan/proposer.h"

namespace {

void coverOfManyAmounts(benchmark::State& state) {
  std::mt19937_64 random(20);
  std::vector<zt::Bytes> amounts(static_cast<std::size_t>(state.range(0)));
  for (auto& a : amounts) a = 1'000 + random() % 10'000'000;
  std::sort(amounts.rbegin(), amounts.rend());
  const zt::Bytes need = std::accumulate(amounts.begin(), amounts.end(), zt::Bytes{0}) / 3;
  double gap = 0;
  for (auto _ : state) {
    zt::Bytes sum = 0;
    for (const auto i : zt::coverTightly(amounts, need)) sum += amounts[i];
    gap = static_cast<double>(sum - need) / static_cast<double>(need);
  }
  state.counters["gap"] = gap;
}
BENCHMARK(coverOfManyAmounts)->Arg(1'000)->Arg(100'000)->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
