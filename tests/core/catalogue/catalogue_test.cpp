// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/catalogue.h"

#include <gtest/gtest.h>

#include "support/fakes.h"
#include "support/memory_file_system.h"

namespace zt::test {
namespace {

const Anchor system{"", true};
const Anchor data{"", false};

TEST(Catalogue, LocksTheSystem) {
  const auto& c = Catalogue::builtIn();
  for (const char* path : {"usr", "usr/bin/tool", "etc/passwd", "boot/vmlinuz", "lib64/x",
                           "var/lib/dpkg/status", "swapfile", "home"})
    EXPECT_EQ(c.standing(system, path), Standing::bedrock) << path;
}

TEST(Catalogue, TellsCachesFromRecords) {
  const auto& c = Catalogue::builtIn();
  EXPECT_EQ(c.standing(system, "home/warden/.cache/browser/entry"), Standing::rebuilds);
  EXPECT_EQ(c.standing(system, "home/warden/.local/share/browser/history.db"), Standing::kept);
  EXPECT_EQ(c.standing(system, "home/warden/Documents/x"), Standing::ownersCall);
  EXPECT_EQ(c.standing(system, "var/cache/apt/archives/p.deb"), Standing::spent);
  EXPECT_EQ(c.standing(system, "var/cache/apt/archives/lock"), Standing::bedrock);
  EXPECT_EQ(c.standing(system, "old/backup.img"), Standing::unjudged);
}

TEST(Catalogue, SpeaksOfSystemPlacesOnlyWhereASystemLies) {
  const auto& c = Catalogue::builtIn();
  EXPECT_EQ(c.standing(data, "usr/bin"), Standing::unjudged);
  EXPECT_EQ(c.standing(data, ".Trash-1000/files/x"), Standing::ownersCall);
  EXPECT_TRUE(c.touchesBedrock(data, ".zip-tally-hold/run-1"));
}

TEST(Catalogue, LocksFoldersThatHoldBedrock) {
  const auto& c = Catalogue::builtIn();
  EXPECT_TRUE(c.touchesBedrock(system, "var"));
  EXPECT_TRUE(c.touchesBedrock(system, "var/cache/apt"));
  EXPECT_TRUE(c.touchesBedrock(system, "usr/share/doc"));
  EXPECT_FALSE(c.touchesBedrock(system, "home/warden/.cache"));
  EXPECT_FALSE(c.touchesBedrock(system, "srv/recordings"));
}

TEST(Catalogue, SeesAMeasuredFolderInItsPlace) {
  const auto& c = Catalogue::builtIn();
  EXPECT_EQ(c.standing({"usr", true}, "share/doc"), Standing::bedrock);
  EXPECT_EQ(c.standing({"home/warden", true}, ".cache/x"), Standing::rebuilds);
  EXPECT_EQ(c.standing({"home", true}, "warden/x"), Standing::ownersCall);
}

TEST(Catalogue, GivesEveryNodeTheStandingOfItsPath) {
  MemoryFileSystem files;
  for (const char* f : {"usr/bin/a", "home/w/.cache/t/x", "home/w/doc", "odd/thing", "var/log/m"})
    files.add(f, "x");
  const auto survey = surveyOf(files, "/");
  const auto& c = Catalogue::builtIn();
  const auto all = c.standings(survey->tree, system);
  for (NodeId id = 1; id < survey->tree.size(); ++id)
    EXPECT_EQ(all[id], c.standing(system, survey->tree.path(id))) << survey->tree.path(id);
}

TEST(Catalogue, RefusesBadText) {
  for (const char* text :
       {"", "x", "[[place]]\nid='a'", "[[place]]\nid='a'\npath='..'\nstanding='spent'",
        "[[place]]\nid='a'\npath='b'\nstanding='x'", "[[place]]\npath='b'\nstanding='spent'", "place = 3"})
    EXPECT_EQ(Catalogue::parse(text).error().code, Errc::badInput) << text;
}

TEST(AnchorOf, SeesLiveDrivesFromTheTop) {
  Drive live;
  live.liveSystem = true;
  live.target = "/home";
  EXPECT_EQ(anchorOf(live, "/home/warden").prefix, "home/warden");
  Drive guest;
  guest.target = "/mnt/pc";
  guest.family = SystemFamily::linuxKind;
  EXPECT_EQ(anchorOf(guest, "/mnt/pc/usr").prefix, "usr");
  EXPECT_TRUE(anchorOf(guest, "/mnt/pc").system);
  guest.family = SystemFamily::none;
  EXPECT_FALSE(anchorOf(guest, "/mnt/pc").system);
}

}  // namespace
}  // namespace zt::test
