// SPDX-License-Identifier: GPL-3.0-or-later
// Names against patterns, with fnmatch(3) as the judge.
#include <fnmatch.h>
#include <gtest/gtest.h>

#include <random>

#include "core/catalogue/name_pattern.h"
#include "support/seed.h"

namespace zt::test {
namespace {

TEST(NamePatterns, FitAsFnmatchSays) {
  std::mt19937_64 random(drawSeed());
  const auto any = [&](std::initializer_list<const char*> parts) {
    return std::string(parts.begin()[random() % parts.size()]);
  };
  int fits = 0;
  for (int i = 0; i < 200'000; ++i) {
    std::string pattern, name;
    for (auto left = random() % 6; left > 0; --left)
      pattern += any({"a", "b", "*", "?", "[ab]", "[!a]", "[^b]", "[a-c]", "[]x]", ".", "\\*", "[a-]", "*"});
    for (auto left = random() % 6; left > 0; --left) name += any({"a", "b", "c", ".", "x", "-", "]", "*"});
    const bool said = ::fnmatch(pattern.c_str(), name.c_str(), 0) == 0;
    fits += said;
    ASSERT_EQ(globFits(pattern, name), said) << pattern << " " << name;
  }
  EXPECT_GT(fits, 5'000);
}

TEST(NamePatterns, NamesNeedBeInNoCharacterSet) {
  EXPECT_TRUE(globFits("?\xFF*", "\xC3\xFFzz"));
  EXPECT_TRUE(globFits("[\x80-\xFF]x", "\xE9x"));
  EXPECT_FALSE(globFits("*.[0-9]", "syslog.gz"));
}

}  // namespace
}  // namespace zt::test
