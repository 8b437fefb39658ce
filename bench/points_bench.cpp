// SPDX-License-Identifier: GPL-3.0-or-later
// Sums of sets: 2,000 points over 200,000 files, and a plan of 10,000 lines of which one changes.
#include <benchmark/benchmark.h>

#include <random>

#include "core/points/points.h"
#include "support/held_survey.h"

namespace {

using namespace zt;

/// Every point holds something alone, and something with each of its next neighbours; files hold some of it.
struct Series {
  static constexpr std::uint32_t points = 2'000, files = 200'000;
  test::HeldSurvey survey{1, files, points};
  GainModel gain{survey.survey->tree, survey.survey->holdings};
  PointModel model{*survey.survey, gain, 0};
};

const Series& series() {
  static const Series all;
  return all;
}

void sumOfAnySet(benchmark::State& state) {
  const Series& s = series();
  std::mt19937 random(3);
  GainModel::Points chosen(Series::points);
  for (auto _ : state) {
    const auto from = static_cast<std::uint32_t>(random() % Series::points);
    const auto to = static_cast<std::uint32_t>(random() % Series::points);
    for (std::uint32_t i = 0; i < Series::points; ++i) chosen[i] = i >= from && i <= to;
    benchmark::DoNotOptimize(s.model.of(chosen));
  }
}
BENCHMARK(sumOfAnySet)->Unit(benchmark::kMillisecond);

void anyPolicy(benchmark::State& state) {
  const Series& s = series();
  for (auto _ : state)
    for (const char* words : {"newest 3", "weekly", "share 5%"})
      benchmark::DoNotOptimize(pointsToGo(s.model, *parsePolicy(words), Bytes{1} << 40, 4'000 * nsPerDay));
}
BENCHMARK(anyPolicy)->Unit(benchmark::kMillisecond);

void oneLineOfTenThousand(benchmark::State& state) {
  const Series& s = series();
  GainModel::Sum sum(s.gain, GainModel::Points(Series::points, true));
  for (std::uint32_t i = 0; i < 10'000; ++i) sum.add(s.survey.files[i]);
  std::mt19937 random(4);
  for (auto _ : state) {
    const NodeId file = s.survey.files[random() % 10'000];
    benchmark::DoNotOptimize(sum.remove(file));
    benchmark::DoNotOptimize(sum.add(file));
  }
}
BENCHMARK(oneLineOfTenThousand)->Unit(benchmark::kMillisecond);

void whoKeepsBytes(benchmark::State& state) {
  const Series& s = series();
  std::mt19937 random(5);
  for (auto _ : state) {
    const NodeId file = s.survey.files[random() % s.survey.files.size()];
    benchmark::DoNotOptimize(s.gain.keepersOf({&file, 1}));
  }
}
BENCHMARK(whoKeepsBytes)->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
