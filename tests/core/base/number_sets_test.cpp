// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/number_sets.h"
#include "support/seed.h"

#include <gtest/gtest.h>

#include <random>
#include <set>

namespace zt {
namespace {

std::set<std::uint32_t> plain(const NumberSets& sets, NumberSets::Id id) {
  std::set<std::uint32_t> all;
  for (const auto& run : sets.runs(id))
    for (std::uint32_t n = run.from; n < run.to; ++n) all.insert(n);
  return all;
}

TEST(NumberSets, AgreeWithPlainSets) {
  const unsigned seed = zt::test::drawSeed();
  SCOPED_TRACE("seed " + std::to_string(seed));
  std::mt19937 random(seed);
  NumberSets sets;
  std::vector<std::pair<NumberSets::Id, std::set<std::uint32_t>>> all{{NumberSets::none, {}}};
  for (int i = 0; i < 500; ++i) {
    if (random() % 3 == 0) {
      const auto n = static_cast<std::uint32_t>(random() % 40);
      all.emplace_back(sets.of(n), std::set<std::uint32_t>{n});
      continue;
    }
    const auto& a = all[random() % all.size()];
    const auto& b = all[random() % all.size()];
    std::set<std::uint32_t> both = a.second;
    both.insert(b.second.begin(), b.second.end());
    all.emplace_back(sets.join(a.first, b.first), std::move(both));
  }
  std::vector<bool> chosen(40);
  for (std::size_t n = 0; n < chosen.size(); ++n) chosen[n] = random() % 2 == 0;
  const NumberSets::Chosen asked(chosen);
  for (const auto& [id, numbers] : all) {
    EXPECT_EQ(plain(sets, id), numbers);
    EXPECT_EQ(sets.count(id), numbers.size());
    const auto in = [&](std::uint32_t n) { return bool{chosen[n]}; };
    EXPECT_EQ(asked.all(sets, id), std::all_of(numbers.begin(), numbers.end(), in));
    EXPECT_EQ(asked.any(sets, id), std::any_of(numbers.begin(), numbers.end(), in));
    for (const auto& [other, same] : all) EXPECT_EQ(id == other, numbers == same) << "each set is kept once";
  }
}

TEST(NumberSets, NumbersBeyondTheChosenAreNotChosen) {
  NumberSets sets;
  const NumberSets::Chosen few(std::vector<bool>{true, true});
  EXPECT_TRUE(few.all(sets, sets.of({{0, 2}})));
  EXPECT_FALSE(few.all(sets, sets.of({{1, 3}})));
  EXPECT_FALSE(few.any(sets, sets.of({{2, 9}})));
  EXPECT_TRUE(few.all(sets, NumberSets::none));
  const NumberSets::Chosen nobody({});
  EXPECT_FALSE(nobody.all(sets, sets.of(0)));
}

}  // namespace
}  // namespace zt
