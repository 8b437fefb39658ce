// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/measure/walk.h"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <filesystem>
#include <map>
#include <random>

#include "core/survey/files/survey_codec.h"
#include "core/survey/tree/gain_model.h"
#include "support/fakes.h"
#include "support/memory_file_system.h"
#include "support/seed.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

Bytes blocksOf(const std::string& path) {
  struct stat st;
  must(::lstat(path.c_str(), &st) == 0, path);
  return static_cast<Bytes>(st.st_blocks) * 512;
}

TEST(Walk, CountsEveryEntryOnceByItsBlocks) {
  TempFolder t;
  t.file("a/one", 10'000);
  t.file("a/b/two", 5);
  t.sparse("hole", 50'000'000);
  t.symlink("a", "door");
  LinuxFileSystem files;
  const auto survey = surveyOf(borrowed(files), t.path(), 2);
  Bytes expected = blocksOf(t.path());
  std::size_t entries = 1;
  for (const auto& e : std::filesystem::recursive_directory_iterator(t.path()))
    expected += blocksOf(e.path()), ++entries;
  EXPECT_EQ(survey->tree.size(), entries);
  EXPECT_EQ(survey->tree.totals(0).occupied, expected);
  EXPECT_EQ(survey->tree.totals(0).length, 50'010'005u);
  EXPECT_EQ(survey->tree.occupied(*survey->tree.find("hole")), blocksOf(t / "hole"));
}

TEST(Walk, CountsHardLinksOnceInEveryFolder) {
  TempFolder t;
  t.file("x/a", 100'000);
  t.link("x/a", "x/b");
  t.link("x/a", "y/c");
  t.file("y/own", 10'000);
  LinuxFileSystem files;
  const auto survey = surveyOf(borrowed(files), t.path());
  const SurveyTree& tree = survey->tree;
  const Bytes shared = blocksOf(t / "x/a");
  const auto& x = tree.totals(*tree.find("x"));
  const auto& y = tree.totals(*tree.find("y"));
  EXPECT_EQ(x.occupied, shared + blocksOf(t / "x"));
  EXPECT_EQ(x.exclusive, blocksOf(t / "x"));
  EXPECT_EQ(y.occupied, shared + blocksOf(t / "y/own") + blocksOf(t / "y"));
  EXPECT_EQ(tree.totals(0).exclusive, tree.totals(0).occupied);
  EXPECT_EQ(tree.linkGroups(), 1u);
}

/// Random trees with random links: every folder's totals against plain counting.
/// A file goes and its inode number comes back for another one while the drive is walked: two inodes.
TEST(Walk, TellsAReusedInodeNumberFromASecondName) {
  MemoryFileSystem files;
  const auto before = files.add("a/before", std::string(9000, 'x'));
  const auto after = files.add("b/after", std::string(30'000, 'x'));
  files.link("b/after", "b/second-name");
  after->stat.inode = before->stat.inode;
  before->stat.links = 2;
  after->stat.born = before->stat.born + 5 * nsPerSecond;
  const auto survey = surveyOf(borrowed(files), "/");
  const SurveyTree& t = survey->tree;
  EXPECT_EQ(t.linkGroups(), 2u);
  const Bytes a = t.occupied(*t.find("a/before"));
  const Bytes b = t.occupied(*t.find("b/after"));
  const auto own = [&](const char* path) { return t.occupied(*t.find(path)); };
  EXPECT_EQ(t.totals(0).occupied, a + b + own("") + own("a") + own("b"));
  EXPECT_EQ(t.totals(*t.find("a")).exclusive, own("a")) << "its other name was not seen";
  EXPECT_EQ(t.totals(*t.find("b")).exclusive, b + own("b"));
}

TEST(Walk, TotalsAgreeWithPlainCountingOnRandomTrees) {
  const auto seed = drawSeed();
  SCOPED_TRACE("seed " + std::to_string(seed));
  std::mt19937 random(seed);
  for (int round = 0; round < 30; ++round) {
    MemoryFileSystem files;
    std::vector<std::string> folders{""};
    std::vector<std::string> names;
    for (int i = 0; i < 40; ++i) {
      const std::string in = folders[random() % folders.size()];
      const std::string name = in + "/n" + std::to_string(i);
      const auto kind = random() % 4;
      if (kind == 0)
        folders.push_back(name), files.add(name + "/");
      else if (kind == 1 && !names.empty())
        files.link(names[random() % names.size()], name), names.push_back(name);
      else
        files.add(name, std::string(random() % 9000, 'x')), names.push_back(name);
    }
    const auto survey = surveyOf(borrowed(files), "/", 3);
    const SurveyTree& tree = survey->tree;
    for (NodeId folder = 0; folder < tree.size(); ++folder) {
      if (!tree.isFolder(folder)) continue;
      std::map<std::uint64_t, std::pair<Bytes, int>> inside;
      std::map<std::uint64_t, int> all;
      for (NodeId id = 0; id < tree.size(); ++id) {
        ++all[tree.inode(id)];
        if (!tree.isBeneath(id, folder)) continue;
        inside[tree.inode(id)].first = tree.occupied(id);
        ++inside[tree.inode(id)].second;
      }
      Bytes occupied = 0;
      Bytes exclusive = 0;
      for (const auto& [inode, seen] : inside) {
        occupied += seen.first;
        exclusive += seen.second == all[inode] ? seen.first : 0;
      }
      ASSERT_EQ(tree.totals(folder).occupied, occupied);
      ASSERT_EQ(tree.totals(folder).exclusive, exclusive);
      const NodeId one[] = {folder};
      ASSERT_EQ(GainModel(tree).of(one), (GainBounds{exclusive, exclusive}));
    }
  }
}

TEST(Walk, BearsOddNamesAndKinds) {
  TempFolder t;
  const std::string longName(255, 'n');
  for (const std::string& name :
       {std::string("line\nbreak"), std::string("\xE9\xFC"), longName, std::string("\u202Egnp")})
    t.file(name, name);
  t.symlink("loop-b", "loop-a");
  t.symlink("loop-a", "loop-b");
  must(::mkfifo((t / "pipe").c_str(), 0600) == 0, "fifo");
  LinuxFileSystem files;
  const auto survey = surveyOf(borrowed(files), t.path());
  EXPECT_EQ(survey->tree.size(), 8u);
  EXPECT_TRUE(survey->tree.find("\xE9\xFC"));
  EXPECT_EQ(survey->tree.kind(*survey->tree.find("pipe")), EntryKind::other);
  EXPECT_EQ(survey->tree.kind(*survey->tree.find("loop-a")), EntryKind::symlink);
  EXPECT_TRUE(survey->exceptions.empty());
}

TEST(Walk, GoesDeeperThanPathMax) {
  TempFolder t;
  t.folder("top");
  const std::string part(200, 'd');
  int dir = ::open((t / "top").c_str(), O_RDONLY | O_DIRECTORY);
  for (int i = 0; i < 50; ++i) {
    must(::mkdirat(dir, part.c_str(), 0755) == 0, "mkdirat");
    const int next = ::openat(dir, part.c_str(), O_RDONLY | O_DIRECTORY);
    ::close(dir);
    dir = next;
  }
  ::close(dir);
  LinuxFileSystem files;
  const auto survey = surveyOf(borrowed(files), t.path(), 2);
  EXPECT_EQ(survey->tree.size(), 52u);
  const PathBytes deepest = survey->tree.path(51);
  EXPECT_GT(deepest.size(), 4096u);
  const auto root = files.openRoot(t.path()).value();
  EXPECT_TRUE(files.openBeneath(*root, deepest));
  std::string clean = t.path();
  // Taken down from the top by moving each level up: remove_all follows paths and would stop at PATH_MAX.
  for (int i = 0; i < 50; ++i) {
    ::rename((t / ("top/" + part + "/" + part)).c_str(), (t / "next").c_str());
    ::rmdir((t / ("top/" + part)).c_str());
    ::rename((t / "next").c_str(), (t / ("top/" + part)).c_str());
  }
}

TEST(Walk, ListsAFolderOfManyEntries) {
  MemoryFileSystem files;
  for (int i = 0; i < 200'000; ++i) files.add("big/f" + std::to_string(i));
  const auto survey = surveyOf(borrowed(files), "/", 2);
  EXPECT_EQ(survey->tree.size(), 200'002u);
  EXPECT_EQ(survey->tree.totals(*survey->tree.find("big")).files, 200'000u);
}

TEST(Walk, ListsWhatCannotBeReadAndGoesOn) {
  MemoryFileSystem files;
  files.add("a/x", "1");
  files.add("b/y", "2");
  // Calls: open-root, stat root, scan root, then open and scan of each folder; the first folder's scan fails.
  files.failCall(5, Errc::notPermitted);
  const auto survey = surveyOf(borrowed(files), "/", 1);
  ASSERT_EQ(survey->exceptions.size(), 1u);
  EXPECT_EQ(survey->exceptions[0].kind, SurveyException::Kind::unreadable);
  EXPECT_EQ(survey->tree.totals(0).files, 1u);
}

TEST(Walk, KeepsWhatWasSeenWhenStopped) {
  MemoryFileSystem files;
  for (int i = 0; i < 50; ++i) files.add("d" + std::to_string(i) + "/f", "x");
  const auto survey = std::make_shared<Survey>();
  std::stop_source stop;
  stop.request_stop();
  const auto root = files.openRoot("/").value();
  ASSERT_TRUE(walk(borrowed(files), root, {}, stop.get_token(), nullptr, survey));
  EXPECT_TRUE(survey->partial);
  EXPECT_GE(survey->tree.size(), 1u);
}

TEST(Walk, LeavesTheAccessTimesAlone) {
  TempFolder t;
  t.file("d/f", "x");
  t.age("d", 400);
  timespec old[2] = {{1'000'000, 0}, {2'000'000, 0}};
  must(::utimensat(AT_FDCWD, (t / "d").c_str(), old, 0) == 0, "utimens");
  LinuxFileSystem files;
  const auto survey = surveyOf(borrowed(files), t.path());
  struct stat st;
  must(::stat((t / "d").c_str(), &st) == 0, "stat");
  EXPECT_EQ(st.st_atim.tv_sec, 1'000'000);
  EXPECT_EQ(survey->timesAtRisk, 0u);
}

std::shared_ptr<Survey> linkedSurvey(MemoryFileSystem& files) {
  files.add("a/one", std::string(5000, 'x'));
  files.add("a/b/\xE9", "odd");
  files.link("a/one", "a/b/two");
  return surveyOf(borrowed(files), "/");
}

TEST(SurveyCodec, RoundTripsATree) {
  MemoryFileSystem files;
  const auto survey = linkedSurvey(files);
  const auto pieces = encodeSurvey(*survey);
  const auto back = decodeSurvey(pieces);
  ASSERT_TRUE(back);
  ASSERT_EQ((*back)->tree.size(), survey->tree.size());
  for (NodeId id = 0; id < survey->tree.size(); ++id) {
    EXPECT_EQ((*back)->tree.path(id), survey->tree.path(id));
    EXPECT_EQ((*back)->tree.identity(id), survey->tree.identity(id));
    EXPECT_EQ((*back)->tree.weight(id), survey->tree.weight(id));
  }
  EXPECT_EQ((*back)->tree.totals(0).exclusive, survey->tree.totals(0).exclusive);
}

TEST(SurveyCodec, RefusesEveryTruncationAndFlippedBit) {
  MemoryFileSystem files;
  const auto pieces = encodeSurvey(*linkedSurvey(files));
  for (std::size_t p = 0; p < pieces.size(); ++p)
    for (std::size_t size = 0; size < pieces[p].size(); ++size) {
      auto cut = pieces;
      cut[p].resize(size);
      ASSERT_FALSE(decodeSurvey(cut)) << "piece " << p << " cut at " << size;
      auto flipped = pieces;
      flipped[p][size] = static_cast<char>(flipped[p][size] ^ 0x10);
      (void)decodeSurvey(flipped);  // a flip in compressed padding may decode; it must never crash
    }
  EXPECT_FALSE(decodeSurvey({}));
}

TEST(SurveyTree, StaysWithinItsBudget) {
  MemoryFileSystem files;
  for (int i = 0; i < 60'000; ++i)
    files.add("d" + std::to_string(i % 3000) + "/a-name-of-20-byte" + std::to_string(100 + i / 3000));
  const auto survey = surveyOf(borrowed(files), "/");
  const auto entries = survey->tree.size();
  EXPECT_GT(entries, 60'000u);
  EXPECT_LE(survey->tree.memory() / entries,
            110u);  // chunks are coarse on a small tree; bench/ measures a large one
}

}  // namespace
}  // namespace zt::test
