// SPDX-License-Identifier: GPL-3.0-or-later
// Folders that share their files: which are a series, in which order, what stays, and what any set holds.
#include "core/points/linked_series.h"

#include <gtest/gtest.h>

#include <random>
#include <set>

#include "core/plan/proposer.h"
#include "core/points/points.h"
#include "core/points/series_name.h"
#include "support/code_of.h"
#include "support/planned.h"
#include "support/seed.h"

namespace zt::test {
namespace {

constexpr TimeNs today = 20'000 * nsPerDay;

TEST(SeriesNames, HoldADateOrANumber) {
  const auto date = [](std::string_view name) {
    const auto found = seriesName(name);
    return found && found->date ? *found->date / nsPerSecond : -1;
  };
  EXPECT_EQ(date("2024-01-05"), 1'704'412'800);
  EXPECT_EQ(date("backup_20240105"), 1'704'412'800);
  EXPECT_EQ(date("20240105T1030"), 1'704'412'800 + 10 * 3600 + 30 * 60);
  EXPECT_EQ(date("2024-01-05_10-30-59.full"), 1'704'412'800 + 10 * 3600 + 30 * 60 + 59);
  EXPECT_EQ(date("3-2024-01-05"), 1'704'412'800) << "what stands before it is no part of it";
  for (const char* none : {"2024-13-01", "2024-02-30", "2023-02-29", "18991231", "2024-1", "x"})
    EXPECT_EQ(date(none), -1) << none;
  EXPECT_EQ(seriesName("daily.7")->number, 7u);
  EXPECT_EQ(seriesName("daily.12")->shape, seriesName("daily.7")->shape);
  EXPECT_NE(seriesName("weekly.7")->shape, seriesName("daily.7")->shape);
  for (const char* none : {"", "photos", "2024-13-01", "a1b2", "1234567890123"})
    EXPECT_FALSE(seriesName(none)) << none;
}

struct LinkedFolders : ::testing::Test {
  void add(const std::string& path, std::size_t size, int days) {
    drive->add(path, std::string(size, 'x'));
    drive->age(path, today - days * nsPerDay);
  }
  /// A state with so many files, of which those from `from` on are the inodes of another one.
  void state(const std::string& name, int days, const std::string& same = {}, int files = 4,
             int changed = 1) {
    for (int i = 0; i < files; ++i) {
      const std::string file = "/in/f" + std::to_string(i);
      if (!same.empty() && i >= changed)
        drive->link(same + file, name + file);
      else
        add(name + file, 1000, days);
    }
    drive->age(name, today - days * nsPerDay);
    drive->age(name + "/in", today - days * nsPerDay);
  }
  std::vector<LinkedSeries> find() {
    survey = surveyOf(drive, "/");
    return findLinkedSeries(survey->tree, today);
  }
  std::vector<std::string> names(const LinkedSeries& series) const {
    std::vector<std::string> all;
    for (const auto& m : series.members)
      all.push_back(PathBytes(survey->tree.name(m.node)) + (m.stays ? "!" : ""));
    return all;
  }
  using Names = std::vector<std::string>;
  std::shared_ptr<MemoryFileSystem> drive = std::make_shared<MemoryFileSystem>();
  std::shared_ptr<Survey> survey;
};

TEST_F(LinkedFolders, AreOneByDatesWithAGap) {
  state("b/2020-01-01", 900);
  state("b/2020-01-02", 899, "b/2020-01-01");
  state("b/2020-03-09", 800, "b/2020-01-02");
  state("b/2020-03-10", 799, "b/2020-03-09");
  // Dates, but no shared files; shared files, but no date; and a day that is none.
  state("b/2020-04-01", 700);
  state("b/same", 799, "b/2020-03-10");
  state("b/2020-13-41", 799, "b/2020-03-10");
  const auto all = find();
  ASSERT_EQ(all.size(), 1u);
  EXPECT_EQ(names(all[0]), (Names{"2020-01-01", "2020-01-02", "2020-03-09", "2020-03-10!"}));
}

/// Pictures by year, of which somebody linked two from one into the next.
TEST_F(LinkedFolders, AFewLinksMakeNoSeries) {
  state("Pictures/2019", 900, "", 10);
  state("Pictures/2020", 500, "Pictures/2019", 10, 8);
  state("Pictures/2021", 100, "Pictures/2020", 10, 8);
  state("few/2019-05-01", 900, "", 3);
  state("few/2019-05-02", 800, "few/2019-05-01", 3, 1);
  EXPECT_TRUE(find().empty());
}

/// The last state that stays goes neither by itself, nor with what it lies in, nor a part of it.
TEST_F(LinkedFolders, TheNewestIsProtectedAboveAndBeneath) {
  state("backup/of/2020-01-01", 900);
  state("backup/of/2020-01-02", 800, "backup/of/2020-01-01");
  state("backup/of/2020-01-03", 700, "backup/of/2020-01-02");
  add("backup/notes", 1000, 10);
  survey = surveyOf(drive, "/");
  const GainModel gain(survey->tree, {});
  const PointModel points(*survey, gain, today);
  const auto lock = [&](const char* path) {
    return points.lockAround(survey->tree, *survey->tree.find(path));
  };
  for (const char* path : {"backup", "backup/of", "backup/of/2020-01-03", "backup/of/2020-01-03/in",
                           "backup/of/2020-01-03/in/f1"})
    EXPECT_EQ(lock(path), PointLock::newest) << path;
  for (const char* path : {"backup/of/2020-01-01", "backup/of/2020-01-02/in/f1", "backup/notes"})
    EXPECT_EQ(lock(path), PointLock::none) << path;
}

TEST_F(LinkedFolders, WhereNumbersTurnTheLowestIsTheNewest) {
  state("b/daily.2", 903);
  state("b/daily.1", 902, "b/daily.2");
  state("b/daily.0", 901, "b/daily.1");
  const auto all = find();
  ASSERT_EQ(all.size(), 1u);
  EXPECT_EQ(names(all[0]), (Names{"daily.2", "daily.1", "daily.0!"}));
}

TEST_F(LinkedFolders, WhereNumbersGrowTheHighestIsTheNewest) {
  state("b/run9", 903);
  state("b/run10", 902, "b/run9");
  state("b/run11", 901, "b/run10");
  const auto all = find();
  ASSERT_EQ(all.size(), 1u);
  EXPECT_EQ(names(all[0]), (Names{"run9", "run10", "run11!"}));
}

TEST_F(LinkedFolders, WhereNobodyCanTellBothEndsStay) {
  for (const char* name : {"b/1", "b/2", "b/3"}) state(name, 900, name == std::string("b/1") ? "" : "b/1");
  const auto all = find();
  ASSERT_EQ(all.size(), 1u);
  EXPECT_EQ(names(all[0]), (Names{"1!", "2", "3!"}));
}

TEST_F(LinkedFolders, ADateToComeIsNotBelieved) {
  state("b/2019-01-01", 903);
  state("b/2019-01-02", 902, "b/2019-01-01");
  state("b/2019-01-03", 850, "b/2019-01-02");
  state("b/2098-01-01", 901, "b/2019-01-02");
  const auto all = find();
  ASSERT_EQ(all.size(), 1u);
  EXPECT_EQ(names(all[0]), (Names{"2019-01-01", "2019-01-02", "2019-01-03!", "2098-01-01!"}));
}

TEST_F(LinkedFolders, WhileTheyAreWrittenTwoStay) {
  state("b/2024-09-01", 3);
  state("b/2024-09-02", 2, "b/2024-09-01");
  state("b/2024-09-03", 1, "b/2024-09-02");
  const auto all = find();
  ASSERT_EQ(all.size(), 1u);
  EXPECT_EQ(names(all[0]), (Names{"2024-09-01", "2024-09-02!", "2024-09-03!"}));
}

TEST_F(LinkedFolders, SharingOfFewIsNoSeries) {
  state("photos/2020-01-01", 900, {}, 40);
  state("photos/2020-01-02", 899, "photos/2020-01-01", 40, 38);
  EXPECT_TRUE(find().empty());
}

/// Any set against counting names one by one; some inodes have names elsewhere.
TEST_F(LinkedFolders, AnySetIsWhatCountingSays) {
  const unsigned seed = drawSeed();
  SCOPED_TRACE("seed " + std::to_string(seed));
  std::mt19937 random(seed);
  constexpr int states = 12, files = 40;
  for (int s = 0; s < states; ++s) {
    const std::string name = "b/2020-01-" + std::string(s + 1 < 10 ? "0" : "") + std::to_string(s + 1);
    const std::string before = "b/2020-01-" + std::string(s < 10 ? "0" : "") + std::to_string(s);
    for (int f = 0; f < files; ++f) {
      const std::string file = "/f" + std::to_string(f);
      if (s > 0 && random() % 5 != 0)
        drive->link(before + file, name + file);
      else
        add(name + file, 1 + random() % 30'000, 900 - s);
      if (random() % 60 == 0) drive->link(name + file, "else/" + std::to_string(s) + "-" + std::to_string(f));
    }
  }
  survey = surveyOf(drive, "/");
  const SurveyTree& tree = survey->tree;
  const GainModel gain(tree);
  const PointModel model(*survey, gain, today);
  ASSERT_EQ(model.size(), static_cast<std::size_t>(states));
  for (int round = 0; round < 50; ++round) {
    GainModel::Points chosen(model.size(), false);
    std::vector<NodeId> nodes;
    for (std::uint32_t i = 0; i < model.size(); ++i)
      if (random() % 2 == 0) chosen[i] = true, nodes.push_back(model[i].node);
    const PointSum sum = model.of(chosen);
    EXPECT_TRUE(sum.exact);
    EXPECT_EQ(sum.frees, gain.of(nodes).sure);
  }
  Bytes spans = 0;
  for (const PointSpan& s : model.spans(model.series()[0])) spans += s.bytes;
  EXPECT_LE(spans, model.of(GainModel::Points(model.size(), true)).frees);
  EXPECT_GT(spans, 0u);
}

/// The newest is refused by the plan and by the guard, whoever writes it; an older one goes, and what it
/// shares stays with the others.
TEST_F(LinkedFolders, TheNewestIsRefused) {
  state("b/2020-01-01", 900);
  state("b/2020-01-02", 899, "b/2020-01-01");
  state("b/2020-01-03", 898, "b/2020-01-02");
  const Measured m(drive, "/", false, today);
  ASSERT_EQ(m.context->points.series().size(), 1u);
  Plan plan;
  plan.lines.push_back(m.line("b/2020-01-03"));
  EXPECT_EQ(codeOf(checkLocks(plan, *m.context, m.marks)), Errc::lastCopy);
  FakeOpenFiles open;
  const GuardedDrive guarded = m.guarded(open);
  EXPECT_EQ(codeOf(checkOnPaper(guarded, plan.lines[0].items[0])), Errc::lastCopy);
  plan.lines[0] = m.line("b/2020-01-01");
  EXPECT_TRUE(checkLocks(plan, *m.context, m.marks));
  EXPECT_TRUE(checkOnPaper(guarded, plan.lines[0].items[0]));
  for (const char* path : {"b", "b/2020-01-03/in", "b/2020-01-03/in/f1"}) {
    plan.lines[0] = m.line(path);
    EXPECT_EQ(codeOf(checkLocks(plan, *m.context, m.marks)), Errc::lastCopy) << path;
  }
  const Find* find = nullptr;
  for (const Find& f : m.finds)
    if (f.kind == "stale-backups") find = &f;
  ASSERT_NE(find, nullptr);
  EXPECT_EQ(find->items.size(), 2u);
  // What is lost is a way back, to before the last that stays; by itself no proposal has it.
  EXPECT_EQ(find->regret, Regret::wayBack);
  EXPECT_EQ(find->standing, Standing::unjudged);
  Find owned = *find;
  owned.standing = owned.judged = Standing::ownersCall;
  EXPECT_FALSE(mayPropose(owned, {})) << "whatever its place says";
  const auto said = std::find_if(find->facts.begin(), find->facts.end(),
                                 [](const Fact& f) { return f.id == "newest-stays"; });
  ASSERT_NE(said, find->facts.end());
  EXPECT_EQ(std::get<std::uint64_t>(said->value), 1'578'009'600u * nsPerSecond);  // 3 January 2020
}

}  // namespace
}  // namespace zt::test
