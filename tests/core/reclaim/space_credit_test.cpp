// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/space_credit.h"

#include <gtest/gtest.h>

#include <numeric>
#include <random>

#include "support/fakes.h"
#include "support/memory_file_system.h"
#include "support/seed.h"

namespace zt::test {
namespace {

SignedBytes sumOf(const std::vector<SignedBytes>& shares) {
  return std::accumulate(shares.begin(), shares.end(), SignedBytes{0});
}

TEST(ShareOut, GivesEachItsOwnWhereAllCameAsSure) {
  const GainBounds among[] = {{100, 100}, {0, 50}, {300, 300}};
  EXPECT_EQ(shareOut(400, among), (std::vector<SignedBytes>{100, 0, 300}));
}

TEST(ShareOut, GivesWhatWasAtMostToThoseThatCouldGiveIt) {
  const GainBounds among[] = {{100, 100}, {0, 50}, {0, 150}};
  EXPECT_EQ(shareOut(200, among), (std::vector<SignedBytes>{100, 25, 75}));
  EXPECT_EQ(shareOut(300, among), (std::vector<SignedBytes>{100, 50, 150}));
}

TEST(ShareOut, HasNothingToGiveAmongNone) {
  EXPECT_TRUE(shareOut(500, {}).empty());
  const GainBounds none[] = {{0, 0}, {0, 0}};
  EXPECT_EQ(sumOf(shareOut(500, none)), 0);
}

TEST(ShareOut, AlwaysSumsToTheRise) {
  const auto seed = drawSeed();
  SCOPED_TRACE("seed " + std::to_string(seed));
  std::mt19937_64 random(seed);
  for (int round = 0; round < 2000; ++round) {
    std::vector<GainBounds> among(1 + random() % 8);
    for (auto& g : among) {
      g.sure = random() % 3 == 0 ? 0 : random() % (Bytes{1} << 40);
      g.atMost = g.sure + (random() % 2 == 0 ? 0 : random() % (Bytes{1} << 40));
    }
    among[0].atMost += 1;
    const auto rose = static_cast<SignedBytes>(random() % (Bytes{1} << 44)) - (SignedBytes{1} << 42);
    ASSERT_EQ(sumOf(shareOut(rose, among)), rose);
  }
}

/// A file system that frees behind one's back: the counter rises a while after the work.
class Late final : public ForwardingFileSystem {
public:
  using ForwardingFileSystem::ForwardingFileSystem;
  Result<SpaceUsage> usage(const Folder& at) override {
    auto usage = inner_.usage(at);
    if (usage && reads_++ < 5) usage->available -= 1000 * (5 - static_cast<Bytes>(reads_));
    return usage;
  }

private:
  int reads_ = 0;
};

TEST(SpaceLedger, WaitsUntilTheCounterStands) {
  const auto memory = std::make_shared<MemoryFileSystem>();
  memory->add("a", std::string(9000, 'x'));
  Late late(memory);
  auto ledger = SpaceLedger::begin(late, late.openRoot("/").value(), std::chrono::seconds(9)).value();
  ledger.ended(std::vector<GainBounds>{{3000, 3000}, {1000, 1000}});
  ledger.settle();
  ASSERT_EQ(ledger.shares().size(), 2u);
  EXPECT_EQ(sumOf(ledger.shares()), static_cast<SignedBytes>(ledger.last() - ledger.first()));
  EXPECT_EQ(ledger.last(), memory->usage(*memory->openRoot("/").value())->available);
}

}  // namespace
}  // namespace zt::test
