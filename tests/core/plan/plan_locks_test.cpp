// SPDX-License-Identifier: GPL-3.0-or-later
// What may be planned and proposed, by each rule alone.
#include <gtest/gtest.h>

#include "core/plan/proposer.h"
#include "support/code_of.h"
#include "support/planned.h"

namespace zt::test {
namespace {

struct PlanLocks : ::testing::Test {
  PlanLocks() {
    files.add("usr/bin/sh", std::string(9000, 's'));
    files.add("home/w/doc", std::string(9000, 'd'));
    files.add("home/w/box/one", std::string(9000, '1'));
    files.add("home/w/box/two", std::string(9000, '2'));
    m = std::make_unique<Measured>(borrowed(files), "/", true);
  }
  Find spent(const PathBytes& path) const {
    Find find = pickedFind(*m->context, m->survey->tree.find(path).value());
    find.standing = find.judged = Standing::spent;
    find.regret = Regret::none;
    find.offers = {{"discard", {}, {}, {}}};
    find.id = FindContext::findId("leftovers", path, AgeBand::today);
    priceOffers(find, m->craft->steps);
    return find;
  }
  MemoryFileSystem files;
  std::unique_ptr<Measured> m;
};

TEST_F(PlanLocks, WhatIsKeptAndWhatTheSystemNeedsIsInNoPlan) {
  Plan plan;
  plan.lines.push_back(m->line("home/w/box"));
  Marks none;
  EXPECT_EQ(codeOf(checkLocks(plan, *m->context, none)), std::nullopt);
  Marks kept;
  kept.set("home/w/box/two", Mark::keep);
  EXPECT_EQ(codeOf(checkLocks(plan, *m->context, kept)), Errc::kept);
  plan.lines[0].items[0].path = "usr/bin/sh";
  plan.lines[0].items[0].node = *m->survey->tree.find("usr/bin/sh");
  EXPECT_EQ(codeOf(checkLocks(plan, *m->context, none)), Errc::bedrock);
}

TEST_F(PlanLocks, WhatTwoLinesShareCountsWithTheFirst) {
  Plan plan;
  plan.lines.push_back(m->line("home/w/box"));
  plan.lines.push_back(m->line("home/w/box/one"));
  const auto gains = stepGains(plan, *m->context);
  ASSERT_EQ(gains.size(), 2u);
  EXPECT_GT(gains[0].sure, 0u);
  EXPECT_EQ(gains[1].sure, 0u);
  plan.lines[1] = plan.lines[0];
  plan.lines[1].id = "again";
  EXPECT_EQ(stepGains(plan, *m->context)[1].sure, 0u);
  EXPECT_EQ(plannedGain(plan, *m->context).sure, gains[0].sure);
}

TEST_F(PlanLocks, WhatIsKeptOrNotNowIsNotProposed) {
  const Find find = spent("home/w/box");
  Marks marks;
  EXPECT_TRUE(mayPropose(find, marks));
  marks.set("home/w/box", Mark::notNow);
  EXPECT_FALSE(mayPropose(find, marks));
  Marks kept;
  kept.set("home/w/box/one", Mark::keep);
  EXPECT_FALSE(mayPropose(find, kept));
}

TEST_F(PlanLocks, WholesAndPartsAreNotMixed) {
  const std::vector<Find> finds{spent("home/w/box"), spent("home/w/box/one"), spent("home/w/doc")};
  const Proposal proposal = propose(finds, 40'000, *m->context, m->craft->steps, {}, {});
  std::set<PathBytes> paths;
  for (const PlanLine& line : proposal.plan.lines)
    for (const Subject& item : line.items) EXPECT_TRUE(paths.insert(item.path).second) << item.path;
  for (const PathBytes& a : paths)
    for (const PathBytes& b : paths) EXPECT_FALSE(beneath(a, b)) << a << " in " << b;
  EXPECT_EQ(paths.size(), 2u) << "the whole, and what is beside it";
}

}  // namespace
}  // namespace zt::test
