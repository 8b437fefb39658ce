// SPDX-License-Identifier: GPL-3.0-or-later
// Equal content: what is compared, how little is read, and that a collision of digests is found out.
#include "core/match/matcher.h"

#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <fstream>
#include <random>
#include <set>

#include "core/job/job.h"
#include "core/match/duplicates.h"
#include "core/match/file_content.h"
#include "core/os/linux/linux_file_system.h"
#include "demo/builder.h"
#include "support/noise.h"
#include "support/planned.h"
#include "support/run_program.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

using Groups = std::set<std::set<std::string>>;

struct Matched : ::testing::Test {
  void put(const std::string& path, const std::string& content) { files->add(path, content); }
  void look() {
    survey = surveyOf(files, top);
    FindOptions options;
    options.now = survey->finished;
    options.kinds = KindTable::ofThisMachine().value_or(KindTable());
    context = std::make_shared<FindContext>(survey, PlaceMap(systems, {}), options);
  }
  MatchResult run(MatchOptions options = {}) {
    const auto root = files->openRoot(top).value();
    return match(*files, *root, *context, options, {}, nullptr);
  }
  Groups groups(const MatchResult& result) const {
    Groups all;
    for (const EqualFiles& g : result.groups) {
      std::set<std::string> paths;
      for (const NodeId node : g.nodes) paths.insert(survey->tree.path(node));
      all.insert(paths);
    }
    return all;
  }
  std::shared_ptr<MemoryFileSystem> files = std::make_shared<MemoryFileSystem>();
  std::vector<SystemRoot> systems;
  std::string top = "/";
  std::shared_ptr<Survey> survey;
  ContextPtr context;
};

