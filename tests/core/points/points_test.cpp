// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/points/points.h"

#include <gtest/gtest.h>

#include "core/os/snapshots.h"
#include "core/survey/files/survey_codec.h"
#include "support/code_of.h"
#include "support/fakes.h"
#include "support/held_survey.h"
#include "support/memory_file_system.h"

namespace zt::test {
namespace {

/// A series of one day each, the first on a Thursday.
std::shared_ptr<Survey> seriesOf(std::uint32_t count, Bytes alone = 1000) {
  auto survey = std::make_shared<Survey>();
  auto h = std::make_shared<Holdings>();
  for (std::uint32_t i = 0; i < count; ++i) {
    Point p;
    p.id = 256 + i;
    p.originUuid = "origin";
    p.path = "p/" + std::to_string(i);
    p.taken = static_cast<TimeNs>(i) * nsPerDay + 3'600 * nsPerSecond;
    h->points.push_back(p);
  }
  for (std::uint32_t i = 0; i < count; ++i) h->outside.push_back({h->sets.of(i), alone, 16});
  for (std::uint32_t i = 0; i + 1 < count; ++i) h->outside.push_back({h->sets.of({{i, i + 2}}), 50, 0});
  survey->holdings = h;
  return survey;
}

std::vector<std::uint32_t> going(const PointModel& model, std::string_view policy, Bytes capacity = 100'000,
                                 TimeNs at = 100 * nsPerDay) {
  const auto parsed = parsePolicy(policy);
  EXPECT_TRUE(parsed) << policy;
  std::vector<std::uint32_t> all;
  const auto chosen = pointsToGo(model, *parsed, capacity, at);
  for (std::uint32_t i = 0; i < chosen.size(); ++i)
    if (chosen[i]) all.push_back(i);
  return all;
}

TEST(Points, SumsAreOfTheSet) {
  const auto survey = seriesOf(5);
  const PointModel model(*survey, GainModel(survey->tree, survey->holdings), 0);
  ASSERT_EQ(model.series().size(), 1u);
  EXPECT_EQ(model.own(2), 1000u);
  EXPECT_EQ(model.of({true, true, false, false, false}), (PointSum{2050, 32, true}));
  EXPECT_EQ(model.of({true, false, true, false, false}), (PointSum{2000, 32, true}));
  EXPECT_EQ(model.of({true, true, true, true, true}).frees, 5 * 1000u + 4 * 50u);
  const auto spans = model.spans(model.series()[0]);
  EXPECT_EQ(spans.size(), 9u);
  EXPECT_EQ(spans.front().bytes, 1000u);
  EXPECT_EQ(spans.back().last - spans.back().first, 1u);
}

TEST(Points, TheNewestAndWhatIsInUseStays) {
  auto survey = seriesOf(6);
  auto h = std::make_shared<Holdings>(*survey->holdings);
  h->points[1].mounted = true;
  h->points[2].isDefault = true;
  h->points[3].holdsOthers = true;
  survey->holdings = h;
  const PointModel model(*survey, GainModel(survey->tree, survey->holdings), 0);
  EXPECT_EQ(model.lock(0), PointLock::none);
  EXPECT_EQ(model.lock(1), PointLock::mounted);
  EXPECT_EQ(model.lock(2), PointLock::isDefault);
  EXPECT_EQ(model.lock(3), PointLock::holdsOthers);
  EXPECT_EQ(model.lock(5), PointLock::newest);
  EXPECT_EQ(going(model, "newest 1"), (std::vector<std::uint32_t>{0, 4}));
  EXPECT_EQ(going(model, "share 0%"), (std::vector<std::uint32_t>{0, 4}));
}

TEST(Points, PoliciesKeepWhatTheySay) {
  const auto survey = seriesOf(40);
  const PointModel model(*survey, GainModel(survey->tree, survey->holdings), 0);
  EXPECT_EQ(going(model, "newest 3").size(), 37u);
  EXPECT_EQ(going(model, "daily").size(), 0u);
  // 1 January 1970 was a Thursday: weeks begin with 4, 11, 18, 25, 32, 39; the newest of each stays.
  const auto weekly = going(model, "weekly");
  EXPECT_EQ(40 - weekly.size(), 7u);
  EXPECT_EQ(std::count(weekly.begin(), weekly.end(), 3u), 0) << "the last of its week";
  EXPECT_EQ(std::count(weekly.begin(), weekly.end(), 4u), 1);
  EXPECT_EQ(40 - going(model, "monthly").size(), 2u) << "January and February";
  EXPECT_EQ(going(model, "younger 70d").size(), 30u) << "of the hundredth day 70 before";
  // All hold 41,950 bytes; a tenth of 100,000 may stay.
  const auto share = going(model, "share 10%");
  GainModel::Points go(40, false);
  for (const auto i : share) go[i] = true;
  EXPECT_LE(41'950 - model.of(go).frees, 10'000u);
  go[share.back()] = false;
  EXPECT_GT(41'950 - model.of(go).frees, 10'000u) << "and no more go than need be";
  for (const char* wrong : {"", "newest", "newest 0", "newest x", "hourly", "share 200%", "younger 3"})
    EXPECT_FALSE(parsePolicy(wrong)) << wrong;
}

TEST(Points, ReceivedOnesAreASeriesOfTheirFolder) {
  auto survey = seriesOf(2);
  auto h = std::make_shared<Holdings>(*survey->holdings);
  for (auto& p : h->points) p.uuid = "u" + p.path, p.receivedUuid = "r" + p.path;
  h->points[1].originUuid = h->points[0].uuid;
  survey->holdings = h;
  const PointModel model(*survey, GainModel(survey->tree, survey->holdings), 0);
  ASSERT_EQ(model.series().size(), 1u);
  EXPECT_EQ(model.lock(0), PointLock::none);
  EXPECT_EQ(model.lock(1), PointLock::newest);
}

/// A clock that ran wrong: the file system's own numbers decide, and a date is only shown. By rules about
/// dates whatever does not agree with its neighbours stays, because nobody knows which clock was right.
TEST(Points, AreOrderedByTheFileSystemsNumbersWhateverTheirDatesSay) {
  auto survey = seriesOf(6);
  auto h = std::make_shared<Holdings>(*survey->holdings);
  h->points[1].taken = 365 * 61 * nsPerDay;  // 2031
  h->points[4].taken = 0;                    // 1970
  survey->holdings = h;
  const PointModel model(*survey, GainModel(survey->tree, survey->holdings), 0);
  EXPECT_EQ(model.series()[0].points, (std::vector<std::uint32_t>{0, 1, 2, 3, 4, 5}));
  EXPECT_EQ(model.lock(5), PointLock::newest);
  EXPECT_EQ(going(model, "newest 3"), (std::vector<std::uint32_t>{0, 1, 2}));
  EXPECT_EQ(going(model, "monthly"), std::vector<std::uint32_t>{});
  EXPECT_EQ(going(model, "younger 2d", 100'000, 30 * nsPerDay), std::vector<std::uint32_t>{});
  h = std::make_shared<Holdings>(*survey->holdings);
  h->points[4].taken = 4 * nsPerDay;
  survey->holdings = h;
  const PointModel mended(*survey, GainModel(survey->tree, survey->holdings), 0);
  EXPECT_EQ(going(mended, "younger 2d", 100'000, 30 * nsPerDay), std::vector<std::uint32_t>{0})
      << "before the wrong one";
}

/// Of two machines' backups in one folder each keeps its newest, whenever they came; what came whole belongs
/// to nobody for certain.
TEST(Points, WhatCameIsASeriesOfItsSender) {
  auto survey = seriesOf(8);
  auto h = std::make_shared<Holdings>(*survey->holdings);
  for (std::uint32_t i = 0; i < 8; ++i) {
    Point& p = h->points[i];
    p.uuid = "u" + std::to_string(i);
    p.receivedUuid = "r" + std::to_string(i);
    p.sent = 10 + i;
    p.originUuid = i < 2 ? "" : "u" + std::to_string(i - 2);  // by turns of two machines
  }
  h->points[7].originUuid = "";  // came whole
  survey->holdings = h;
  const PointModel model(*survey, GainModel(survey->tree, survey->holdings), 0);
  EXPECT_EQ(model.series().size(), 3u);
  for (const std::uint32_t newest : {5u, 6u, 7u}) EXPECT_EQ(model.lock(newest), PointLock::newest) << newest;
  for (const std::uint32_t older : {0u, 1u, 2u, 3u, 4u})
    EXPECT_EQ(model.lock(older), PointLock::none) << older;
  // An old state that is sent again comes last, and is not the newest for it.
  h = std::make_shared<Holdings>(*survey->holdings);
  h->points[6].sent = 3;
  survey->holdings = h;
  const PointModel again(*survey, GainModel(survey->tree, survey->holdings), 0);
  EXPECT_EQ(again.lock(4), PointLock::newest);
  EXPECT_EQ(again.lock(6), PointLock::none);
}

/// A job that is opened again knows the order as well as it did.
TEST(Points, TheirOrderIsKeptWithTheSurvey) {
  MemoryFileSystem files;
  files.add("a", "x");
  auto survey = surveyOf(borrowed(files), "/");
  auto h = std::make_shared<Holdings>();
  for (std::uint32_t i = 0; i < 3; ++i) {
    Point p;
    p.id = 256 + i;
    p.uuid = "u" + std::to_string(i);
    p.receivedUuid = "r";
    p.originUuid = i == 0 ? "" : "u0";
    p.sent = std::uint64_t{1} << (40 - i);
    h->points.push_back(p);
  }
  survey->holdings = h;
  const auto back = decodeSurvey(encodeSurvey(*survey));
  ASSERT_TRUE(back);
  ASSERT_TRUE((*back)->holdings);
  for (std::uint32_t i = 0; i < 3; ++i) EXPECT_EQ((*back)->holdings->points[i].sent, h->points[i].sent);
  const PointModel model(**back, GainModel((*back)->tree, (*back)->holdings), 0);
  EXPECT_EQ(model.series()[0].points, (std::vector<std::uint32_t>{2, 1, 0}));
}

TEST(Points, MadeUpOriginsThatLeadInCirclesAreBorne) {
  const std::vector<PointOrigin> circle{{1, "a", "b", "x", 1}, {2, "b", "a", "y", 2}};
  EXPECT_EQ(placesInSeries(circle).size(), 2u);
}

/// Whoever lets one go asks once more, by the same order.
TEST(Points, TheNewestIsNotLetGoHoweverItIsDated) {
  FakeSnapshots all;
  for (const std::uint64_t id : {256u, 257u, 258u}) all.add(id);
  all.all[0].made = 365 * 61 * nsPerDay;
  EXPECT_EQ(codeOf(checkDrop(all.all, all.all[2])), Errc::lastCopy);
  EXPECT_TRUE(checkDrop(all.all, all.all[0]));
}

TEST(Points, TwoThousandAreSummedAtOnce) {
  const HeldSurvey held(5, 50, 2000);
  const PointModel model(*held.survey, GainModel(held.survey->tree, held.survey->holdings), 0);
  GainModel::Points all(2000, true);
  Bytes sum = 0;
  for (const auto& e : held.extents)
    if (e.files.empty()) sum += e.bytes;
  EXPECT_EQ(model.of(all).frees, sum);
}

}  // namespace
}  // namespace zt::test
