// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/history/comparison.h"

#include <gtest/gtest.h>

#include <map>
#include <random>

#include "core/survey/tree/tree_builder.h"
#include "support/seed.h"

namespace zt::test {
namespace {

/// A drive as a list: path to what lies there.
struct Thing {
  EntryKind kind = EntryKind::file;
  Bytes occupied = 0;
  TimeNs modified = 0;
  std::uint64_t inode = 0;
};
using Listing = std::map<std::string, Thing>;

SurveyPtr surveyFrom(const Listing& all, const std::string& drive = "d-1") {
  auto survey = std::make_shared<Survey>();
  survey->driveId = drive;
  TreeBuilder builder;
  std::map<std::string, TreeBuilder::Number> numbers;
  const auto add = [&](TreeBuilder::Number parent, const std::string& name, const Thing& t) {
    EntryStat stat;
    stat.kind = t.kind;
    stat.inode = t.inode;
    stat.device = 1;
    stat.length = stat.occupied = t.occupied;
    stat.modified = t.modified;
    stat.born = static_cast<TimeNs>(t.inode) * 1'000'003;
    return builder.add(parent, name, stat).value();
  };
  numbers[""] = add(0, "", {EntryKind::folder, 0, 0, 1});
  for (const auto& [path, thing] : all) {
    const auto slash = path.rfind('/');
    const std::string parent = slash == std::string::npos ? "" : path.substr(0, slash);
    numbers[path] = add(numbers.at(parent), path.substr(slash + 1), thing);
  }
  EXPECT_TRUE(builder.build(survey->tree));
  return survey;
}

Comparison compared(const SurveyPtr& a, const SurveyPtr& b) {
  return compareSurveys(*a, *b, {}).value();
}

const ChangeRow* rowAt(const Comparison& c, const SurveyPtr& a, const SurveyPtr& b, const std::string& path,
                       Change change) {
  for (const ChangeRow& row : c.rows)
    if (row.change == change && pathOf(*a, *b, row) == path) return &row;
  return nullptr;
}

TEST(Comparison, TellsWhatCameWentGrewAndShrank) {
  const auto a = surveyFrom({{"d", {EntryKind::folder, 0, 0, 2}},
                             {"d/grows", {EntryKind::file, 100, 1, 3}},
                             {"d/shrinks", {EntryKind::file, 500, 1, 4}},
                             {"d/stays", {EntryKind::file, 70, 1, 5}},
                             {"d/touched", {EntryKind::file, 30, 1, 6}},
                             {"goes", {EntryKind::file, 40, 1, 7}}});
  const auto b = surveyFrom({{"came", {EntryKind::folder, 0, 0, 20}},
                             {"came/in", {EntryKind::file, 900, 1, 21}},
                             {"d", {EntryKind::folder, 0, 0, 2}},
                             {"d/grows", {EntryKind::file, 150, 2, 3}},
                             {"d/shrinks", {EntryKind::file, 200, 2, 4}},
                             {"d/stays", {EntryKind::file, 70, 1, 5}},
                             {"d/touched", {EntryKind::file, 30, 2, 6}}});
  const Comparison c = compared(a, b);
  const ChangeSums& s = c.rows[0].sums;
  EXPECT_EQ(s.came, 900u);
  EXPECT_EQ(s.went, 40u);
  EXPECT_EQ(s.grew, 50u);
  EXPECT_EQ(s.shrank, 300u);
  EXPECT_EQ(c.rows[0].delta(), 900 - 40 + 50 - 300);
  EXPECT_EQ(s.entries, 6u);
  EXPECT_NE(rowAt(c, a, b, "d/touched", Change::altered), nullptr);
  EXPECT_EQ(rowAt(c, a, b, "d/stays", Change::altered), nullptr) << "what did not change has no row";
  EXPECT_EQ(rowAt(c, a, b, "came", Change::came)->after, 900u);
  // Children stand side by side, those that changed most first.
  EXPECT_EQ(pathOf(*a, *b, c.rows[c.rows[0].firstChild]), "came");
}

TEST(Comparison, AMovedFolderIsRecognisedAndOnlyOnItsOwnDrive) {
  const Listing before{{"old", {EntryKind::folder, 0, 0, 2}},
                       {"old/deep", {EntryKind::folder, 0, 0, 3}},
                       {"old/deep/film", {EntryKind::file, 5000, 1, 4}},
                       {"old/rest", {EntryKind::file, 10, 1, 5}}};
  const Listing after{{"new", {EntryKind::folder, 0, 0, 30}},
                      {"new/deep here", {EntryKind::folder, 0, 0, 3}},
                      {"new/deep here/film", {EntryKind::file, 5000, 1, 4}}};
  const auto a = surveyFrom(before), b = surveyFrom(after), other = surveyFrom(after, "d-2");
  const Comparison c = compared(a, b);
  ASSERT_EQ(c.moves.size(), 1u) << "the folder, not once more what lies in it";
  EXPECT_EQ(a->tree.path(c.moves[0].was), "old/deep");
  EXPECT_EQ(b->tree.path(c.moves[0].is), "new/deep here");
  EXPECT_EQ(rowAt(c, a, b, "new", Change::came)->sums.movedIn, 5000u);
  EXPECT_EQ(rowAt(c, a, b, "old", Change::went)->sums.movedOut, 5000u);
  EXPECT_TRUE(compared(a, other).moves.empty());
  EXPECT_FALSE(compared(a, other).byIdentity);
}

TEST(Comparison, ANumberThatIsUsedAgainIsNoMove) {
  const auto a = surveyFrom({{"gone", {EntryKind::file, 10, 1, 7}}});
  auto b = std::make_shared<Survey>();
  b->driveId = "d-1";
  TreeBuilder builder;
  EntryStat stat;
  stat.kind = EntryKind::folder;
  (void)builder.add(0, "", stat);
  stat.kind = EntryKind::file;
  stat.inode = 7;
  stat.occupied = stat.length = 10;
  stat.modified = 1;
  stat.born = 99'999'999'999;
  (void)builder.add(0, "here", stat);
  ASSERT_TRUE(builder.build(b->tree));
  EXPECT_TRUE(compared(a, b).moves.empty());
}

TEST(Comparison, StopsWhenAsked) {
  std::stop_source stop;
  stop.request_stop();
  const auto a = surveyFrom({{"x", {EntryKind::file, 1, 1, 2}}});
  EXPECT_EQ(compareSurveys(*a, *a, stop.get_token()).error().code, Errc::cancelled);
}

/// Changes a listing as a household would, by chance.
class Household {
public:
  explicit Household(unsigned seed) : random_(seed) {}
  Listing first() {
    Listing all;
    for (int i = 0; i < 200; ++i) put(all);
    return all;
  }
  Listing later(Listing all) {
    for (int i = 0; i < 60; ++i) {
      if (all.empty() || random_() % 3 == 0) {
        put(all);
        continue;
      }
      auto at = std::next(all.begin(), static_cast<std::ptrdiff_t>(random_() % all.size()));
      if (at->second.kind == EntryKind::file && random_() % 2 == 0)
        at->second.occupied = random_() % 1000, at->second.modified += static_cast<TimeNs>(random_() % 2);
      else
        remove(all, at->first);
    }
    return all;
  }

private:
  void put(Listing& all) {
    std::string path;
    for (const auto& [p, thing] : all)
      if (thing.kind == EntryKind::folder && random_() % 8 == 0) path = p + "/";
    path += "n" + std::to_string(random_() % 60);
    const bool folder = random_() % 3 == 0;
    all.emplace(
        path, Thing{folder ? EntryKind::folder : EntryKind::file, folder ? 0 : random_() % 1000, 1, next_++});
  }
  static void remove(Listing& all, const std::string path) {
    std::erase_if(all, [&](const auto& e) { return e.first == path || e.first.starts_with(path + "/"); });
  }
  std::mt19937 random_;
  std::uint64_t next_ = 10;
};

/// By path, without any tree: what came, went, grew and shrank beneath each folder.
std::map<std::string, ChangeSums> bySearching(const Listing& a, const Listing& b) {
  std::map<std::string, ChangeSums> sums;
  const auto book = [&](const std::string& path, const ChangeSums& s) {
    sums[""] += s;
    for (std::size_t at = 0; (at = path.find('/', at)) != std::string::npos; ++at) {
      // Folders in both, as folders: those that came or went are one line.
      const std::string folder = path.substr(0, at);
      const auto was = a.find(folder), is = b.find(folder);
      if (was != a.end() && is != b.end() && was->second.kind == is->second.kind) sums[folder] += s;
    }
  };
  const auto same = [](const Listing& l, const std::string& path, EntryKind kind) {
    const auto at = l.find(path);
    return at != l.end() && at->second.kind == kind;
  };
  for (const auto& [path, thing] : a)
    if (!same(b, path, thing.kind)) {
      ChangeSums s;
      s.went = thing.occupied, s.entries = 1;
      book(path, s);
    }
  for (const auto& [path, thing] : b) {
    ChangeSums s;
    if (!same(a, path, thing.kind)) {
      s.came = thing.occupied, s.entries = 1;
      book(path, s);
    } else if (const Thing& was = a.at(path); thing.kind == EntryKind::file) {
      s.grew = thing.occupied > was.occupied ? thing.occupied - was.occupied : 0;
      s.shrank = was.occupied > thing.occupied ? was.occupied - thing.occupied : 0;
      s.entries = thing.occupied != was.occupied || thing.modified != was.modified;
      if (s.entries > 0) book(path, s);
    }
  }
  std::erase_if(sums, [](const auto& e) { return e.second.entries == 0; });
  return sums;
}

TEST(Comparison, EqualsASearchThroughEveryPath) {
  const unsigned first = drawSeed();
  for (unsigned i = 0; i < 100; ++i) {
    SCOPED_TRACE("seed " + std::to_string(first + i));
    Household household(first + i);
    const Listing was = household.first(), is = household.later(was);
    const auto a = surveyFrom(was), b = surveyFrom(is);
    const Comparison c = compared(a, b);
    auto expected = bySearching(was, is);
    for (const ChangeRow& row : c.rows) {
      if (row.change != Change::within) continue;
      const ChangeSums& e = expected[pathOf(*a, *b, row)];
      EXPECT_EQ(std::tie(row.sums.came, row.sums.went, row.sums.grew, row.sums.shrank, row.sums.entries),
                std::tie(e.came, e.went, e.grew, e.shrank, e.entries))
          << pathOf(*a, *b, row);
      expected.erase(pathOf(*a, *b, row));
    }
    EXPECT_TRUE(expected.empty()) << expected.begin()->first;
    EXPECT_EQ(c.rows[0].delta(), static_cast<SignedBytes>(c.rows[0].sums.came + c.rows[0].sums.grew) -
                                     static_cast<SignedBytes>(c.rows[0].sums.went + c.rows[0].sums.shrank));
  }
}

}  // namespace
}  // namespace zt::test