TEST_F(Matched, FindsEqualFilesAndNoNearMisses) {
  const std::string one = noise(300'000, 1);
  std::string lastByte = one, middle = one;
  lastByte.back() ^= 1;
  middle[150'000] ^= 1;
  put("a/one", one);
  put("b/one again", one);
  put("c/last byte", lastByte);
  put("d/middle", middle);
  put("e/shorter", one.substr(1));
  put("f/small", "hello");
  put("g/small", "hello");
  put("h/small", "hullo");
  put("i/empty", "");
  put("j/empty", "");
  look();
  const MatchResult result = run();
  EXPECT_EQ(groups(result), (Groups{{"a/one", "b/one again"}, {"f/small", "g/small"}}));
  EXPECT_TRUE(result.left.empty());
  EXPECT_EQ(result.groups.front().length, 300'000u) << "what matters most comes first";
  EXPECT_LE(result.read, result.needed + result.needed / 20);
}

TEST_F(Matched, ReadsNothingWhereNoLengthIsTwice) {
  for (std::size_t i = 1; i < 200; ++i) put("f" + std::to_string(i), std::string(i * 100, 'x'));
  look();
  const MatchResult result = run();
  EXPECT_EQ(result.read, 0u);
  for (const std::string& call : files->calls()) EXPECT_EQ(call.find("open-file"), std::string::npos) << call;
}

TEST_F(Matched, ReadsOnceWhatItKnows) {
  const std::string one = noise(300'000, 1);
  put("a", one);
  put("b", one);
  look();
  const MatchResult first = run();
  KnownDigests known;
  for (const auto& [node, digest] : first.digests)
    known[survey->tree.inode(node)] = {survey->tree.identity(node), digest};
  EXPECT_EQ(known.size(), 2u);
  MatchOptions options;
  options.known = &known;
  const MatchResult second = run(options);
  EXPECT_EQ(groups(second), groups(first));
  EXPECT_LE(second.read, 2u * 8192) << "the ends, to see that it is worth it";
}

TEST_F(Matched, LeavesOutWhatChangesAndWhatFails) {
  const std::string one = noise(300'000, 1);
  for (const char* name : {"a", "b", "c", "d"}) put(name, one);
  look();
  files->add("c", one + "grown");
  const MatchResult result = run();
  EXPECT_EQ(groups(result), (Groups{{"a", "b", "d"}}));
  ASSERT_EQ(result.left.size(), 1u);
  EXPECT_EQ(result.left[0].error.code, Errc::changed);
  EXPECT_EQ(result.left[0].error.path, "c");
}

TEST_F(Matched, StopsAndKeepsWhatItKnows) {
  for (int g = 0; g < 20; ++g)
    for (int i = 0; i < 3; ++i)
      put(std::to_string(g) + "-" + std::to_string(i), noise(100'000 + static_cast<std::size_t>(g), 1));
  look();
  std::stop_source stop;
  MatchOptions options;
  options.stop = stop.get_token();
  options.readers = 1;
  std::size_t seen = 0;
  const auto root = files->openRoot("/").value();
  const MatchResult result = match(
      *files, *root, *context, options,
      [&](const EqualFiles&) {
        if (++seen == 5) stop.request_stop();
      },
      nullptr);
  EXPECT_TRUE(result.stopped);
  EXPECT_GE(result.groups.size(), 5u);
  EXPECT_LT(result.groups.size(), 20u);
}

/// The keeper by each rule, and the rules in another order.
TEST_F(Matched, KeepsTheOneThatTheRulesSay) {
  const auto keeper = [&](const std::vector<std::pair<std::string, int>>& all, const Marks& marks,
                          KeeperOrder order) {
    files = std::make_shared<MemoryFileSystem>();
    for (const auto& [path, days] : all) {
      put(path, "the same");
      files->age(path, (1000 - days) * nsPerDay);
    }
    look();
    const MatchResult result = run();
    const Keeper k = keeperOf(*context, result.groups.at(0), marks, order);
    return survey->tree.path(k.node) + " " + std::string(name(k.why));
  };
  EXPECT_EQ(keeper({{"b/x", 5}, {"a/x", 9}}, {}, usualOrder()), "a/x older");
  const std::pair<std::string, int> dayBefore{"copies/20240101-old/x", 9}, day{"copies/20240102-old/x", 9};
  EXPECT_EQ(keeper({dayBefore, day, {"z/x", 5}}, {}, usualOrder()), "z/x not-dated");
  EXPECT_EQ(
      keeper({{"Pictures/2024-01-02/x", 9}, {"Pictures/2024-01-03/y2", 8}, {"z/x", 5}}, {}, usualOrder()),
      "Pictures/2024-01-02/x older")
      << "a library by date is no backup";
  EXPECT_EQ(keeper({{"deep/er/x", 5}, {"z/x", 5}}, {}, usualOrder()), "z/x shorter-path");
  EXPECT_EQ(keeper({{"a/x", 5}, {"z/x", 5}}, {}, usualOrder()), "a/x first-of-equal");
  EXPECT_EQ(keeper({{"deep/er/x", 9}, {"z/x", 5}}, {}, {KeeperRule::shorterPath}), "z/x shorter-path");
  Marks marks;
  marks.set("z/x", Mark::keep);
  EXPECT_EQ(keeper({{"a/x", 9}, {"z/x", 5}}, marks, usualOrder()), "z/x said-keep");
}

/// What was made first is the original, though a copy may have kept an older date.
TEST_F(Matched, OlderIsWhatWasMadeFirst) {
  for (const char* path : {"a/x", "z/x"}) put(path, "the same");
  files->age("a/x", 1 * nsPerDay);
  files->age("z/x", 2 * nsPerDay);
  look();
  EqualFiles group = run().groups.at(0);
  EXPECT_EQ(group.born.size(), 2u);
  const NodeId a = *survey->tree.find("a/x"), z = *survey->tree.find("z/x");
  EXPECT_EQ(keeperOf(*context, group, {}, usualOrder()).node, a) << "made at once: by the date";
  group.born = {{a, 500 * nsPerDay}, {z, 400 * nsPerDay}};
  EXPECT_EQ(keeperOf(*context, group, {}, usualOrder()).node, z);
  group.born = {{a, 500 * nsPerDay}};
  EXPECT_EQ(keeperOf(*context, group, {}, usualOrder()).node, a) << "of one it is not known";
}

/// A file of two names gives its bytes only with both; one of which a name lies elsewhere gives nothing.
TEST_F(Matched, ACopyGoesWithAllItsNames) {
  put("a/x", noise(9'000, 1));
  put("b/x", noise(9'000, 1));
  files->link("b/x", "c/y");
  files->age("a/x", 1);
  look();
  const MatchResult result = run();
  ASSERT_EQ(result.groups.size(), 1u);
  const auto find = duplicateFind(*context, result.groups[0], {}, usualOrder());
  ASSERT_TRUE(find);
  ASSERT_EQ(find->items.size(), 2u);
  EXPECT_EQ(find->items[0].path, "b/x");
  EXPECT_EQ(find->items[1].path, "c/y");
  EXPECT_EQ(find->gain.sure, 12'288u);
  // One of its names lies outside what was measured.
  put("in/a/x", noise(7'000, 2));
  put("in/b/x", noise(7'000, 2));
  files->age("in/a/x", 1);
  top = "/in";
  look();
  ASSERT_TRUE(duplicateFind(*context, run().groups.at(0), {}, usualOrder()));
  files->link("in/b/x", "out/y");
  look();
  EXPECT_FALSE(duplicateFind(*context, run().groups.at(0), {}, usualOrder()));
}

/// Two that the system needs and one that lies about: only that one is a copy too many.
TEST_F(Matched, NoCopyThatTheSystemNeedsGoes) {
  systems = {{"", "", SystemFamily::linuxFamily, true, false}};
  for (const char* path : {"usr/lib/a/tool.so", "usr/lib/b/tool.so", "home/kim/tool.so"})
    put(path, noise(50'000, 1));
  look();
  const MatchResult result = run();
  ASSERT_EQ(result.groups.size(), 1u);
  const auto find = duplicateFind(*context, result.groups[0], {}, usualOrder());
  ASSERT_TRUE(find);
  ASSERT_EQ(find->items.size(), 1u);
  EXPECT_EQ(find->items[0].path, "home/kim/tool.so");
}

/// What was thrown away is the trash's find; it makes nothing else a copy.
TEST_F(Matched, WhatLiesInATrashIsNotCompared) {
  systems = {{"", "", SystemFamily::linuxFamily, true, false}};
  const std::string content = noise(50'000, 1);
  put("home/kim/letters/one.odt", content);
  put("home/kim/.local/share/Trash/files/one.odt", content);
  put("home/kim/.local/share/Trash/info/one.odt.trashinfo", "[Trash Info]\nPath=/home/kim/one.odt\n");
  put("home/kim/.local/share/Trash/files/two.odt", content);
  look();
  ASSERT_TRUE(context->inTrash[*survey->tree.find("home/kim/.local/share/Trash/files/one.odt")]);
  EXPECT_EQ(groups(run()), Groups{});
  // Beside a real copy it is named, and goes with its trash.
  put("home/kim/old/one.odt", content);
  look();
  const MatchResult result = run();
  ASSERT_EQ(result.groups.size(), 1u);
  EXPECT_EQ(result.groups[0].nodes.size(), 2u);
  EXPECT_EQ(result.groups[0].thrownAway.size(), 2u);
  const auto find = duplicateFind(*context, result.groups[0], {}, usualOrder());
  ASSERT_TRUE(find);
  EXPECT_EQ(find->items.size(), 1u);
  EXPECT_EQ(numberIn(*find, "in-trash"), 2u);
  EXPECT_EQ(textIn(*find, "in-trash-at"), "home/kim/.local/share/Trash/files/one.odt");
}

/// A name in very many places is told with the largest of them; no plan takes the newest.
TEST_F(Matched, ANameInManyPlacesIsTold) {
  for (int i = 0; i < 60; ++i) {
    const std::string path = "d" + std::to_string(100 + i) + "/film.mkv";
    put(path, noise(1'000'000 + static_cast<std::size_t>(i) * 5000, static_cast<unsigned>(i)));
    files->age(path, (i + 1) * nsPerDay);
  }
  look();
  const auto finds = namesakeFinds(*context, run().groups);
  ASSERT_EQ(finds.size(), 1u);
  EXPECT_EQ(finds[0].items.size(), 50u);
  EXPECT_EQ(numberIn(finds[0], "left-out"), 10u);
  EXPECT_EQ(finds[0].items.front().path, "d159/film.mkv");
  const Find rest = withoutNewest(*context, finds[0], finds[0]);
  EXPECT_EQ(rest.items.size(), 49u);
  for (const Subject& item : rest.items) EXPECT_NE(item.path, "d159/film.mkv");
}

TEST_F(Matched, PutsNamesakesSideBySide) {
  put("a/film.mkv", noise(1'200'000, 1));
  put("b/film.mkv", noise(1'200'000, 2));
  put("c/film.mkv", noise(1'300'000, 3));
  put("d/film.mkv", noise(1'200'000, 1));
  put("e/other.mkv", noise(1'200'000, 4));
  put("f/notes.bin", noise(1'200'000, 5));
  put("g/notes.bin", noise(1'200'001, 5));
  look();
  const MatchResult result = run();
  const auto finds = namesakeFinds(*context, result.groups);
  ASSERT_EQ(finds.size(), 1u) << "of one kind that says something";
  EXPECT_EQ(finds[0].items.size(), 3u) << "of equal ones one stands for both";
  EXPECT_EQ(finds[0].place, "film.mkv");
  for (const Offer& o : finds[0].offers) EXPECT_EQ(o.action, "hold") << "which goes is said one by one";
}

/// Seeded trees on a real file system: sparse and full, links, near misses; a plain checksum listing says the
/// same.
TEST(MatchedOnDisk, GroupsAreThoseOfAChecksumListing) {
  for (unsigned seed = 1; seed <= 3; ++seed) {
    SCOPED_TRACE(seed);
    std::printf("seed %u\n", seed);
    TempFolder t;
    std::mt19937 random(seed);
    const auto pick = [&](std::size_t n) { return static_cast<std::size_t>(random() % n); };
    std::vector<std::string> contents;
    for (int i = 0; i < 12; ++i) contents.push_back(noise(1 + pick(400'000), random()));
    for (int i = 0; i < 12; ++i) {
      std::string near = contents[pick(12)];
      near[pick(near.size())] ^= 4;
      contents.push_back(near);
    }
    for (int i = 0; i < 4; ++i)
      contents.push_back(std::string(300'000, '\0') + noise(10, random()) + std::string(200'000, '\0'));
    for (int i = 0; i < 120; ++i) {
      const std::string path = "d" + std::to_string(i % 7) + "/f" + std::to_string(i);
      const std::string& content = contents[pick(contents.size())];
      if (pick(4) == 0) {  // the same, with its zeros as holes
        t.file(path, "");
        std::fstream out(t / path, std::ios::in | std::ios::out | std::ios::binary);
        for (std::size_t at = 0; at < content.size(); at += 4096) {
          const std::string part = content.substr(at, 4096);
          if (part.find_first_not_of('\0') == std::string::npos) continue;
          out.seekp(static_cast<std::streamoff>(at));
          out << part;
        }
        out.close();
        ASSERT_EQ(::truncate((t / path).c_str(), static_cast<off_t>(content.size())), 0);
      } else {
        t.file(path, content);
      }
      if (pick(5) == 0) must(::link((t / path).c_str(), (t / (path + "-link")).c_str()) == 0, "link");
    }
    const auto files = std::make_shared<LinuxFileSystem>();
    const auto survey = surveyOf(files, t.path());
    FindOptions options;
    options.now = survey->finished;
    const FindContext context(survey, PlaceMap({}, {}), options);
    const auto root = files->openRoot(t.path()).value();
    const MatchResult result = match(*files, *root, context, {}, {}, nullptr);
    std::map<std::string, std::set<std::uint64_t>> listed;
    const Ran sums =
        runProgram({"/bin/sh", "-c", "cd " + t.path() + " && find . -type f -size +0 -exec sha256sum {} +"});
    std::istringstream lines(sums.out);
    for (std::string sum, path; lines >> sum >> path;)
      listed[sum].insert(survey->tree.inode(survey->tree.find(path.substr(2)).value()));
    std::set<std::set<std::uint64_t>> expected, found;
    for (const auto& [sum, inodes] : listed)
      if (inodes.size() > 1) expected.insert(inodes);
    for (const EqualFiles& g : result.groups) {
      std::set<std::uint64_t> inodes;
      for (const NodeId node : g.nodes) inodes.insert(survey->tree.inode(node));
      EXPECT_EQ(inodes.size(), g.nodes.size()) << "one name an inode";
      found.insert(inodes);
    }
    EXPECT_EQ(found, expected);
    EXPECT_LE(result.read, result.needed + result.needed / 20);
    EXPECT_TRUE(result.left.empty());
  }
}

/// The stand-in drive: what its list expects of equal files and namesakes, and none of its near misses.
TEST(MatchedOnDisk, FindsWhatTheOfficeDrivePromises) {
  TempFolder t;
  const Workshop real = realWorkshop();
  ASSERT_TRUE(zt::demo::build(t / "si", real.clock->now()));
  const auto job = Job::create(real, t / "si", true, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  MatchBook::Options options;
  options.least = 1;
  const auto result = job->contents().match(options, nullptr);
  ASSERT_TRUE(result);
  EXPECT_TRUE(result->left.empty());
  EXPECT_LE(result->read, result->needed + result->needed / 20);
  const auto list = nlohmann::json::parse(t.read("si/expected-finds.json"));
  int checked = 0;
  for (const auto& e : list) {
    const std::string kind = e["kind"], path = e["path"];
    if (kind != "duplicates" && kind != "namesakes") continue;
    bool found = false;
    for (const Find& f : *job->surveys().finds()) {
      if (f.kind != kind) continue;
      found = found || f.place == path || f.place.starts_with(path + "/");
      for (const Subject& s : f.items) found = found || s.path == path || s.path.starts_with(path + "/");
    }
    EXPECT_EQ(found, e["find"].get<bool>()) << e;
    ++checked;
  }
  EXPECT_GE(checked, 6);
}

TEST(MatchedOnDisk, ComparesByteByByte) {
  TempFolder t;
  const std::string one = noise(3'000'000, 7);
  std::string other = one;
  other[2'345'678] ^= 1;
  t.file("a", one);
  t.file("b", one);
  t.file("c", other);
  t.file("d", one.substr(0, 100));
  LinuxFileSystem files;
  const auto root = files.openRoot(t.path()).value();
  const auto open = [&](const char* name) { return files.openFile(*root, name).value(); };
  EXPECT_FALSE(*firstDifference(*open("a"), *open("b"), {}));
  EXPECT_EQ(**firstDifference(*open("a"), *open("c"), {}), 2'345'678u);
  EXPECT_EQ(**firstDifference(*open("a"), *open("d"), {}), 100u);
}

}  // namespace
}  // namespace zt::test
