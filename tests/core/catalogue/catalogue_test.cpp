// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/catalogue.h"

#include <gtest/gtest.h>

#include "core/catalogue/judge.h"
#include "core/catalogue/systems_seen.h"
#include "support/fakes.h"
#include "support/memory_file_system.h"

namespace zt::test {
namespace {

PlaceMap places(SystemFamily family, PathBytes inDrive = {}, bool certain = true) {
  return PlaceMap({{"", std::move(inDrive), family, certain, false}}, {});
}
PlaceMap linuxPlaces() {
  return places(SystemFamily::linuxFamily);
}
PlaceMap dataPlaces() {
  return PlaceMap({}, {});
}

TEST(Catalogue, LocksTheSystem) {
  const auto c = linuxPlaces();
  for (const char* path : {"usr", "usr/bin/tool", "etc/passwd", "boot/vmlinuz", "lib64/x",
                           "var/lib/dpkg/status", "swapfile", "home"})
    EXPECT_EQ(c.standing(path), Standing::bedrock) << path;
}

TEST(Catalogue, TellsCachesFromRecords) {
  const auto c = linuxPlaces();
  EXPECT_EQ(c.standing("home/warden/.cache/browser/entry"), Standing::rebuilds);
  EXPECT_EQ(c.standing("home/warden/.local/share/browser/history.db"), Standing::kept);
  EXPECT_EQ(c.standing("home/warden/Documents/x"), Standing::ownersCall);
  EXPECT_EQ(c.standing("var/cache/apt/archives/p.deb"), Standing::spent);
  EXPECT_EQ(c.standing("var/cache/apt/archives/lock"), Standing::bedrock);
  EXPECT_EQ(c.standing("old/backup.img"), Standing::unjudged);
}

TEST(Catalogue, SpeaksOfSystemPlacesOnlyWhereASystemLies) {
  const auto c = dataPlaces();
  EXPECT_EQ(c.standing("usr/bin"), Standing::unjudged);
  EXPECT_EQ(c.standing(".Trash-1000/files/x"), Standing::ownersCall);
  EXPECT_TRUE(c.locked(".zip-tally-hold/run-1"));
}

TEST(Catalogue, LocksFoldersThatHoldBedrock) {
  const auto c = linuxPlaces();
  EXPECT_TRUE(c.locked("var"));
  EXPECT_TRUE(c.locked("var/cache/apt"));
  EXPECT_TRUE(c.locked("usr/share/doc"));
  EXPECT_FALSE(c.locked("home/warden/.cache"));
  EXPECT_FALSE(c.locked("srv/recordings"));
}

TEST(Catalogue, SeesAMeasuredFolderInItsPlace) {
  EXPECT_EQ(places(SystemFamily::linuxFamily, "usr").standing("share/doc"), Standing::bedrock);
  EXPECT_EQ(places(SystemFamily::linuxFamily, "home/warden").standing(".cache/x"), Standing::rebuilds);
  EXPECT_EQ(places(SystemFamily::linuxFamily, "home").standing("warden/x"), Standing::ownersCall);
}

TEST(Catalogue, JudgesNothingOfAnUncertainSystemToBeSpent) {
  const auto c = places(SystemFamily::linuxFamily, {}, false);
  EXPECT_EQ(c.standing("usr/bin/tool"), Standing::bedrock) << "what is strict holds";
  for (const char* path : {"var/cache/apt/archives/p.deb", "home/warden/.cache/browser/entry"})
    EXPECT_LE(c.standing(path), Standing::unjudged) << path;
}

TEST(Catalogue, KnowsTheOtherFamiliesInAnyCase) {
  const auto nt = places(SystemFamily::nt);
  for (const char* path : {"Windows/System32/config/SYSTEM", "WINDOWS/system32", "bootmgr"})
    EXPECT_TRUE(nt.locked(path)) << path;
  const auto mac = places(SystemFamily::mac);
  EXPECT_TRUE(mac.locked("System/Library/CoreServices"));
}

TEST(Catalogue, TreatsASystemKeptByAnUpgradeAsAWhole) {
  const PlaceMap c({{"", "", SystemFamily::linuxFamily, true, false},
                    {"previous-system", "", SystemFamily::linuxFamily, true, true}},
                   {});
  EXPECT_TRUE(c.locked("previous-system/usr/lib/x")) << "no part of it by itself";
  EXPECT_TRUE(c.locked("previous-system/var/cache"));
  EXPECT_FALSE(c.locked("previous-system")) << "but as a whole somebody may let it go";
}

/// A system below a folder of the running machine, as when a drive's content was copied there: its own names
/// count.
TEST(Catalogue, SeesASystemInAFolderOfTheRunningOne) {
  Drive live;
  live.liveSystem = true;
  live.target = "/";
  live.systems = {{"", "", SystemFamily::linuxFamily, true, false}};
  const auto bedrockIn = [&](std::initializer_list<const char*> paths, const char* asked) {
    MemoryFileSystem files;
    for (const char* path : paths) files.add(path, "x");
    const auto survey = surveyOf(borrowed(files), "/");
    survey->root = "/home/kim/copy";
    return PlaceMap(systemsSeen(live, *survey), "home/kim/copy").locked(asked);
  };
  EXPECT_TRUE(bedrockIn({"etc/os-release", "usr/bin/sh", "var/lib/dpkg/status"}, "usr/bin/sh"));
  EXPECT_TRUE(
      bedrockIn({"Windows/System32/ntoskrnl.exe", "Windows/System32/config/SYSTEM"}, "Windows/System32"));
  EXPECT_TRUE(
      bedrockIn({"System/Library/CoreServices/SystemVersion.plist", "private/var/db/x"}, "System/Library"));
  EXPECT_FALSE(bedrockIn({"films/one.mp4"}, "films"));
}

/// A folder that is built like a system is not taken apart, though nothing in it says what it is.
TEST(Catalogue, TakesNoPartOfWhatIsBuiltLikeASystem) {
  MemoryFileSystem files;
  for (const char* f :
       {"etc/os-release", "usr/bin/sh", "var/lib/dpkg/status", "before-upgrade/etc/setting.conf",
        "before-upgrade/usr/lib/old.so", "before-upgrade/var/cache/apt/archives/p.deb"})
    files.add(f, std::string(20'000, 'x'));
  const auto survey = surveyOf(borrowed(files), "/");
  const PlaceMap places(systemsSeen(Drive{}, *survey), {});
  EXPECT_FALSE(places.locked("before-upgrade"));
  const auto all = judge(places, survey->tree, {});
  for (const char* path :
       {"before-upgrade/etc/setting.conf", "before-upgrade/usr/lib", "before-upgrade/var/cache"}) {
    EXPECT_TRUE(places.locked(path)) << path;
    EXPECT_TRUE(all.part[*survey->tree.find(path)]) << path;
  }
  EXPECT_FALSE(all.part[*survey->tree.find("before-upgrade")]);
}

TEST(Catalogue, GivesEveryNodeTheStandingOfItsPath) {
  MemoryFileSystem files;
  for (const char* f : {"usr/bin/a", "home/w/.cache/thumbnails/large/0123456789abcdef0123456789abcdef.png",
                        "home/w/doc", "odd/thing", "var/log/m"})
    files.add(f, "x");
  const auto survey = surveyOf(borrowed(files), "/");
  const auto c = linuxPlaces();
  const auto all = judge(c, survey->tree, {.now = survey->finished + 400 * nsPerDay, .head = {}});
  for (NodeId id = 1; id < survey->tree.size(); ++id) {
    EXPECT_EQ(all.judgement(id).standing, c.standing(survey->tree.path(id))) << survey->tree.path(id);
    EXPECT_EQ(all.judgement(id).regret, c.regret(survey->tree.path(id))) << survey->tree.path(id);
  }
}

}  // namespace
}  // namespace zt::test
