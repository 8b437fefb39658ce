// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/path_bytes.h"
#include "core/base/path_set.h"
#include "support/seed.h"

#include <gtest/gtest.h>

#include <random>

namespace zt {
namespace {

TEST(EscapePath, LeavesOrdinaryUtf8Alone) {
  for (const char* name : {"report-final.odt", "Möwe/eisvogel", "日本語.txt", " leading", "🐦"}) {
    EXPECT_EQ(escapePath(name), name);
    EXPECT_FALSE(needsEscape(name));
  }
}

TEST(EscapePath, ShowsWhatCouldDeceive) {
  EXPECT_EQ(escapePath("line\nbreak"), "line\\x0abreak");
  EXPECT_EQ(escapePath("\xE9t\xE9"), "\\xe9t\\xe9");
  EXPECT_EQ(escapePath("\u202Efdp"), "\\xe2\\x80\\xaefdp");
  EXPECT_EQ(escapePath("back\\slash"), "back\\x5cslash");
  EXPECT_EQ(escapePath("\xC0\xAF"), "\\xc0\\xaf");           // overlong
  EXPECT_EQ(escapePath("\xED\xA0\x80"), "\\xed\\xa0\\x80");  // surrogate
}

TEST(EscapePath, ComesBackExactlyForAnyBytes) {
  const auto seed = zt::test::drawSeed();
  std::mt19937 random(seed);
  for (int round = 0; round < 2000; ++round) {
    std::string bytes(random() % 60, '\0');
    for (char& c : bytes) c = static_cast<char>(random() % 255 + 1);
    ASSERT_EQ(unescapePath(escapePath(bytes)), bytes) << "seed " << seed;
  }
}

TEST(SplitPath, KeepsDotsForTheGuard) {
  EXPECT_EQ(splitPath("a//b/../c/."), (std::vector<std::string_view>{"a", "b", "..", "c", "."}));
  EXPECT_TRUE(splitPath("///").empty());
}

TEST(JoinPath, PutsOneSlash) {
  EXPECT_EQ(joinPath("", "a"), "a");
  EXPECT_EQ(joinPath("a", ""), "a");
  EXPECT_EQ(joinPath("/", "a"), "/a");
  EXPECT_EQ(joinPath("a", "b"), "a/b");
}

TEST(ParentPath, AndBaseName) {
  EXPECT_EQ(parentPath("a/b/c"), "a/b");
  EXPECT_EQ(parentPath("a"), "");
  EXPECT_EQ(baseName("a/b/c"), "c");
}

TEST(Beneath, NeedsAWholePart) {
  EXPECT_TRUE(beneath("a/b", "a"));
  EXPECT_TRUE(beneath("a", ""));
  EXPECT_FALSE(beneath("ab", "a"));
  EXPECT_FALSE(beneath("a", "a"));
}

TEST(PathSets, KnowWhatLiesAtInAndAbove) {
  const PathSet set({"a/b", "a-b", "c"});
  for (const char* path : {"a/b", "a/b/x", "a", "c/d/e", "a-b"}) EXPECT_TRUE(set.touches(path)) << path;
  for (const char* path : {"a/bb", "a/c", "b", "a-", "cc"}) EXPECT_FALSE(set.touches(path)) << path;
  EXPECT_TRUE(set.covers("a/b/x"));
  EXPECT_FALSE(set.covers("a"));
  EXPECT_TRUE(set.anyIn("a"));
  EXPECT_FALSE(set.anyIn("a/b"));
  EXPECT_TRUE(set.anyIn(""));
  EXPECT_FALSE(PathSet().touches("a"));
}

}  // namespace
}  // namespace zt
