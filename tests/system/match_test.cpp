// SPDX-License-Identifier: GPL-3.0-or-later
// Equal files on real drives: data, holes, zeros, links, shared extents, near misses; against a plain listing
// of checksums. One seed of 4 GB of length; with ZT_SOAK=10 ten of 20 GB.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <map>
#include <random>
#include <set>

#include "core/job/job.h"
#include "support/fakes.h"
#include "support/loop_drive.h"
#include "support/run_program.h"

namespace zt::test {
namespace {

constexpr Bytes gib = Bytes{1} << 30;

class Trees : public ::testing::TestWithParam<const char*> {
protected:
  void write(const std::string& path, Bytes length, const std::vector<std::pair<Bytes, unsigned>>& data) {
    const int fd = ::open(path.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0644);
    must(fd >= 0 && ::ftruncate(fd, static_cast<off_t>(length)) == 0, "write " + path);
    for (const auto& [at, seed] : data) {
      std::mt19937 random(seed);
      std::string bytes(200'000, '\0');
      if (seed != 0)
        for (char& c : bytes) c = static_cast<char>(random());
      must(::pwrite(fd, bytes.data(), bytes.size(), static_cast<off_t>(at)) ==
               static_cast<ssize_t>(bytes.size()),
           "write " + path);
    }
    ::close(fd);
  }
  void run(const std::vector<std::string>& words) {
    const Ran ran = runProgram(words);
    must(ran.status == 0, words[0] + ": " + ran.err);
  }

  /// So much length in files of some hundred megabytes; a third of them are copies of others, or nearly.
  void furnish(const std::string& top, unsigned seed, bool shares, Bytes length) {
    std::mt19937 random(seed);
    Bytes sum = 0;
    for (int i = 0; sum < length; ++i) {
      const std::string folder = top + "/d" + std::to_string(i % 5);
      std::filesystem::create_directories(folder);
      const Bytes size = i % 4 == 0 ? gib + random() % 1000 : 300'000'000 + (random() % 3) * 4096;
      std::vector<std::pair<Bytes, unsigned>> data;
      for (unsigned k = 0, n = 1 + random() % 4; k < n; ++k)
        data.emplace_back(random() % (size - 200'000) / 4096 * 4096,
                          1 + static_cast<unsigned>(random() % 1000));
      const std::string file = folder + "/f" + std::to_string(i);
      write(file, size, data);
      sum += size;
      const std::string other = top + "/d" + std::to_string((i + 1) % 5) + "/c" + std::to_string(i);
      std::filesystem::create_directories(top + "/d" + std::to_string((i + 1) % 5));
      switch (random() % 7) {
        case 0:  // the same, zeros written out at one place
          data.emplace_back(size / 2 / 4096 * 4096 + 400'000, 0);
          std::stable_sort(data.begin(), data.end());
          if (data.size() == 2 && data[1].second == 0) write(other, size, data), sum += size;
          break;
        case 1:  // another last byte
          write(other, size, data);
          must(::truncate(other.c_str(), static_cast<off_t>(size - 1)) == 0, "truncate");
          std::ofstream(other, std::ios::binary | std::ios::app) << 'x';
          sum += size;
          break;
        case 2:  // another byte in the middle
          write(other, size, data);
          write(other, size, {{data[0].first, 5000}});
          sum += size;
          break;
        case 3:
          run({"/bin/cp", "--sparse=always", file, other});
          sum += size;
          break;
        case 4:
          std::filesystem::create_hard_link(file, other);
          break;
        case 5:
          run({"/bin/cp", shares ? "--reflink=always" : "--reflink=never", "--sparse=auto", file, other});
          sum += size;
          break;
        default:
          break;
      }
    }
  }

  using Groups = std::set<std::set<std::string>>;
  /// One name an inode; groups of two and more.
  Groups plain(const std::string& top) {
    std::map<std::pair<std::uintmax_t, std::string>, std::set<std::string>> all;
    std::set<std::uint64_t> seen;
    std::set<std::string> paths;
    for (const auto& e : std::filesystem::recursive_directory_iterator(top))
      if (e.is_regular_file()) paths.insert(e.path().string());
    for (const std::string& path : paths) {
      struct stat st {};
      must(::lstat(path.c_str(), &st) == 0, "stat");
      if (!seen.insert(st.st_ino).second) continue;
      const std::string said = runProgram({"/usr/bin/cksum", path}).out;
      const std::string sum = said.substr(0, said.find(' '));
      all[{static_cast<std::uintmax_t>(st.st_size), sum}].insert(path.substr(top.size() + 1));
    }
    Groups groups;
    for (auto& [key, members] : all)
      if (members.size() > 1) groups.insert(members);
    return groups;
  }
};

TEST_P(Trees, GroupsAreThoseOfAPlainListing) {
  const char* soak = std::getenv("ZT_SOAK");
  const unsigned seeds = soak != nullptr ? static_cast<unsigned>(std::max(1, std::atoi(soak))) : 1;
  for (unsigned seed = 1; seed <= seeds; ++seed) {
    SCOPED_TRACE("seed " + std::to_string(seed));
    LoopDrive drive(GetParam(), (soak != nullptr ? 24 : 6) * gib);
    ZT_NEEDS(drive);
    furnish(drive.path(), seed, GetParam() != std::string("ext4"), soak != nullptr ? 20 * gib : 4 * gib);
    ::sync();
    auto made = Job::create(realWorkshop(), drive.path(), false, {});
    ASSERT_TRUE(made);
    Job& job = **made;
    ASSERT_TRUE(job.measurer().measure({}, {}, nullptr));
    MatchBook::Options options;
    options.least = 1;
    const auto result = job.contents().match(options, nullptr);
    ASSERT_TRUE(result);
    EXPECT_TRUE(result->left.empty());
    const SurveyTree& tree = job.surveys().survey()->tree;
    // One name an inode there, too, whichever it is.
    std::map<std::uint64_t, std::string> first;
    for (NodeId id = 1; id < tree.size(); ++id)
      if (tree.kind(id) == EntryKind::file) {
        auto& name = first[tree.inode(id)];
        if (name.empty() || tree.path(id) < name) name = tree.path(id);
      }
    Groups found;
    for (const EqualFiles& group : result->groups) {
      std::set<std::string> members;
      for (const NodeId node : group.nodes) members.insert(first[tree.inode(node)]);
      found.insert(members);
    }
    const Groups expected = plain(drive.path());
    EXPECT_EQ(found, expected);
    EXPECT_GT(expected.size(), 1u);
    const double ratio =
        static_cast<double>(result->read) / static_cast<double>(std::max<Bytes>(result->needed, 1));
    std::printf("%s, seed %u: %zu groups, read %.1f MB, read / needed %.4f\n", GetParam(), seed,
                expected.size(), static_cast<double>(result->read) / 1e6, ratio);
    std::fflush(stdout);
    EXPECT_LE(ratio, 1.05);
  }
}

class Sharing : public ::testing::TestWithParam<const char*> {};

/// What shares all its bytes is equal unread, and no find: nothing would come of it. A real copy beside it is
/// one, and what it would give with links or shared bytes instead is said.
TEST_P(Sharing, WhatIsStoredOnceIsNotReadAndNotFound) {
  LoopDrive drive(GetParam(), gib);
  ZT_NEEDS(drive);
  const auto copy = [&](const std::string& from, const std::string& to, const char* how) {
    must(runProgram({"/bin/cp", std::string("--reflink=") + how, drive / from, drive / to}).status == 0,
         "cp");
  };
  for (const char* name : {"once", "twice"}) {
    std::mt19937_64 random(static_cast<unsigned char>(name[0]));
    std::string bytes(8'000'000, '\0');
    for (char& c : bytes) c = static_cast<char>(random());
    if (name[0] == 't') bytes += "longer";
    std::ofstream(drive / name, std::ios::binary) << bytes;
  }
  copy("once", "once-more", "always");
  copy("twice", "twice-shared", "always");
  copy("twice", "twice-real", "never");
  ::sync();
  const TempFolder t;
  auto job = Job::create(realWorkshop(), drive.path(), false, {t / "a.ztjob"}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  MatchBook::Options options;
  options.least = 1;
  const auto result = job->contents().match(options, nullptr);
  ASSERT_TRUE(result);
  ASSERT_EQ(result->groups.size(), 2u);
  EXPECT_TRUE(std::any_of(result->groups.begin(), result->groups.end(),
                          [](const EqualFiles& g) { return g.storedOnce(); }));
  EXPECT_LE(result->read, 2u * 8'100'000u) << "of three files that are two bodies two are read";
  std::vector<const Find*> found;
  for (const Find& find : *job->surveys().finds())
    if (find.kind == "duplicates") found.push_back(&find);
  ASSERT_EQ(found.size(), 1u);
  const auto share = std::find_if(found[0]->offers.begin(), found[0]->offers.end(),
                                  [](const Offer& o) { return o.action == "share"; });
  ASSERT_NE(share, found[0]->offers.end());
  EXPECT_GE(share->gain.atMost, 8'000'000u);
  // What is kept of it is understood again.
  job.reset();
  auto again = Job::open(realWorkshop(), t / "a.ztjob").value();
  std::size_t kept = 0;
  for (const Find& find : *again->surveys().finds()) kept += find.kind == "duplicates";
  EXPECT_EQ(kept, 1u);
}

/// One of two that shared all their bytes was written to since, with its times put back: what a new
/// comparison says of them counts, not what was found before.
TEST_P(Sharing, WhatANewComparisonContradictsIsNotFoundAnyMore) {
  LoopDrive drive(GetParam(), gib);
  ZT_NEEDS(drive);
  std::mt19937_64 random(7);
  std::string bytes(8'000'000, '\0');
  for (char& c : bytes) c = static_cast<char>(random());
  std::ofstream(drive / "one", std::ios::binary) << bytes;
  for (const char* copy : {"two", "three"})
    must(runProgram({"/bin/cp", "--reflink=always", drive / "one", drive / copy}).status == 0, "cp");
  ::sync();
  auto job = Job::create(realWorkshop(), drive.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  MatchBook::Options options;
  options.least = 1;
  ASSERT_EQ(job->contents().match(options, nullptr)->groups.at(0).nodes.size(), 3u);
  struct stat st {};
  ASSERT_EQ(::stat((drive / "two").c_str(), &st), 0);
  const int fd = ::open((drive / "two").c_str(), O_WRONLY | O_CLOEXEC);
  ASSERT_EQ(::pwrite(fd, "other", 5, 4'000'000), 5);
  const timespec times[2]{st.st_atim, st.st_mtim};
  ASSERT_EQ(::futimens(fd, times), 0);
  ::close(fd);
  ASSERT_TRUE(job->contents().match(options, nullptr));
  const SurveyTree& tree = job->surveys().survey()->tree;
  for (const EqualFiles& group : *equalFiles(job->surveys().detected().contents))
    for (const NodeId node : group.nodes) EXPECT_NE(tree.path(node), "two");
  EXPECT_EQ(equalFiles(job->surveys().detected().contents)->size(), 1u);
}

/// Folders on a file system that keeps tiny files among its records, and numbers the files of every subvolume
/// from the beginning: what is equal is found, and what has the number of something else is not taken for it.
TEST(EqualOnBtrfs, TinyFilesLinksAndNumbersThatComeAgain) {
  LoopDrive drive("btrfs", gib);
  ZT_NEEDS(drive);
  const auto noise = [](unsigned seed, std::size_t size) {
    std::mt19937 random(seed);
    std::string bytes(size, '\0');
    for (char& c : bytes) c = static_cast<char>(random());
    return bytes;
  };
  for (const char* name : {"a", "b", "c"}) {
    const std::string vol = drive / name;
    must(runProgram({"/usr/bin/btrfs", "-q", "subvolume", "create", vol}).status == 0, "create");
    std::filesystem::create_directory(vol + "/d");
    // One number in all three, two names each; another content in b.
    std::ofstream(vol + "/d/x", std::ios::binary) << noise(name[0] == 'b' ? 1 : 2, 50'000);
    std::filesystem::create_hard_link(vol + "/d/x", vol + "/d/y");
    std::ofstream(vol + "/d/big", std::ios::binary) << noise(3, 900'000);
    std::ofstream(vol + "/d/tiny", std::ios::binary) << noise(4, 300);
    std::filesystem::create_symlink("tiny", vol + "/d/link");
  }
  ::sync();
  auto job = Job::create(realWorkshop(), drive.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  MatchBook::Options options;
  options.least = 40'000;
  ASSERT_TRUE(job->contents().match(options, nullptr));
  const SurveyTree& tree = job->surveys().survey()->tree;
  std::set<std::string> said;
  for (const FolderCopy& copy : folderCopiesIn(job->surveys().detected().ofContents.front()))
    said.insert(tree.path(copy.gone) + " -> " + tree.path(copy.stays));
  EXPECT_TRUE(said == std::set<std::string>{"c -> a"} || said == std::set<std::string>{"c/d -> a/d"} ||
              said == std::set<std::string>{"a -> c"} || said == std::set<std::string>{"a/d -> c/d"})
      << (said.empty() ? "none" : *said.begin());
}

INSTANTIATE_TEST_SUITE_P(Real, Sharing, ::testing::Values("xfs", "btrfs"),
                         [](const auto& one) { return std::string(one.param); });

INSTANTIATE_TEST_SUITE_P(Real, Trees, ::testing::Values("ext4", "xfs", "btrfs"),
                         [](const auto& one) { return std::string(one.param); });

}  // namespace
}  // namespace zt::test
