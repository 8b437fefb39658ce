// SPDX-License-Identifier: GPL-3.0-or-later
// Jobs around upgrades: what they left, what comes at a restart only, and that it is repeated.
#include <algorithm>

#include "jobs/visit.h"

namespace zt::test {
namespace {

using Jobs = Visit;

/// Job 21: arrivals, trash, old updates, restart. In this order; what comes only at the restart is told
/// apart, and asked about afterwards.
TEST_F(Jobs, WhatComesOnlyAtTheRestartIsToldApart) {
  visit("ferry", "40GB");
  const Json memory = find("memory-files", "pagefile.sys");
  std::string trash;
  for (const Json& f : Json(ztally({"finds", "--kind", "trash"}).json()["finds"]))
    if (f["standing"] == "spent" && trash.empty()) trash = f["id"];
  ASSERT_FALSE(trash.empty());
  // Planned in any order: a trash is emptied after what goes into it.
  for (const std::string& id :
       {trash, find("arrivals", "Users")["id"].get<std::string>(),
        find("leftovers", "Windows/SoftwareDistribution/Download")["id"].get<std::string>(),
        memory["id"].get<std::string>()})
    ASSERT_EQ(ztally({"plan", "add", id}).status, 0) << id;
  const Json plan = ztally({"plan", "show"}).json();
  bool restart = false;
  Bytes sure = 0;
  for (const Json& line : plan["lines"]) {
    for (const Json& condition : line["conditions"]) restart = restart || condition == "restart";
    sure += line["adds_bytes"].get<Bytes>();
  }
  EXPECT_TRUE(restart) << "said before it is agreed to";
  EXPECT_EQ(plan["planned"]["sure_bytes"], sure) << "what comes at the restart is promised by nobody";
  const Json asked = ztally({"reclaim"}).json();
  const Json run = ztally({"reclaim", "--consent", asked["consent"]["token"]}).json();
  ASSERT_EQ(run["lines"].size(), 3u) << run.dump(1);
  EXPECT_EQ(run["lines"][2]["id"], trash);
  for (const Json& line : run["lines"]) EXPECT_EQ(line["state"], "done") << line;
  EXPECT_EQ(run["restart"]["lines"], Json::array({memory["id"]}));
  const Json proof = ztally({"prove"}).json();
  EXPECT_EQ(proof["restart"], "unseen") << "only its own system knows whether it was restarted";
  EXPECT_EQ(proof["free_after_bytes"].get<Bytes>() - proof["free_before_bytes"].get<Bytes>(), sure);
  const std::string said = runProgram({ZTALLY, "prove", "--job", job}).out;
  EXPECT_NE(said.find("was restarted"), std::string::npos) << said;
}

/// Job 19: after upgrades, everything. The way back is given up on purpose, in those words, and it is to be
/// repeated after each upgrade.
TEST_F(Jobs, AfterUpgradesItIsRepeated) {
  visit("office", "30GB");
  const Json previous = find("leftovers", "previous-system");
  ASSERT_EQ(ztally({"plan", "add", previous["id"]}).status, 0);
  std::string said;
  EXPECT_GT(carryOut(&said), 9'000'000'000u);
  EXPECT_NE(said.find("a way back"), std::string::npos) << said;
  t.folder("real/var/cache");
  const auto upkeep = [&](std::vector<std::string> words) {
    words.insert(words.begin(), {"/usr/bin/env", "XDG_DATA_HOME=" + t / "data", ZTALLY, "upkeep"});
    words.push_back("--json");
    return runProgram(words);
  };
  const Ran kept = upkeep({"add", "empty", "leftovers", "--on", t / "real", "--every", "upgrade"});
  ASSERT_EQ(kept.status, 0) << kept.out << kept.err;
  const Json rules = upkeep({"list"}).json()["rules"];
  ASSERT_EQ(rules.size(), 1u);
  EXPECT_EQ(rules[0]["when"], "upgrade");
  EXPECT_NE(rules[0]["sentence"].get<std::string>().find("after packages were changed"), std::string::npos);
  EXPECT_TRUE(upkeep({"run", "--due"}).json()["runs"].empty()) << "nothing was upgraded";
  EXPECT_EQ(upkeep({"run", "--due", "--upgraded"}).json()["runs"].size(), 1u);
}

}  // namespace
}  // namespace zt::test
