// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/proposer.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <chrono>
#include <numeric>
#include <random>

#include "core/plan/plan_json.h"
#include "support/code_of.h"
#include "support/planned.h"
#include "support/seed.h"

namespace zt::test {
namespace {

MemoryFileSystem& homeWith(MemoryFileSystem& files) {
  files.add("var/cache/apt/archives/p.deb", std::string(40'000, 'x'));  // spent, time or bandwidth
  files.add("home/w/.cache/thumbnails/large/0123456789abcdef0123456789abcdef.png",
            std::string(60'000, 'x'));                      // rebuilds
  files.add("home/w/film.mp4", std::string(200'000, 'x'));  // owner's call
  files.add("home/w/photo.tif", std::string(80'000, 'x'));
  files.add("odd/image.raw", std::string(900'000, 'x'));    // unjudged
  files.add("usr/lib/huge.so", std::string(900'000, 'x'));  // bedrock
  return files;
}

TEST(Propose, TakesTheLowestCeilingThatReaches) {
  MemoryFileSystem files;
  const Measured m(borrowed(homeWith(files)), "/", true);
  const auto cheap = m.propose(90'000);
  EXPECT_TRUE(cheap.reached);
  EXPECT_EQ(cheap.ceiling, Regret::timeOrBandwidth);
  EXPECT_EQ(cheap.plan.lines.size(), 2u);
  EXPECT_TRUE(cheap.decisions.empty()) << "nobody is asked where it is not needed";
}

TEST(Propose, LeavesPersonalAndUnjudgedThingsToAPerson) {
  MemoryFileSystem files;
  Measured m(borrowed(homeWith(files)), "/", true);
  const auto far = m.propose(600'000);
  EXPECT_FALSE(far.reached);
  for (const auto& line : far.plan.lines)
    EXPECT_TRUE(line.standing == Standing::rebuilds || line.standing == Standing::spent);
  const auto asks = [&](std::string_view path) {
    return std::any_of(far.decisions.begin(), far.decisions.end(),
                       [&](const auto& d) { return d.path == path || beneath(path, d.path); });
  };
  EXPECT_TRUE(asks("odd/image.raw"));
  EXPECT_TRUE(asks("home/w/film.mp4"));
  EXPECT_FALSE(asks("usr/lib/huge.so"));
  m.marks.set("odd/image.raw", Mark::mayGo);
  const auto agreed = m.propose(600'000);
  EXPECT_TRUE(agreed.reached) << "somebody said it may go";
  m.marks.set("odd/image.raw", Mark::keep);
  EXPECT_FALSE(m.propose(600'000).reached);
}

TEST(Propose, TakesRecordsOnlyIfTheyThemselvesWereMeant) {
  MemoryFileSystem files;
  const char* record = "home/w/.local/share/browser/history.db";
  homeWith(files).add(record, std::string(700'000, 'x'));
  Measured m(borrowed(files), "/", true);
  const auto takes = [&] {
    const auto p = m.propose(2'000'000);
    return std::any_of(p.plan.lines.begin(), p.plan.lines.end(), [&](const auto& line) {
      return std::any_of(line.items.begin(), line.items.end(),
                         [&](const auto& i) { return i.path == record; });
    });
  };
  m.marks.set("home", Mark::mayGo);
  EXPECT_FALSE(takes());
  m.marks.set(record, Mark::mayGo);
  EXPECT_TRUE(takes());
}

TEST(Propose, SaysWhatIsShort) {
  MemoryFileSystem files;
  const Measured m(borrowed(homeWith(files)), "/", true);
  ProposeOptions options;
  options.ceiling = Regret::timeOrBandwidth;
  const auto p = m.propose(300'000, options);
  EXPECT_FALSE(p.reached);
  EXPECT_EQ(p.shortBy, 300'000 - plannedGain(p.plan, *m.context).sure);
}

TEST(Propose, KeepsWhatIsToBeKept) {
  MemoryFileSystem files;
  const Measured m(borrowed(homeWith(files)), "/", true);
  ProposeOptions options;
  options.keep = {"home/w/.cache"};
  const auto p = m.propose(30'000, options);
  for (const auto& line : p.plan.lines)
    for (const auto& item : line.items)
      EXPECT_NE(item.path, "home/w/.cache/thumbnails/large/0123456789abcdef0123456789abcdef.png");
  EXPECT_TRUE(p.reached);
}

TEST(Propose, NeverCountsOneByteTwice) {
  MemoryFileSystem files;
  for (int i = 0; i < 20; ++i) {
    const auto node = files.add("srv/old/f" + std::to_string(i),
                                std::string(10'000 + static_cast<std::size_t>(i) * 500, 'x'));
    node->stat.modified = 0;
  }
  files.add("srv/old/")->stat.modified = 0;
  Measured m(borrowed(files), "/", true);
  m.marks.set("srv", Mark::mayGo);
  const auto p = m.propose(150'000);
  Bytes singly = 0;
  for (const auto& line : p.plan.lines) singly += line.gain.sure;
  EXPECT_EQ(singly, plannedGain(p.plan, *m.context).sure);
  EXPECT_TRUE(p.reached);
}

TEST(PlannedGain, CountsLinksHolesAndNestingAsASet) {
  MemoryFileSystem files;
  files.add("d/a", std::string(10'000, 'x'));
  files.add("e/");
  files.link("d/a", "e/b");
  const Measured m(borrowed(files));
  const Bytes file = m.survey->tree.occupied(*m.survey->tree.find("d/a"));
  const auto gain = [&](std::initializer_list<const char*> paths, std::string_view action = "discard") {
    Plan plan;
    for (const char* p : paths) plan.lines.push_back(m.line(p, action));
    return plannedGain(plan, *m.context);
  };
  EXPECT_EQ(gain({"d/a"}).sure, 0u);
  EXPECT_EQ(gain({"d/a", "e/b"}).sure, file);
  EXPECT_EQ(gain({"d", "d/a", "e/b"}).sure, file + 4096);
  EXPECT_EQ(gain({"d", "e"}, "hold").sure, 0u);
  EXPECT_EQ(gain({"d", "e"}, "hold").atMost, file + 8192);
}

TEST(PlannedGain, WhatLiesInAFolderThatIsSetAsideComesFreeWithIt) {
  MemoryFileSystem files;
  files.add("d/a", std::string(10'000, 'x'));
  const Measured m(borrowed(files));
  Plan plan;
  plan.lines.push_back(m.line("d", "hold"));
  plan.lines.push_back(m.line("d/a", "discard"));
  EXPECT_EQ(plannedGain(plan, *m.context).sure, 0u);
  EXPECT_EQ(stepGains(plan, *m.context)[1].sure, 0u);
  plan.lines[0].enabled = false;
  EXPECT_GT(plannedGain(plan, *m.context).sure, 0u);
}

TEST(Outlook, ALoanMeetsWhatIsNeededForAWhileAndNothingThatHasToLast) {
  PlannedGain planned;
  planned.sure = 50;
  planned.lent = 30;
  Target lasting, forNow;
  lasting.bytes = forNow.bytes = 140;
  forNow.whileItRuns = true;
  const auto all = outlook({lasting, forNow}, 100, planned);
  ASSERT_EQ(all.size(), 2u);
  EXPECT_FALSE(all[0].met);
  EXPECT_EQ(all[0].surplus, -20);
  EXPECT_TRUE(all[1].met);
}

TEST(PlanJson, RoundTripsAndRefusesHostileText) {
  MemoryFileSystem files;
  files.add("d/odd\xFF\nname", std::string(9000, 'x'));
  const Measured m(borrowed(files));
  Plan plan;
  plan.lines.push_back(m.line("d/odd\xFF\nname", "hold"));
  const KnownKinds known = knownKinds(*m.craft);
  const std::string text = toJson(plan).dump();
  auto back = planFromJson(Json::parse(text), known);
  ASSERT_TRUE(back);
  EXPECT_EQ(back->lines[0].items[0].path, "d/odd\xFF\nname");
  EXPECT_EQ(back->lines[0].items[0].identity, plan.lines[0].items[0].identity);
  EXPECT_EQ(back->lines[0].step->id, "hold");
  for (std::size_t size = 0; size < text.size(); ++size)
    EXPECT_FALSE(planFromJson(parseJson(text.substr(0, size)), known));
  auto newer = Json::parse(text);
  newer["version"] = 1000u;
  EXPECT_EQ(codeOf(planFromJson(newer, known)), Errc::tooNew);
  auto wrong = Json::parse(text);
  wrong["lines"][0]["items"][0]["identity"]["inode"] = -3;
  EXPECT_EQ(codeOf(planFromJson(wrong, known)), Errc::badInput);
  EXPECT_EQ(planFromJson(wrong, known).error().detail, "lines[0].items[0].identity.inode");
  for (const auto& [key, value] :
       {std::pair("action", "dissolve"), std::pair("kind", "ghosts"), std::pair("standing", "well-liked")}) {
    auto unknown = Json::parse(text);
    unknown["lines"][0][key] = value;
    const auto refused = planFromJson(unknown, known);
    ASSERT_FALSE(refused) << key;
    EXPECT_EQ(codeOf(refused), Errc::badInput) << key;
    EXPECT_EQ(refused.error().detail, std::string("lines[0].") + key);
  }
}

TEST(Bind, RefusesPathsAndIdentitiesThatDoNotFit) {
  MemoryFileSystem files;
  files.add("d/a", "x");
  const Measured m(borrowed(files));
  const auto code = [&](const std::function<void(Subject&)>& spoil) {
    Plan plan;
    plan.lines.push_back(m.line("d/a"));
    spoil(plan.lines[0].items[0]);
    const auto bound = bind(plan, m.survey->tree);
    return bound ? Errc::busy : bound.error().code;
  };
  EXPECT_EQ(code([](Subject&) {}), Errc::busy);
  for (const char* path : {"../a", "/d/a", "d/../d/a", "d//a", "./d/a", "", "d/a/"})
    EXPECT_EQ(code([&](Subject& i) { i.path = path; }), Errc::outsideRoot) << path;
  EXPECT_EQ(code([](Subject& i) { i.path = "d/none"; }), Errc::notThere);
  EXPECT_EQ(code([](Subject& i) { ++i.identity.inode; }), Errc::changed);
  EXPECT_EQ(code([](Subject& i) { ++i.identity.modified; }), Errc::changed);
  EXPECT_EQ(code([](Subject& i) { ++i.identity.changedMark; }), Errc::changed);
}

}  // namespace
}  // namespace zt::test
