// SPDX-License-Identifier: GPL-3.0-or-later
// Whole jobs about snapshots and restore points, as a technician would type them.
#include <algorithm>

#include "jobs/visit.h"

namespace zt::test {
namespace {

using Jobs = Visit;

/// Job 1: many restore points, the drive is filling. After everything else only the newest stays; what the
/// set holds is told before, and is what the counter rises by.
TEST_F(Jobs, OnlyTheNewestPointStays) {
  visit("office", "12GB");
  std::vector<std::string> trash{"plan", "add"};
  for (const Json& f : Json(ztally({"finds", "--kind", "trash"}).json()["finds"]))
    if (f["standing"] == "spent") trash.push_back(f["id"]);
  ASSERT_EQ(ztally(trash).status, 0);
  const Bytes before = carryOut();
  ASSERT_EQ(runProgram({ZTALLY, "measure", drive, "--stand-in", "--job", job, "--job-on-drive"}).status, 0);
  const Json told = ztally({"points", "keep", "newest", "1"}).json();
  Bytes alone = 0;
  std::size_t snapshots = 0;
  std::string newest;
  for (const Json& p : told["points"]) {
    if (p["kind"] != "snapshot") continue;
    ++snapshots;
    if (p["reason"] == "newest")
      newest = p["path"];
    else
      alone += p["own_bytes"].get<Bytes>();
  }
  ASSERT_EQ(snapshots, 3u);
  std::vector<std::string> sum{"points", "sum"};
  for (const Json& p : told["points"])
    if (p["kind"] == "snapshot" && p["path"] != newest) sum.push_back(p["path"]);
  const Bytes together = ztally(sum).json()["set"]["frees_bytes"];
  EXPECT_GT(together, alone) << "what only both of them hold comes as well";
  sum.push_back("--plan");
  ASSERT_EQ(ztally(sum).status, 0);
  const Json plan = ztally({"plan", "show"}).json();
  ASSERT_EQ(plan["lines"].size(), 1u) << "one line a set";
  EXPECT_EQ(plan["planned"]["sure_bytes"], together);
  EXPECT_EQ(plan["lines"][0]["regret"], "a-way-back");
  EXPECT_EQ(carryOut() - before, together);
  // And their share from now on, as a rule that shows what it would free.
  ASSERT_EQ(runProgram({ZTALLY, "measure", drive, "--stand-in", "--job", job, "--job-on-drive"}).status, 0);
  const Json left = ztally({"points", "keep", "share", "5%"}).json();
  const auto stays = std::count_if(left["points"].begin(), left["points"].end(),
                                   [](const Json& p) { return p["kind"] == "snapshot"; });
  EXPECT_EQ(stays, 1);
  EXPECT_EQ(ztally({"points", "sum", newest, "--plan"}).status, 4) << "the last way back is not to be had";
}

/// What a find pins is told with it, and both go together.
TEST_F(Jobs, APinnedFileAndItsSnapshots) {
  visit("office", "12GB");
  const Json file = find("large", "srv/recordings/hydrophone-trial/hydrophone-b.wav");
  const Json held = file["evidence"]["held_by"];
  EXPECT_EQ(held["points_bytes"], 1'900'000'000);
  EXPECT_EQ(held["points"].size(), 3u);
  const Bytes with = held["with_points_bytes"];
  EXPECT_EQ(ztally({"plan", "add", file["id"]}).json()["planned"]["sure_bytes"], file["gain"]["sure_bytes"]);
  const Json plan = ztally({"plan", "add", file["id"], "--with-snapshots"}).json();
  ASSERT_EQ(plan["lines"].size(), 2u);
  EXPECT_EQ(plan["planned"]["sure_bytes"], with);
  EXPECT_EQ(carryOut(), with);
}

/// Job 8, as far as measuring goes: the drive keeps local copies of its own; how much is told, and that its
/// own system alone lets them go.
TEST_F(Jobs, TheDriveKeepsItsOwnLocalCopies) {
  visit("studio", "60GB");
  const Json told = ztally({"points"}).json();
  ASSERT_FALSE(told["points"].empty());
  for (const Json& p : told["points"]) {
    EXPECT_EQ(p["kind"], "restore-point");
    EXPECT_TRUE(p["locked"]);
  }
  const Json points = find("points", "");
  ASSERT_EQ(points["offers"].size(), 1u);
  EXPECT_EQ(points["offers"][0]["action"], "advise");
  EXPECT_GT(points["gain"]["at_most_bytes"].get<Bytes>(), 0u);
  EXPECT_EQ(ztally({"plan", "add", points["id"], "--action", "drop"}).status, 1);
  const Json advised = ztally({"plan", "add", points["id"]}).json();
  EXPECT_EQ(advised["planned"]["sure_bytes"], 0) << "its own system may take its time";
  EXPECT_EQ(ztally({"reclaim"}).status, 0) << "nothing is done here, and nothing to agree to";
}

/// Dated folders that share their files: what a set of them gives, and not the newest.
TEST_F(Jobs, ASeriesOfDatedFolders) {
  visit("office", "12GB");
  const Json told = ztally({"points", "keep", "newest", "1"}).json();
  std::vector<std::string> go;
  for (const Json& p : told["points"])
    if (p["kind"] == "linked-folder" && !p["locked"]) go.push_back(p["path"]);
  ASSERT_EQ(go.size(), 3u);
  std::vector<std::string> sum{"points", "sum"};
  sum.insert(sum.end(), go.begin(), go.end());
  sum.push_back("--plan");
  const Bytes frees = ztally(sum).json()["set"]["frees_bytes"];
  EXPECT_EQ(ztally({"plan", "show"}).json()["planned"]["sure_bytes"], frees);
  EXPECT_EQ(ztally({"plan", "add", "srv/backups/2025-12-01"}).status, 4) << "the newest stays";
  EXPECT_EQ(carryOut(), frees);
}

}  // namespace
}  // namespace zt::test
