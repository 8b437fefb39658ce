// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/history/trend.h"

#include <gtest/gtest.h>

#include <cmath>
#include <cstdio>
#include <random>

#include "support/seed.h"

namespace zt::test {
namespace {

constexpr TimeNs day = nsPerDay;
constexpr TimeNs start = 20'000 * day;
constexpr Bytes GB = 1'000'000'000;

std::vector<FreeReading> weekly(int weeks, SignedBytes aWeek) {
  std::vector<FreeReading> all;
  for (int i = 0; i < weeks; ++i)
    all.push_back(
        {start + i * 7 * day, static_cast<Bytes>(static_cast<SignedBytes>(100 * GB) + i * aWeek), 0});
  return all;
}

TEST(Trend, SaysWhyThereIsNone) {
  EXPECT_EQ(trendOf({}, start).lacks, Trend::Lacks::visits);
  EXPECT_EQ(trendOf(weekly(2, -1), start + 100 * day).lacks, Trend::Lacks::visits);
  EXPECT_EQ(trendOf({{start, 5, 0}, {start + 1, 4, 0}, {start + 2, 3, 0}}, start + day).lacks,
            Trend::Lacks::visits)
      << "three visits on one day are one";
  EXPECT_EQ(trendOf({{start, 5, 0}, {start + day, 4, 0}, {start + 2 * day, 3, 0}}, start + 3 * day).lacks,
            Trend::Lacks::time);
}

TEST(Trend, OfAStraightLineIsThatLine) {
  const Trend t = trendOf(weekly(5, -7 * static_cast<SignedBytes>(GB)), start + 100 * day);
  ASSERT_EQ(t.lacks, Trend::Lacks::nothing);
  EXPECT_NEAR(t.perDay, -1e9, 1);
  EXPECT_NEAR(t.spread, 0, 1);
  const Forecast full = whenAt(t, 0);
  ASSERT_TRUE(full.likely);
  EXPECT_NEAR(static_cast<double>(*full.likely - t.last) / day, 72, 0.01);
  EXPECT_TRUE(whenAt(t, 90 * GB).below);
}

TEST(Trend, OneOddVisitDoesNotBendIt) {
  auto all = weekly(9, -static_cast<SignedBytes>(GB));
  all[4].free += 80 * GB;
  EXPECT_NEAR(trendOf(all, start + 100 * day).perDay, -1e9 / 7, 2e7);
}

TEST(Trend, WhatWeMadeFreeIsNotTheUsersDoing) {
  auto all = weekly(6, -static_cast<SignedBytes>(GB));
  for (std::size_t i = 3; i < all.size(); ++i) all[i].free += 50 * GB;
  all[3].given = 50 * GB;
  const Trend t = trendOf(all, start + 100 * day);
  EXPECT_NEAR(t.perDay, -1e9 / 7, 1);
  EXPECT_EQ(t.free, all.back().free) << "what is free is what is free";
}

TEST(Trend, VisitsOfTimesToComeAreLeftOut) {
  auto all = weekly(4, -static_cast<SignedBytes>(GB));
  all.push_back({start + 4000 * day, 1, 0});
  const Trend t = trendOf(all, start + 30 * day);
  EXPECT_EQ(t.leftOut, 1u);
  EXPECT_NEAR(t.perDay, -1e9 / 7, 1);
}

TEST(Trend, AGrowingOneIsNeverFull) {
  const Trend t = trendOf(weekly(5, static_cast<SignedBytes>(GB)), start + 100 * day);
  const Forecast f = whenAt(t, 0);
  EXPECT_FALSE(f.likely || f.earliest || f.latest || f.below);
}

/// Households that grow by chance: the day on which the drive is really full lies within the interval in nine
/// of ten.
TEST(Trend, TheDayLiesWithinTheInterval) {
  const unsigned seed = drawSeed();
  std::mt19937 random(seed);
  int within = 0;
  constexpr int rounds = 2'000;
  for (int i = 0; i < rounds; ++i) {
    std::normal_distribution<double> grows(0.25e9 + 0.01e9 * (i % 50), 0.5e9);
    double free = 150e9;
    std::vector<FreeReading> all;
    for (int d = 0; d < 84; ++d) {
      free -= grows(random);
      if (d % 7 == 0) all.push_back({start + d * day, static_cast<Bytes>(free), 0});
    }
    const Trend t = trendOf(all, start + 90 * day);
    const Forecast f = whenAt(t, 20 * GB);
    free = static_cast<double>(all.back().free);
    TimeNs real = all.back().when;
    while (free > 20e9) free -= grows(random), real += day;
    within += f.earliest && *f.earliest <= real + day && (!f.latest || *f.latest >= real - day);
  }
  std::printf("%d of %d within\n", within, rounds);
  EXPECT_GE(within, rounds * 9 / 10) << "seed " << seed;
}

}  // namespace
}  // namespace zt::test
