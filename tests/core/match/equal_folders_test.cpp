// SPDX-License-Identifier: GPL-3.0-or-later
// Whole folders that are equal, or lie in others: what is said of them, and what must not be.
#include "core/match/equal_folders.h"

#include <gtest/gtest.h>
#include <unistd.h>

#include <random>

#include "core/job/job.h"
#include "support/fakes.h"
#include "support/planned.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

struct Folders : ::testing::Test {
  void put(const std::string& path, int content, std::size_t size = 5'000) {
    std::mt19937 random(static_cast<std::mt19937::result_type>(content));
    std::string text(size, '\0');
    for (char& c : text) c = static_cast<char>(random());
    files->add(path, text);
  }
  /// "gone -> stays (same)" of each.
  std::set<std::string> look(const Marks& marks = {}) {
    survey = surveyOf(files, "/");
    if (!unseen.empty())
      survey->exceptions.push_back(
          {SurveyException::Kind::unreadable, 13, survey->tree.find(unseen).value()});
    context = contextOf(survey, system);
    const auto root = files->openRoot("/").value();
    MatchOptions options;
    options.also = filesOfAlikeFolders(*context, 1);
    groups = match(*files, *root, *context, options, {}, nullptr).groups;
    copies = folderCopies(*context, groups, marks, usualOrder());
    std::set<std::string> all;
    for (const FolderCopy& c : copies)
      all.insert(survey->tree.path(c.gone) + " -> " + survey->tree.path(c.stays) + (c.same ? " same" : ""));
    return all;
  }
  using Said = std::set<std::string>;
  std::string unseen;  ///< a folder that could not be read
  bool system = false;
  std::shared_ptr<MemoryFileSystem> files = std::make_shared<MemoryFileSystem>();
  std::shared_ptr<Survey> survey;
  ContextPtr context;
  std::vector<EqualFiles> groups;
  std::vector<FolderCopy> copies;
};

TEST_F(Folders, TheOutermostOfEqualOnesIsSaid) {
  for (const char* top : {"a/pictures", "a/longer/way/pictures"})
    for (int i = 0; i < 5; ++i)
      put(std::string(top) + "/day" + std::to_string(i / 3) + "/p" + std::to_string(i), i);
  EXPECT_EQ(look(), (Said{"a/longer/way/pictures -> a/pictures same"}));
  for (const EqualFiles& group : groups)
    EXPECT_LT(outside(*context, group, {copies.front().gone}).nodes.size(), 2u);
  const Find find = folderFind(*context, copies.front());
  EXPECT_EQ(find.items.size(), 1u);
  EXPECT_EQ(numberIn(find, "whole-folder"), 1u);
  EXPECT_EQ(textIn(find, "keeper"), "a/pictures");
}

TEST_F(Folders, OneByteNameOrEntryMakesTheDifference) {
  for (const char* top : {"a", "b", "c", "d", "e"})
    for (int i = 0; i < 3; ++i) put(std::string("keep/") + top + "/p" + std::to_string(i), 100 + i);
  put("keep/b/p1", 999);          // another content
  files->add("keep/c/own", "x");  // something more, in it alone
  put("keep/d/sub/q", 555);
  // a and e are equal; c and d hold all of them; b holds what no other has.
  const Said said = look();
  EXPECT_TRUE(said.contains("keep/e -> keep/a same")) << *said.begin();
  for (const std::string& one : said) {
    EXPECT_FALSE(one.starts_with("keep/b ") || one.starts_with("keep/c ") || one.starts_with("keep/d "))
        << one;
  }
}

TEST_F(Folders, AllOfOneInAnotherByOtherNames) {
  put("arrived/x", 1);
  put("arrived/y", 2);
  put("library/2024/one", 1);
  put("library/2025/two", 2);
  put("library/2025/three", 3);
  EXPECT_EQ(look(), (Said{"arrived -> library"}));
  EXPECT_FALSE(copies.front().same);
  EXPECT_EQ(numberIn(folderFind(*context, copies.front()), "whole-folder"), 2u);
}

TEST_F(Folders, WhatIsEqualOnlyWithinItselfStays) {
  put("a/one", 1);
  put("a/again", 1);
  put("a/two", 2);
  put("a/two again", 2);
  EXPECT_EQ(look(), Said{}) << "both halves of each lie in it";
}

