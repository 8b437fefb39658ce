// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/tree/gain_model.h"

#include <gtest/gtest.h>

#include <map>
#include <random>

#include "support/fakes.h"
#include "support/memory_file_system.h"
#include "support/seed.h"

namespace zt::test {
namespace {

/// What comes free if a set goes, by plain counting.
Bytes plainGain(const SurveyTree& tree, const std::vector<NodeId>& set) {
  std::map<std::uint64_t, int> all;
  std::map<std::uint64_t, std::pair<int, Bytes>> going;
  for (NodeId id = 0; id < tree.size(); ++id) {
    ++all[tree.inode(id)];
    const bool goes = std::any_of(set.begin(), set.end(), [&](NodeId s) { return tree.isBeneath(id, s); });
    if (goes) ++going[tree.inode(id)].first, going[tree.inode(id)].second = tree.occupied(id);
  }
  Bytes sum = 0;
  for (const auto& [inode, g] : going) sum += g.first == all[inode] ? g.second : 0;
  return sum;
}

TEST(GainModel, AgreesWithPlainCountingOnRandomSets) {
  const auto seed = drawSeed();
  SCOPED_TRACE("seed " + std::to_string(seed));
  std::mt19937 random(seed);
  for (int round = 0; round < 60; ++round) {
    MemoryFileSystem files;
    std::vector<std::string> folders{""};
    std::vector<std::string> names;
    for (int i = 0; i < 30; ++i) {
      const std::string path = folders[random() % folders.size()] + "/n" + std::to_string(i);
      const auto what = random() % 5;
      if (what == 0) {
        files.add(path + "/");
        folders.push_back(path);
      } else if (what < 3 && !names.empty()) {
        files.link(names[random() % names.size()], path);
        names.push_back(path);
      } else {
        files.add(path, std::string(random() % 20'000, 'x'));
        names.push_back(path);
      }
    }
    const auto survey = surveyOf(borrowed(files), "/");
    const GainModel gain(survey->tree);
    for (int trial = 0; trial < 20; ++trial) {
      std::vector<NodeId> set;
      for (unsigned n = random() % 8; n > 0; --n)
        set.push_back(static_cast<NodeId>(random() % survey->tree.size()));
      const Bytes plain = plainGain(survey->tree, set);
      ASSERT_EQ(gain.of(set), (GainBounds{plain, plain}));
      GainModel::Sum sum(gain);
      GainBounds added;
      for (const NodeId id : gain.outermost(set)) added += sum.add(id);
      ASSERT_EQ(added, gain.of(set)) << "what each adds sums to all";
    }
  }
}

TEST(GainModel, IsNeverLessThanItsParts) {
  MemoryFileSystem files;
  files.add("a/x", std::string(5000, 'x'));
  files.add("b/");
  files.link("a/x", "b/y");
  const auto survey = surveyOf(borrowed(files), "/");
  const GainModel gain(survey->tree);
  const NodeId a = *survey->tree.find("a");
  const NodeId b = *survey->tree.find("b");
  const NodeId both[] = {a, b};
  EXPECT_GE(gain.of(both).sure, gain.of(std::span(&a, 1)).sure + gain.of(std::span(&b, 1)).sure);
}

TEST(GainModel, KeepsOnlyTheOutermost) {
  MemoryFileSystem files;
  files.add("a/b/c", "x");
  files.add("d", "x");
  const auto survey = surveyOf(borrowed(files), "/");
  const GainModel gain(survey->tree);
  const auto at = [&](const char* path) { return *survey->tree.find(path); };
  const std::vector<NodeId> given{at("a/b/c"), at("d"), at("a"), at("d"), at("a/b")};
  std::vector<NodeId> expected{at("a"), at("d")};
  std::sort(expected.begin(), expected.end());
  EXPECT_EQ(gain.outermost(given), expected);
  EXPECT_TRUE(gain.outermost({}).empty());
  EXPECT_EQ(gain.of({}), GainBounds{});
}

TEST(GainModel, IsNeverSureOfWhatOthersMayHoldToo) {
  MemoryFileSystem files;
  files.add("a/own", std::string(8000, 'x'));
  files.add("a/shared", std::string(40'000, 'x'))->stat.mayShare = true;
  const auto survey = surveyOf(borrowed(files), "/");
  const GainModel gain(survey->tree);
  const NodeId shared[] = {*survey->tree.find("a/shared")};
  EXPECT_EQ(gain.of(shared), (GainBounds{0, 40'960}));
  const NodeId all[] = {*survey->tree.find("a")};
  EXPECT_EQ(gain.of(all), (GainBounds{8192 + 4096, 8192 + 4096 + 40'960}));
}

TEST(ChildIndex, FindsByNameAndSaysWhenThereIsNone) {
  MemoryFileSystem files;
  for (int i = 0; i < 1000; ++i) files.add("d/f" + std::to_string(i));
  files.add("empty/");
  const auto survey = surveyOf(borrowed(files), "/");
  const ChildIndex index(survey->tree, *survey->tree.find("d"));
  EXPECT_EQ(index.size(), 1000u);
  EXPECT_EQ(survey->tree.path(index.find("f777")), "d/f777");
  EXPECT_EQ(index.find("f1000"), noNode);
  EXPECT_EQ(survey->tree.find("d/f777"), index.find("f777")) << "a path through a wide folder";
  EXPECT_FALSE(survey->tree.find("d/f1000"));
  EXPECT_EQ(ChildIndex(survey->tree, *survey->tree.find("empty")).size(), 0u);
}

TEST(SurveyTree, FindsPathsAndTellsWhatLiesBeneath) {
  MemoryFileSystem files;
  files.add("a/b/c", "x");
  files.add("ab", "x");
  const auto survey = surveyOf(borrowed(files), "/");
  const SurveyTree& t = survey->tree;
  EXPECT_EQ(t.find("").value(), 0u);
  EXPECT_FALSE(t.find("a/none"));
  EXPECT_FALSE(t.find("ab/c"));
  EXPECT_TRUE(t.isBeneath(*t.find("a/b/c"), *t.find("a")));
  EXPECT_FALSE(t.isBeneath(*t.find("ab"), *t.find("a")));
  EXPECT_EQ(t.path(0), "");
  EXPECT_EQ(t.path(*t.find("a/b/c")), "a/b/c");
}

TEST(SurveyTree, KeepsSizesOverTwoTerabytes) {
  MemoryFileSystem files;
  const auto node = files.add("huge", "x");
  node->stat.length = Bytes{9} << 40;
  node->stat.occupied = (Bytes{9} << 40) + 4096;
  const auto survey = surveyOf(borrowed(files), "/");
  EXPECT_EQ(survey->tree.occupied(*survey->tree.find("huge")), (Bytes{9} << 40) + 4096);
  EXPECT_EQ(survey->tree.totals(0).length, Bytes{9} << 40);
}

TEST(SurveyTree, KeepsOwnersApart) {
  MemoryFileSystem files;
  for (std::uint32_t i = 0; i < 300; ++i) files.add("f" + std::to_string(i), "x")->stat.owner = 5000 + i;
  const auto survey = surveyOf(borrowed(files), "/", 4);
  for (std::uint32_t i = 0; i < 300; ++i)
    EXPECT_EQ(survey->tree.owner(*survey->tree.find("f" + std::to_string(i))), 5000 + i);
}

}  // namespace
}  // namespace zt::test
