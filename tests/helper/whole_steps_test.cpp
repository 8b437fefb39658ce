// SPDX-License-Identifier: GPL-3.0-or-later
// Steps that are carried out as a whole with rights: what they do, and what a client is refused that asks for
// more than it ordered, out of turn, or for what it did not show.
#include "helper/whole_steps.h"

#include <gtest/gtest.h>

#include "core/os/linux/linux_drive_insides.h"
#include "core/os/linux/linux_file_system.h"
#include "core/reclaim/told_record.h"
#include "helper/change_server.h"
#include "support/drive_files.h"
#include "support/fakes.h"
#include "support/temp_folder.h"

namespace zt::helper {
namespace {

using test::TempFolder;

/// A client that orders one step on `mine/copy`, equal to `mine/first`, and tells what it needs.
struct WholeTalk {
  TempFolder t, elsewhere;
  std::shared_ptr<LinuxFileSystem> files = std::make_shared<LinuxFileSystem>();
  std::shared_ptr<test::FakeOpenFiles> openFiles = std::make_shared<test::FakeOpenFiles>();
  LinuxDriveInsides insides;
  std::vector<Json> said;
  std::vector<SystemRoot> systems;
  bool asksToStop = false;
  JournalRecord record;
  WholeThing thing;
  StepFacts facts{"ab", false, {}, {}};
  std::string consent = std::string(32, 'c');
  ChangeServer server{{files, openFiles,
                       [this](const PathBytes&, const PathBytes& path) -> Result<OtherDrive> {
                         return OtherDrive{files, files->openRoot(path).value(), path};
                       },
                       [this] { return asksToStop; }},
                      insides,
                      [this](const PathBytes&) -> Result<std::vector<SystemRoot>> { return systems; },
                      [this](const std::string& line) {
                        said.push_back(Json::parse(line));
                        return true;
                      }};

