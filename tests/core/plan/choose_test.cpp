// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <random>

#include "core/plan/choose.h"
#include "support/seed.h"

namespace zt::test {
namespace {

ChoiceProblem drawProblem(std::mt19937& random, std::uint32_t size) {
  ChoiceProblem p;
  Bytes all = 0;
  for (std::uint32_t i = 0; i < size; ++i) {
    const std::uint64_t regret = random() % 3 == 0 ? 0 : random() % 1000;
    p.things.push_back({random() % 1000, {regret, 1 + random() % 5}, random() % 4 != 0});
    all += p.things.back().gain;
  }
  const auto any = [&] { return static_cast<std::uint32_t>(random() % size); };
  for (auto n = random() % 4; n > 0; --n)
    if (const auto a = any(), b = any(); a != b) p.needs.emplace_back(a, b);
  for (auto n = random() % 4; n > 0; --n)
    if (const auto a = any(), b = any(); a != b) p.excludes.emplace_back(a, b);
  for (auto n = random() % 3; n > 0; --n) {
    ChoiceProblem::Together t{{any()}, random() % 2000};
    for (auto m = 1 + random() % 2; m > 0; --m)
      if (const auto i = any(); std::find(t.things.begin(), t.things.end(), i) == t.things.end())
        t.things.push_back(i);
    if (t.things.size() > 1) p.together.push_back(t);
  }
  p.need = random() % (all / 2 + 1);
  p.needForNow = random() % 2 == 0 ? 0 : p.need + random() % (all / 3 + 1);
  return p;
}

/// The least cost over all subsets; nothing where none reaches.
std::optional<ChoiceCost> byTryingAll(const ChoiceProblem& p) {
  std::optional<ChoiceCost> least;
  const std::size_t size = p.things.size();
  for (std::uint32_t bits = 0; bits < 1u << size; ++bits) {
    std::vector<bool> taken(size);
    for (std::size_t i = 0; i < size; ++i) taken[i] = (bits >> i & 1) != 0;
    if (!p.allows(taken) || !p.reaches(taken)) continue;
    if (const ChoiceCost cost = p.costOf(taken); !least || cost < *least) least = cost;
  }
  return least;
}

TEST(Choose, IsWhatTryingAllSubsetsGives) {
  const auto seed = drawSeed();
  std::mt19937 random(seed);
  int reached = 0;
  for (int round = 0; round < 2000; ++round) {
    SCOPED_TRACE("seed " + std::to_string(seed) + " round " + std::to_string(round));
    const ChoiceProblem p = drawProblem(random, static_cast<std::uint32_t>(2 + random() % 7));
    const auto least = byTryingAll(p);
    const Chosen chosen = choose(p);
    ASSERT_EQ(chosen.reaches, least.has_value());
    if (!least) continue;
    ++reached;
    ASSERT_TRUE(p.allows(chosen.taken) && p.reaches(chosen.taken));
    ASSERT_EQ(chosen.cost, *least);
    ASSERT_TRUE(chosen.optimal);
    ASSERT_EQ(chosen.gap, 0);
  }
  EXPECT_GT(reached, 500);
}

TEST(Choose, StaysNearTheBoundOnManyThings) {
  std::mt19937_64 random(5);
  ChoiceProblem p;
  Bytes all = 0;
  for (std::uint32_t i = 0; i < 100'000; ++i) {
    const Bytes gain = 4096 + random() % 10'000'000;
    p.things.push_back({gain, {gain / 1024 * (1 + random() % 100), 1 + random() % 3}, random() % 10 != 0});
    all += gain;
  }
  for (std::uint32_t i = 0; i + 1 < 2000; i += 2) p.excludes.emplace_back(i, i + 1);
  p.need = all / 3;
  p.needForNow = all / 2;
  const Chosen chosen = choose(p);
  EXPECT_TRUE(chosen.reaches && p.allows(chosen.taken) && p.reaches(chosen.taken));
  EXPECT_LE(chosen.gap, 0.001);
  // What comes only together weakens the bound: a tenth of all in threes.
  for (std::uint32_t i = 2000; i + 2 < 12'000; i += 3) p.together.push_back({{i, i + 1, i + 2}, 1'000'000});
  const Chosen joined = choose(p);
  EXPECT_TRUE(joined.reaches && p.allows(joined.taken) && p.reaches(joined.taken));
  EXPECT_LE(joined.gap, 0.02);
}

TEST(Choose, TakesAllThatHelpsWhereNothingReaches) {
  ChoiceProblem p;
  p.things = {{10, {1, 1}, true}, {20, {5, 1}, true}, {0, {0, 1}, true}};
  p.excludes = {{0, 1}};
  p.need = 100;
  const Chosen chosen = choose(p);
  EXPECT_FALSE(chosen.reaches);
  EXPECT_TRUE(p.allows(chosen.taken));
  EXPECT_FALSE(chosen.taken[2]);
}

}  // namespace
}  // namespace zt::test
