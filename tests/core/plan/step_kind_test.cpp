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

}  // namespace
}  // namespace zt::test