TEST_F(Folders, ADatedCopyHoldsNothingThatIsOutsideOfIt) {
  put("work/one", 1);
  put("work/two", 2);
  put("backups/2024-01-31/one", 1);
  put("backups/2024-01-31/two", 2);
  put("backups/2024-01-31/three", 3);
  for (const std::string& said : look()) EXPECT_FALSE(said.starts_with("work ")) << said;
}

TEST_F(Folders, LinksAndKeptThingsMakeItNoWhole) {
  for (const char* top : {"a", "b"})
    for (int i = 0; i < 3; ++i) put(std::string(top) + "/p" + std::to_string(i), i);
  Marks marks;
  marks.put("b/p1", {Mark::keep, 0, false});
  EXPECT_EQ(look(marks), (Said{"a -> b same"}))
      << "b keeps something, so b stays, whatever the other rules say";
  marks.put("a/p2", {Mark::keep, 0, false});
  EXPECT_EQ(look(marks), Said{}) << "both keep something";
}

/// Links are compared by what they say, tiny files though they take no block, empty things as such.
TEST_F(Folders, LinksAndTinyThingsAreCompared) {
  const auto make = [&](const std::string& top, const std::string& target, const std::string& tiny) {
    for (int i = 0; i < 3; ++i) put(top + "/p" + std::to_string(i), i);
    files->point(top + "/latest", target);
    files->add(top + "/note", tiny)->stat.occupied = 0;
    files->add(top + "/empty", "");
    files->add(top + "/nothing/", "");
  };
  make("a", "p2", "three hundred");
  make("b", "p2", "three hundred");
  EXPECT_EQ(look(), (Said{"b -> a same"}));
  for (const EqualFiles& group : groups)
    EXPECT_EQ(duplicateFind(*context, group, {}, usualOrder()).has_value(), !group.links);
  make("b", "p1", "three hundred");
  EXPECT_EQ(look(), Said{}) << "its link leads elsewhere";
  make("b", "p2", "three-hundred");
  EXPECT_EQ(look(), Said{}) << "one letter of a file that takes no block";
}

TEST_F(Folders, EmptyFilesAloneMakeNothingEqual) {
  for (const char* top : {"a", "b"})
    for (const char* name : {"one", "two", "three"}) files->add(std::string(top) + "/" + name, "");
  put("c", 1);
  put("d", 1);
  EXPECT_EQ(look(), Said{});
}

/// A folder that could not be read looks empty, and is like nothing.
TEST_F(Folders, WhatWasNotSeenIsNotEqual) {
  for (const char* top : {"a", "b/a"})
    for (int i = 0; i < 3; ++i) put(std::string(top) + "/p" + std::to_string(i), i);
  files->add("a/closed/", "");
  files->add("b/a/closed/", "");
  EXPECT_EQ(look().size(), 1u);
  unseen = "b/a/closed";
  EXPECT_FALSE(look().contains("b/a -> a same"));
  for (const FolderCopy& c : copies) EXPECT_NE(survey->tree.path(c.gone), "b/a");
}

/// Whatever the paths and times say, nobody's home goes for a copy of it.
TEST_F(Folders, AHomeAndWhatLiesInItStay) {
  files->add("etc/passwd", "kim:x:1000:1000::/home/kim:/bin/sh\n");
  for (const char* top : {"home/kim/Documents", "x/Documents"})
    for (int i = 0; i < 3; ++i) put(std::string(top) + "/p" + std::to_string(i), i);
  system = true;
  EXPECT_EQ(look(), (Said{"x -> home/kim same"}));
  EXPECT_EQ(copies.front().why, KeeperRule::atHome);
}

