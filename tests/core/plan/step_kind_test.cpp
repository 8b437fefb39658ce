// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/step_kind.h"

#include <gtest/gtest.h>

#include "support/planned.h"

namespace zt::test {
namespace {

/// What nobody can do here and now does not come free now.
TEST(StepKind, WhatIsClosedComesLaterIfAtAll) {
  const auto craft = builtInCraft();
  Find find;
  find.standing = Standing::bedrock;
  find.gain = {9000, 9000, GainTime::now};
  find.offers = {{"discard", {}, {}, {}}, {"hold", {}, {}, {}}};
  priceOffers(find, craft->steps);
  EXPECT_TRUE(find.offers.empty());
  EXPECT_EQ(find.gain.when, GainTime::later);
  Find open;
  open.standing = Standing::unjudged;
  open.gain = {9000, 9000, GainTime::now};
  open.offers = {{"discard", {}, {}, {}}};
  priceOffers(open, craft->steps);
  EXPECT_EQ(open.gain.when, GainTime::now);
}

/// A kind that somebody else added and that asks for no rights.
TEST(StepKind, WhatIsOthersIsClosedToAKindThatAsksForNoRights) {
  StepTable steps = builtInCraft()->steps;
  StepKind kind;
  kind.id = "ferry";
  steps.add(kind);
  Find find;
  find.standing = Standing::unjudged;
  find.facts.push_back({"needs-rights", std::uint64_t{1}});
  find.offers = {{"ferry", {}, {}, {}}, {"transfer", {}, {}, {}}, {"share", {}, {}, {}}};
  priceOffers(find, steps);
  ASSERT_EQ(find.offers.size(), 2u);
  EXPECT_EQ(find.offers[0].action, "transfer");
  ASSERT_EQ(find.closed.size(), 1u);
  EXPECT_EQ(find.closed[0].action, "ferry");
  EXPECT_EQ(find.closed[0].conditions.at(0), "fixed");
}

}  // namespace
}  // namespace zt::test