  explicit WholeTalk(const char* action = "link") {
    test::putOn(t / "mine/first", test::noise(200'000, 1));
    test::putOn(t / "mine/copy", test::noise(200'000, 1));
    record.run = 1, record.seq = 1;
    record.action = action;
    record.path = "mine/copy";
    record.identity = thing.identity = identityOf(statOf("mine/copy"));
    thing.keepers = {"mine/first"};
  }
  EntryStat statOf(const PathBytes& path) const {
    const FolderPtr top = files->openRoot(t.path()).value();
    const FolderPtr parent = files->openBeneath(*top, parentPath(path)).value();
    return files->stat(*parent, baseName(path)).value();
  }
  Json ask(const std::string& method, Json params) {
    said.clear();
    server.handle(
        Json{{"jsonrpc", "2.0"}, {"id", 1}, {"method", method}, {"params", std::move(params)}}.dump());
    return said.empty() ? Json() : said.back();
  }
  /// All that comes before the first phase.
  Json begin() {
    const RightsOrder order{consent, {{record.action, record.path, zt::toTold(thing)}}};
    facts.entries = {
        {0, "mine", statOf("mine")}, {1, "first", statOf("mine/first")}, {1, "copy", statOf("mine/copy")}};
    const Json head{{"consent", order.consent}, {"digest", order.digest()}, {"steps", factsOf(facts)}};
    const Json begun = ask("begin", {{"version", version}, {"root", escapePath(t.path())}, {"order", head}});
    if (!begun.contains("result")) return begun;
    const Json given = ask("order", {{"things", thingsOf(order, 0, 1)}});
    return given.value("result", Json()) == true ? ask("know", {{"entries", entriesOf(facts, 0, 99)}})
                                                 : given;
  }
  /// "" where it went well; else what it failed with or was refused for.
  std::string phase(const std::string& phase, const char* memory = "kept") {
    const Json answer =
        ask("step", {{"phase", phase}, {"memory", memory}, {"records", Json::array({zt::toTold(record)})}});
    if (answer.contains("error")) return answer["error"]["message"];
    record = recordFromTold(answer["result"]["record"]).value();
    return answer["result"].value("failed", std::string());
  }
};

TEST(WholeSteps, LinkACopyPhaseByPhase) {
  WholeTalk talk;
  ASSERT_EQ(talk.begin()["result"], true) << talk.said.back().dump();
  for (const char* phase : {"prepare", "announce", "apply", "settle", "verify", "finish", "tidy"})
    ASSERT_EQ(talk.phase(phase), "") << phase << talk.said.back().dump();
  EXPECT_EQ(talk.record.state, ItemState::done);
  EXPECT_EQ(talk.record.freed.sure, talk.statOf("mine/first").occupied);
  EXPECT_EQ(talk.statOf("mine/first").inode, talk.statOf("mine/copy").inode);
  EXPECT_FALSE(talk.t.has(".zip-tally-hold"));
}

TEST(WholeSteps, MoveToAnotherDriveAndBack) {
  WholeTalk talk("transfer");
  talk.thing.keepers = {};
  talk.thing.parameters.set("to", StepParameters::Place{talk.elsewhere.path()});
  talk.record.parameters = talk.thing.parameters;
  talk.facts.others = {talk.elsewhere.path()};
  ASSERT_EQ(talk.begin()["result"], true) << talk.said.back().dump();
  ASSERT_EQ(talk.phase("prepare", "fresh"), "");
  for (const char* phase : {"apply", "settle", "verify", "finish", "tidy"})
    ASSERT_EQ(talk.phase(phase), "") << phase << talk.said.back().dump();
  EXPECT_EQ(talk.record.state, ItemState::gone);
  EXPECT_FALSE(talk.t.has("mine/copy"));
  EXPECT_EQ(talk.elsewhere.read("moved-ab/mine/copy"), talk.t.read("mine/first"));
  ASSERT_EQ(talk.phase("undo", "none"), "") << talk.said.back().dump();
  EXPECT_EQ(talk.t.read("mine/copy"), talk.t.read("mine/first"));
}

TEST(WholeSteps, NothingIsFinishedThatWasNotComparedHere) {
  for (const char* action : {"link", "transfer", "share", "shrink"}) {
    WholeTalk talk(action);
    if (action == std::string("transfer")) {
      talk.thing.parameters.set("to", StepParameters::Place{talk.elsewhere.path()});
      talk.record.parameters = talk.thing.parameters;
      talk.facts.others = {talk.elsewhere.path()};
    }
    ASSERT_EQ(talk.begin()["result"], true) << talk.said.back().dump();
    talk.record.state = ItemState::discarding;
    EXPECT_EQ(talk.phase("finish"), "not-permitted") << action;
    EXPECT_TRUE(talk.t.has("mine/copy")) << action;
  }
}

/// What a journal says is not believed: only what was ordered becomes what others get another name of.
TEST(WholeSteps, NothingElseGetsASecondName) {
  WholeTalk talk;
  test::putOn(talk.t / "mine/secret", test::noise(200'000, 1));
  ASSERT_EQ(talk.begin()["result"], true);
  for (const char* phase : {"prepare", "apply", "verify"}) ASSERT_EQ(talk.phase(phase), "") << phase;
  Json payload{{"inode", talk.statOf("mine/secret").inode}};
  putPath(payload, "keeper", "mine/secret");
  talk.record.payload = payload.dump();
  EXPECT_EQ(talk.phase("finish"), "changed");
  EXPECT_EQ(talk.statOf("mine/secret").links, 1u);
  EXPECT_TRUE(talk.t.has("mine/copy")) << "it is back";
}

TEST(WholeSteps, NothingOfASystemIsTouchedOrGetsASecondName) {
  WholeTalk talk;
  talk.systems = {{{}, "usr/bin", SystemFamily::linuxFamily, true, false}};
  ASSERT_EQ(talk.begin()["result"], true);
  EXPECT_EQ(talk.phase("prepare"), "bedrock");
  EXPECT_EQ(talk.statOf("mine/first").links, 1u);
}

TEST(WholeSteps, OnlyWhatWasOrderedAndMeasured) {
  WholeTalk talk;
  ASSERT_EQ(talk.begin()["result"], true);
  const JournalRecord good = talk.record;
  const auto refused = [&](auto spoil) {
    talk.record = good;
    spoil(talk.record);
    return talk.phase("prepare");
  };
  EXPECT_EQ(refused([](auto& r) { r.path = "mine/first"; }), "not-permitted");
  EXPECT_EQ(refused([](auto& r) { r.action = "shrink"; }), "not-permitted");
  EXPECT_EQ(refused([](auto& r) { r.action = "discard"; }), "not-permitted");
  EXPECT_EQ(refused([](auto& r) { r.identity.length += 1; }), "not-permitted");
  EXPECT_EQ(refused([](auto& r) { r.parameters.set("to", StepParameters::Place{"/tmp"}); }), "not-permitted");
  EXPECT_EQ(refused([](auto& r) { r.holdFolder = "mine"; }), "outside-root");
  EXPECT_EQ(refused([](auto& r) { r.holdFolder = ".zip-tally-hold/cd/run-1"; }), "outside-root");
  EXPECT_EQ(refused([](auto& r) { r.putAt = "elsewhere/copy"; }), "not-permitted");
  talk.record = good;
  test::putOn(talk.t / "mine/copy", test::noise(200'000, 2));
  EXPECT_EQ(talk.phase("prepare"), "changed") << "it is not what was measured";
  EXPECT_EQ(talk.phase("open-everything"), "unsupported");
  EXPECT_EQ(talk.ask("know", {{"entries", Json::array()}})["error"]["code"], invalidParams) << "too late";
}

TEST(WholeSteps, OnlyWithDrivesThatWereOpenedBefore) {
  WholeTalk talk("transfer");
  talk.thing.parameters.set("to", StepParameters::Place{talk.elsewhere.path()});
  talk.record.parameters = talk.thing.parameters;
  ASSERT_EQ(talk.begin()["result"], true);
  EXPECT_EQ(talk.phase("prepare"), "not-permitted");
}

TEST(WholeSteps, WithoutAConsentThingsAreOnlySetBack) {
  WholeTalk talk;
  talk.consent.clear();
  ASSERT_EQ(talk.begin()["result"], true) << talk.said.back().dump();
  for (const char* phase : {"check", "prepare", "announce", "apply", "settle", "finish", "release"})
    EXPECT_EQ(talk.phase(phase), "no-consent") << phase;
  EXPECT_EQ(talk.phase("undo"), "");
  EXPECT_EQ(talk.record.state, ItemState::returned);
}

TEST(WholeSteps, EndWhenTheirClientAsksForIt) {
  WholeTalk talk("transfer");
  test::putOn(talk.t / "mine/copy", test::noise(8'000'000, 1));
  talk.record.identity = talk.thing.identity = identityOf(talk.statOf("mine/copy"));
  talk.thing.parameters.set("to", StepParameters::Place{talk.elsewhere.path()});
  talk.record.parameters = talk.thing.parameters;
  talk.facts.others = {talk.elsewhere.path()};
  ASSERT_EQ(talk.begin()["result"], true);
  ASSERT_EQ(talk.phase("prepare", "fresh"), "");
  talk.asksToStop = true;
  EXPECT_EQ(talk.phase("apply"), "cancelled");
  EXPECT_FALSE(talk.elsewhere.has("moved-ab/mine/copy"));
  EXPECT_TRUE(talk.t.has("mine/copy"));
}

/// Orders and facts that cannot be are refused before anything is looked at.
TEST(WholeSteps, TakeNoOrderThatMakesNoSense) {
  {
    WholeTalk talk;
    talk.thing.keepers = {"../outside"};
    EXPECT_TRUE(talk.begin().contains("error"));
  }
  {
    WholeTalk talk;
    talk.record.action = "discard";
    EXPECT_TRUE(talk.begin().contains("error"));
  }
  {
    WholeTalk talk;
    talk.facts.job = "a/b";
    EXPECT_TRUE(talk.begin().contains("error"));
  }
  WholeTalk talk;
  ASSERT_EQ(talk.begin()["result"], true);
  const Json stat = toJson(talk.statOf("mine/copy"));
  for (const Json& row : {Json::array({9, "x", stat, false}), Json::array({0, 7, stat, false}),
                          Json::array({0, "x", Json::array(), false}), Json::array({0, "x", stat})})
    EXPECT_EQ(talk.ask("know", {{"entries", Json::array({row})}})["error"]["code"], invalidParams);
  // A name that is none: nothing can be carried out on such a drive.
  talk.ask("know", {{"entries", Json::array({Json::array({0, "a/b", stat, false})})}});
  EXPECT_EQ(talk.phase("prepare"), "corrupt");
}

}  // namespace
}  // namespace zt::helper
