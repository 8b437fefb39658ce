// SPDX-License-Identifier: GPL-3.0-or-later
#include "demo/builder.h"

#include <gtest/gtest.h>

#include <chrono>
#include <filesystem>
#include <map>
#include <set>

#include <nlohmann/json.hpp>

#include "core/job/sites/stand_in_drive.h"
#include "demo/scenario.h"
#include "support/code_of.h"
#include "support/fakes.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

TEST(Demo, IsSmallOnDiskAndComplete) {
  TempFolder t;
  const Workshop real = realWorkshop();
  const auto built = demo::build(t / "si", real.clock->now());
  ASSERT_TRUE(built);
  EXPECT_GT(built->files, 20'000u);
  const auto survey = surveyOf(real.files, t / "si", 2);
  EXPECT_LT(survey->tree.totals(0).occupied, 200'000'000u) << "real bytes";
  auto drive = StandInDrive::open(real, t / "si").value();
  EXPECT_NEAR(static_cast<double>(drive->drive().usage.available), 9.6e9, 5e6);
  EXPECT_EQ(drive->drive().family(), SystemFamily::linuxFamily);
  EXPECT_EQ(drive->manifest().snapshots.size(), 3u);
  EXPECT_FALSE(drive->manifest().openFiles.empty());
  const Bytes overhead = drive->manifest().overhead;
  EXPECT_TRUE(overhead > 1'000'000'000 && overhead < 4'000'000'000)
      << overhead << ": the scenario does not add up any more";
}

TEST(Demo, HoldsTwoTrueFindsAndANearMissForEveryDetector) {
  TempFolder t;
  const Workshop real = realWorkshop();
  ASSERT_TRUE(demo::build(t / "si", real.clock->now()));
  const auto expected = nlohmann::json::parse(t.read("si/expected-finds.json"));
  std::map<std::string, std::pair<int, int>> kinds;
  for (const auto& e : expected) {
    auto& [finds, misses] = kinds[e["kind"]];
    (e["find"].get<bool>() ? finds : misses)++;
    const std::string path = e["path"];
    // Namesakes and the like are named by file name alone; snapshots are no entries of the tree.
    if (e["kind"] != "points" && path.find('/') != std::string::npos) {
      EXPECT_TRUE(t.has("si/drive/" + path)) << path;
    }
  }
  EXPECT_GE(kinds.size(), 12u);
  for (const auto& [kind, counts] : kinds) {
    EXPECT_GE(counts.first, 2) << kind;
    EXPECT_GE(counts.second, 1) << kind;
  }
}

TEST(Demo, HasEqualAndUnequalContentWhereItSays) {
  TempFolder t;
  const Workshop real = realWorkshop();
  ASSERT_TRUE(demo::build(t / "si", real.clock->now()));
  const std::string docs = "si/drive/home/warden/Documents/";
  EXPECT_EQ(t.read(docs + "handbook.pdf"), t.read(docs + "handbook-copy.pdf"));
  std::set<std::string> reports;
  for (const char* folder : {"", "2024/", "sent/"})
    reports.insert(t.read(docs + folder + "report-final.odt"));
  EXPECT_EQ(reports.size(), 3u);
}

TEST(Demo, RefusesAFolderThatIsNotEmpty) {
  TempFolder t;
  t.file("si/mine", "precious");
  EXPECT_EQ(codeOf(demo::build(t / "si", 1)), Errc::taken);
  EXPECT_EQ(t.read("si/mine"), "precious");
}

TEST(Scenario, RefusesBadText) {
  EXPECT_FALSE(demo::parseScenario("x = "));
  EXPECT_FALSE(demo::parseScenario("[[files]]\nfolder = 'a'"));
  EXPECT_FALSE(demo::parseScenario("[[files]]\nfolder = 'a'\nname = 'b'\ncount = -1"));
  const auto good = demo::parseScenario(
      "free_gb = 1.5\n[[files]]\nfolder = 'a'\nname = 'f{n}'\ncount = 3\ngb = 0.3\ndays = 4\n");
  ASSERT_TRUE(good);
  EXPECT_EQ(good->free, 1'500'000'000u);
  EXPECT_EQ(good->files[0].count, 3);
  EXPECT_EQ(good->files[0].bytes, 300'000'000u);
}

}  // namespace
}  // namespace zt::test
