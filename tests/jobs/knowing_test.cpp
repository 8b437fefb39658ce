// SPDX-License-Identifier: GPL-3.0-or-later
// Whole jobs that need no more than knowing what things are, as a technician would type them.
#include <gtest/gtest.h>

#include "jobs/visit.h"

namespace zt::test {
namespace {

using Jobs = Visit;

/// Job 2: one folder looks huge; it is normal or not, and locked; its own clean-out is advised.
TEST_F(Jobs, TheComponentStoreIsSaidToBeNormalAndLocked) {
  visit("ferry", "22GB");
  const Json store = find("components", "Windows/WinSxS");
  EXPECT_EQ(store["standing"], "bedrock");
  EXPECT_FALSE(store["evidence"]["usual_size"].is_null());
  EXPECT_EQ(store["evidence"]["size"], "usual") << "large, and normal";
  EXPECT_FALSE(store["evidence"]["words"].get<std::string>().empty()) << "its own clean-out";
  EXPECT_EQ(ztally({"plan", "add", "Windows/WinSxS"}).status, 4);
  const Json advised = ztally({"plan", "add", store["id"], "--action", "advise"}).json();
  EXPECT_EQ(advised["planned"]["sure_bytes"], 0) << "what others do is never sure";
  EXPECT_EQ(advised["lines"][0]["gain"]["when"], "later");
}

/// Job 3, as far as knowing goes: a need that holds only while the upgrade runs, reached with nothing
/// personal.
TEST_F(Jobs, AnUpgradeIsRefusedForLackOfRoom) {
  visit("ferry", "upgrade=22GB,while-it-runs");
  const Json p = ztally({"propose"}).json();
  ASSERT_TRUE(p["reached"]);
  for (const Json& target : p["targets"])
    if (target["label"] == "upgrade") {
      EXPECT_TRUE(target["met"].get<bool>() && target["while_it_runs"].get<bool>());
    }
  for (const Json& line : p["lines"])
    EXPECT_FALSE(line["regret"].get<std::string>().starts_with("personal")) << line["id"];
  const Bytes rose = carryOut();
  EXPECT_GE(rose, p["planned"]["sure_bytes"].get<Bytes>());
  for (const Json& target : Json(ztally({"prove"}).json()["targets"])) EXPECT_TRUE(target["met"]) << target;
}

/// Job 12: a quick look. Totals, one program by its own removal, arrivals looked at before they go.
TEST_F(Jobs, AQuickLook) {
  visit("office", "12GB");
  const Json programs = ztally({"finds", "--kind", "programs"}).json()["finds"];
  ASSERT_FALSE(programs.empty());
  const auto wanted = std::find_if(programs.begin(), programs.end(), [](const Json& f) {
    return f["standing"] == "owners-call" && !f["offers"].empty();
  });
  ASSERT_NE(wanted, programs.end());
  EXPECT_EQ((*wanted)["offers"][0]["action"], "advise");
  const Json arrivals = find("arrivals", "home/ringer/Downloads");
  const Json planned = ztally({"plan", "add", arrivals["id"], "--older", "180 d"}).json();
  ASSERT_EQ(planned["lines"].size(), 1u);
  EXPECT_LE(planned["lines"][0]["items"].size(), arrivals["items"].size());
  const Bytes sure = planned["planned"]["sure_bytes"];
  EXPECT_EQ(carryOut(), sure);
}

/// Job 16: a warning names the drive by its role; what is in the trash still occupies it.
TEST_F(Jobs, TheTrashStillOccupies) {
  visit("office", "12GB");
  EXPECT_EQ(ztally({"plan", "show"}).json()["lines"].size(), 0u);
  Bytes planned = 0;
  for (const Json& f : Json(ztally({"finds", "--kind", "trash"}).json()["finds"]))
    if (f["standing"] == "spent") planned = ztally({"plan", "add", f["id"]}).json()["planned"]["sure_bytes"];
  ASSERT_GT(planned, 0u);
  EXPECT_EQ(carryOut(), planned);
  bool met = false;
  for (const Json& target : Json(ztally({"prove"}).json()["targets"])) met = met || target["met"].get<bool>();
  EXPECT_TRUE(met) << "the warning would be gone";
  EXPECT_EQ(runProgram({"/usr/bin/test", "-d", drive + "/drive/home/warden/.local/share/Trash/files"}).status,
            0)
      << "the folder itself stands";
}

/// Jobs 14 and 19: each consent names the loss, a way back by its name.
TEST_F(Jobs, EachConsentNamesTheLoss) {
  visit("office", "12GB");
  const Json previous = find("leftovers", "previous-system");
  EXPECT_EQ(previous["regret"], "a-way-back");
  ztally({"plan", "add", previous["id"]});
  ztally({"plan", "add", find("caches", "home/ringer/.cache/editor")["id"]});
  ztally({"plan", "add", find("caches", "home/warden/.cache/thumbnails")["id"]});
  std::string said;
  const Bytes rose = carryOut(&said);
  EXPECT_GT(rose, 9'000'000'000u);
  EXPECT_NE(said.find("goes, and with it a way back"), std::string::npos) << said;
  EXPECT_NE(said.find("comes back at the cost of waiting"), std::string::npos) << said;
  EXPECT_NE(said.find("going back"), std::string::npos) << "what the place says is lost: " << said;
  EXPECT_NE(said.find("400 files that nobody has judged"), std::string::npos) << said;
}

/// Job 10: programs, working files, deeper places, and the trash last, in that order.
TEST_F(Jobs, TheTrashGoesLast) {
  visit("office", "12GB");
  std::string trash;
  for (const Json& f : Json(ztally({"finds", "--kind", "trash"}).json()["finds"]))
    if (f["standing"] == "spent") trash = f["id"];
  ztally({"plan", "add", trash});
  ztally({"plan", "add", find("leftovers", "var/tmp")["id"]});
  ztally({"plan", "add", find("caches", "home/warden/.cache/mozilla/firefox/warden.default/cache2")["id"]});
  ASSERT_EQ(ztally({"plan", "move", trash, "--by", "9"}).status, 0);
  const Json asked = ztally({"reclaim"}).json();
  const Json run = ztally({"reclaim", "--consent", asked["consent"]["token"]}).json();
  ASSERT_EQ(run["lines"].size(), 3u);
  EXPECT_EQ(run["lines"][2]["id"], trash);
  for (const Json& line : run["lines"]) EXPECT_EQ(line["state"], "done") << line;
}

/// Job 15: is it too full? Several rules, each with its reason.
TEST_F(Jobs, IsItTooFull) {
  const Ran ran = runProgram({ZTALLY, "drives", "--json"});
  ASSERT_EQ(ran.status, 0);
  const Json drives = ran.json()["drives"];
  ASSERT_FALSE(drives.empty());
  for (const Json& d : drives) {
    EXPECT_FALSE(d["role"].get<std::string>().empty());
    for (const Json& rule : d["headroom"]) EXPECT_FALSE(rule["reason"].get<std::string>().empty()) << rule;
  }
}

}  // namespace
}  // namespace zt::test