/// Seeded trees against a plain comparison of what lies in each folder.
TEST_F(Folders, AreThoseThatAPlainComparisonFinds) {
  for (unsigned seed = 1; seed <= 30; ++seed) {
    files = std::make_shared<MemoryFileSystem>();
    std::mt19937 random(seed);
    std::map<std::string, std::map<std::string, int>> content;
    for (int f = 0; f < 8; ++f)
      for (int i = 0, n = 1 + static_cast<int>(random() % 3); i < n; ++i) {
        const int c = static_cast<int>(random() % 3);
        const std::string folder = "f" + std::to_string(f), name = "n" + std::to_string(i);
        content[folder][name] = c;
        put(folder + "/" + name, c);
      }
    Said plain;
    std::map<std::map<std::string, int>, int> times;
    for (const auto& [folder, in] : content) ++times[in];
    std::size_t same = 0;
    for (const auto& [in, count] : times)
      if (in.size() > 1) same += static_cast<std::size_t>(count - 1);
    std::size_t said = 0;
    for (const std::string& one : look()) said += one.ends_with(" same");
    EXPECT_EQ(said, same) << "seed " << seed;
    for (const FolderCopy& c : copies) {
      std::set<int> gone, stays;
      for (const auto& [name, v] : content[survey->tree.path(c.gone)]) gone.insert(v);
      for (const auto& [name, v] : content[survey->tree.path(c.stays)]) stays.insert(v);
      EXPECT_TRUE(std::includes(stays.begin(), stays.end(), gone.begin(), gone.end())) << "seed " << seed;
    }
  }
}

/// From comparing to the run: the folder goes, what stays is whole; a copy that was changed meanwhile stops
/// it.
TEST(FolderRun, GoesOnlyWhileItsEqualStands) {
  for (const bool changed : {false, true}) {
    TempFolder t;
    for (const char* top : {"drive/a", "drive/elsewhere/a"})
      for (int i = 0; i < 3; ++i)
        t.file(std::string(top) + "/p" + std::to_string(i),
               std::string(2'000'000, static_cast<char>('a' + i)));
    Workshop real = realWorkshop();
    auto made = Job::create(real, t / "drive", false, {});
    ASSERT_TRUE(made);
    Job& job = **made;
    ASSERT_TRUE(job.measurer().measure({}, {}, nullptr));
    ASSERT_TRUE(job.contents().match({}, nullptr));
    const Find* folder = nullptr;
    for (const Find& f : *job.surveys().finds())
      if (numberIn(f, "whole-folder") > 0) folder = &f;
    ASSERT_NE(folder, nullptr);
    EXPECT_EQ(folder->items.front().path, "elsewhere/a");
    for (const Find& f : *job.surveys().finds()) {
      EXPECT_TRUE(f.kind != "duplicates" || &f == folder) << "said once";
    }
    ASSERT_TRUE(job.planBook().addPaths({"elsewhere/a"}, "discard"));
    if (changed) t.file("drive/a/p1", std::string(2'000'000, 'X'));
    const auto report = job.reclaim(job.planBook().consent().token, {});
    ASSERT_TRUE(report);
    EXPECT_EQ(t.has("drive/elsewhere/a/p1"), changed) << "with its equal gone it is the last of its kind";
    EXPECT_TRUE(t.has("drive/a/p0") && t.has("drive/a/p1"));
  }
}

/// A link of what stays that leads elsewhere by now: the folder keeps its own. Links are read only where that
/// leaves no trace, so by root here.
TEST(FolderRun, ALinkThatLeadsElsewhereStopsIt) {
  if (::geteuid() != 0) GTEST_SKIP() << "SKIPPED, needs root";
  for (const bool changed : {false, true}) {
    TempFolder t;
    for (const char* top : {"drive/a", "drive/elsewhere/a"}) {
      for (int i = 0; i < 3; ++i)
        t.file(std::string(top) + "/p" + std::to_string(i),
               std::string(2'000'000, static_cast<char>('a' + i)));
      t.symlink("p2", std::string(top) + "/latest");
    }
    auto job = Job::create(realWorkshop(), t / "drive", false, {}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    ASSERT_TRUE(job->contents().match({}, nullptr));
    ASSERT_EQ(folderCopiesIn(job->surveys().detected().ofContents.front()).size(), 1u);
    ASSERT_TRUE(job->planBook().addPaths({"elsewhere/a"}, "discard"));
    if (changed) {
      ASSERT_EQ(::unlink((t / "drive/a/latest").c_str()), 0);
      t.symlink("p1", "drive/a/latest");
    }
    ASSERT_TRUE(job->reclaim(job->planBook().consent().token, {}));
    EXPECT_EQ(t.has("drive/elsewhere/a/p1"), changed);
  }
}

}  // namespace
}  // namespace zt::test
