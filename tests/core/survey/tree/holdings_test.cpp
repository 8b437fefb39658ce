// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/tree/holdings.h"

#include <gtest/gtest.h>

#include <set>

#include "core/survey/files/holdings_codec.h"
#include "core/survey/files/survey_codec.h"
#include "core/survey/measure/shared_extents.h"
#include "core/survey/tree/gain_model.h"
#include "support/fakes.h"
#include "support/held_survey.h"
#include "support/memory_file_system.h"
#include "support/seed.h"

namespace zt::test {
namespace {

/// By hand: an extent comes free if nobody is left who holds it.
GainBounds counted(const HeldSurvey& s, const std::set<std::size_t>& files, const std::vector<bool>& points) {
  GainBounds sum;
  for (const std::size_t f : files) sum += {s.own[f], s.own[f]};
  for (const auto& e : s.extents) {
    const bool all =
        std::all_of(e.files.begin(), e.files.end(), [&](std::size_t f) { return files.contains(f); });
    const bool outside =
        std::all_of(e.outside.begin(), e.outside.end(), [&](std::uint32_t p) { return bool{points[p]}; });
    if (all && outside) sum.sure += e.bytes;
    if (all && (outside || !e.files.empty())) sum.atMost += e.bytes;
  }
  return sum;
}

TEST(Holdings, GainsAgreeWithPlainCounting) {
  const unsigned first = drawSeed();
  for (unsigned seed = first; seed < first + 20; ++seed) {
    SCOPED_TRACE("seed " + std::to_string(seed));
    std::mt19937_64 random(seed);
    const HeldSurvey s(seed, 40, 6);
    const GainModel gain(s.survey->tree, s.survey->holdings);
    for (int round = 0; round < 20; ++round) {
      std::set<std::size_t> going;
      std::vector<NodeId> nodes;
      for (std::size_t f = 0; f < s.files.size(); ++f)
        if (random() % 3 == 0) going.insert(f), nodes.push_back(s.files[f]);
      if (random() % 2 == 0) {
        const NodeId folder = s.folders[random() % s.folders.size()];
        nodes.push_back(folder);
        for (std::size_t f = 0; f < s.files.size(); ++f)
          if (s.survey->tree.parent(s.files[f]) == folder) going.insert(f);
      }
      std::vector<bool> points(6);
      for (std::size_t p = 0; p < points.size(); ++p) points[p] = random() % 2 == 0;
      EXPECT_EQ(gain.of(nodes, points), counted(s, going, points));
    }
  }
}

TEST(Holdings, SayWhoKeepsBytes) {
  const HeldSurvey s(7, 30, 4);
  const GainModel gain(s.survey->tree, s.survey->holdings);
  for (std::size_t f = 0; f < s.files.size(); ++f) {
    const std::array<NodeId, 1> one{s.files[f]};
    const auto keepers = gain.keepersOf(one);
    const GainBounds now = gain.of(one);
    EXPECT_EQ(now.sure + keepers.byPoints + keepers.byFiles, s.survey->tree.occupied(s.files[f]));
    EXPECT_EQ(gain.of(one, keepers.points).sure,
              now.sure + keepers.byPoints + (keepers.points.empty() ? 0 : gain.of({}, keepers.points).sure));
    EXPECT_EQ(keepers.byFiles > 0, !keepers.files.empty());
  }
}

/// Taking one away costs what adding it did and leaves what was never added: nothing else is worked out anew.
TEST(Holdings, SumsGoBothWays) {
  const unsigned seed = drawSeed();
  SCOPED_TRACE("seed " + std::to_string(seed));
  std::mt19937_64 random(seed);
  const HeldSurvey s(seed, 60, 5);
  absl::flat_hash_set<NodeId> open{s.files[3], s.files[17]};
  const GainModel gain(s.survey->tree, s.survey->holdings, open);
  const GainModel::Points points{true, true, false, true, false};
  GainModel::Sum sum(gain, points);
  GainBounds so = sum.ofPoints();
  std::set<NodeId> in;
  for (int step = 0; step < 500; ++step) {
    const NodeId file = s.files[random() % s.files.size()];
    if (in.insert(file).second) {
      so += sum.add(file);
    } else {
      in.erase(file);
      const GainBounds less = sum.remove(file);
      so.sure -= less.sure;
      so.atMost -= less.atMost;
    }
    const std::vector<NodeId> all(in.begin(), in.end());
    ASSERT_EQ(so, gain.of(all, points)) << step;
  }
}

TEST(Holdings, WhatIsHeldOpenComesLater) {
  const HeldSurvey s(5, 30, 3);
  const GainModel plain(s.survey->tree, s.survey->holdings);
  for (const NodeId file : s.files) {
    const GainModel gain(s.survey->tree, s.survey->holdings, {file});
    const std::array<NodeId, 1> one{file};
    EXPECT_EQ(gain.of(one).sure, 0u);
    EXPECT_EQ(gain.of(one).atMost, plain.of(one).atMost);
    // What others hold together with it does not come free either.
    const GainBounds all = gain.of(s.files), was = plain.of(s.files);
    EXPECT_LE(all.sure + s.survey->tree.occupied(file), was.sure + s.survey->tree.occupied(file));
    EXPECT_LE(all.sure, was.sure);
    EXPECT_EQ(all.atMost, was.atMost);
  }
}

/// What a file system tells that lies: stretches without end, or beyond all numbers, everything on
/// everything.
TEST(Holdings, LyingMapsPromiseNothing) {
  class Liar final : public ForwardingFileSystem {
  public:
    using ForwardingFileSystem::ForwardingFileSystem;
    Result<ExtentFacts> extents(const Folder&, std::string_view) override {
      return ExtentFacts{true, false, 4096};
    }
    Result<std::vector<FileExtent>> fileMap(const Folder&, std::string_view name) override {
      const auto i = static_cast<Bytes>(name.back() - '0');
      FileExtent e{0, 4096 * i, Bytes{1} << 40, true, true, true};
      if (i == 1) e.place = ~Bytes{0} - 100;
      if (i == 2) e.bytes = ~Bytes{0};
      if (i == 3) e.bytes = 0;
      std::vector<FileExtent> all{e};
      if (i == 4) all.assign(100'000, FileExtent{0, 0, 4096, true, true, true});
      if (i == 5) all = {{0, 0, 4096, true, true, true}};
      return all;
    }
  };
  auto files = std::make_shared<MemoryFileSystem>();
  for (int i = 0; i < 8; ++i) files->add("f" + std::to_string(i), std::string(5000, 'x'));
  const auto asked = std::make_shared<SharedExtents>(std::make_shared<Liar>(files), BlockSharing::asked);
  const auto survey = surveyOf(asked, "/");
  const HoldingsPtr holdings = asked->holdings(survey->tree, nullptr, true);
  const GainModel gain(survey->tree, holdings);
  Bytes used = survey->tree.occupied(0);
  for (NodeId id = 1; id < survey->tree.size(); ++id) {
    const std::array<NodeId, 1> one{id};
    EXPECT_LE(gain.of(one).sure, survey->tree.occupied(id));
    EXPECT_LE(gain.of(one).atMost, survey->tree.occupied(id));
    used += survey->tree.occupied(id);
  }
  EXPECT_LE(gain.of(std::array<NodeId, 1>{0}).atMost, used);
  // Overlapping beyond any measure: said, and nothing filled in.
  std::vector<HeldStretch> all;
  for (Bytes i = 0; i < 12'000; ++i) all.push_back({static_cast<NodeId>(i + 1), i, 12'000});
  Holdings h;
  EXPECT_FALSE(holdStretches(h, std::move(all), true));
  EXPECT_TRUE(h.extents.empty());
  EXPECT_EQ(blockSharing("fuse.anything"), BlockSharing::unknown) << "whoever answers there is anybody";
}

TEST(Holdings, CutStretchesWhereOthersBegin) {
  Holdings h;
  // 1 holds 0–100, 2 holds 50–150, 3 holds 120–130.
  holdStretches(h, {{1, 0, 100}, {2, 50, 100}, {3, 120, 10}, {1, 0, 100}}, true);
  std::map<std::pair<Bytes, Bytes>, std::uint32_t> holders;
  for (const auto& e : h.extents) holders[{e.place, e.bytes}] = e.files;
  const std::map<std::pair<Bytes, Bytes>, std::uint32_t> expected{
      {{0, 50}, 1}, {{50, 50}, 2}, {{100, 20}, 1}, {{120, 10}, 2}, {{130, 20}, 1}};
  EXPECT_EQ(holders, expected);
  EXPECT_EQ(h.countedTwice(), 60u);
  for (const auto& e : h.extents)
    EXPECT_EQ(e.outside != NumberSets::none, e.files == 1) << "somebody else was said to hold it";
  holdStretches(h, {{1, 0, 100}, {2, 0, 100}}, false);
  EXPECT_NE(h.extents.at(0).outside, NumberSets::none) << "there may be others that were not seen";
}

TEST(Holdings, AreKeptWithTheSurvey) {
  const HeldSurvey s(11, 60, 9);
  const auto pieces = encodeSurvey(*s.survey);
  const auto back = decodeSurvey(pieces);
  ASSERT_TRUE(back);
  ASSERT_TRUE((*back)->holdings);
  const Holdings& h = *(*back)->holdings;
  ASSERT_EQ(h.points.size(), 9u);
  EXPECT_EQ(h.points[3].path, "points/p3");
  EXPECT_EQ(h.points[3].taken, 4 * nsPerDay);
  const GainModel before(s.survey->tree, s.survey->holdings), after((*back)->tree, (*back)->holdings);
  std::mt19937_64 random(3);
  for (int round = 0; round < 30; ++round) {
    std::vector<NodeId> nodes, again;
    for (const NodeId f : s.files)
      if (random() % 2 == 0) {
        nodes.push_back(f);
        again.push_back(*(*back)->tree.find(s.survey->tree.path(f)));
      }
    std::vector<bool> points(9);
    for (std::size_t p = 0; p < points.size(); ++p) points[p] = random() % 3 != 0;
    EXPECT_EQ(after.of(again, points), before.of(nodes, points));
  }
}

/// Whatever the bytes say: a clear no, or holdings that hold together.
TEST(Holdings, BrokenOnesAreRefused) {
  const HeldSurvey s(13, 30, 5);
  std::vector<NodeId> numbers(s.survey->tree.size());
  for (NodeId id = 0; id < numbers.size(); ++id) numbers[id] = id;
  const std::string good = encodeHoldings(*s.survey->holdings, numbers);
  ASSERT_TRUE(decodeHoldings(good, s.survey->tree));
  std::mt19937_64 random(17);
  for (std::size_t cut = 0; cut < good.size(); cut += 7)
    EXPECT_FALSE(decodeHoldings(std::string_view(good).substr(0, cut), s.survey->tree));
  int kept = 0;
  for (int i = 0; i < 3000; ++i) {
    std::string bad = good;
    for (int k = 0; k < 3; ++k) bad[random() % bad.size()] = static_cast<char>(random());
    const auto read = decodeHoldings(bad, s.survey->tree);
    if (!read) continue;
    ++kept;
    const GainModel gain(s.survey->tree, read);
    const std::array<NodeId, 1> all{0};
    EXPECT_LE(gain.of(all).sure, gain.of(all).atMost);
  }
  EXPECT_LT(kept, 3000);
}

}  // namespace
}  // namespace zt::test
