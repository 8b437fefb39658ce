// SPDX-License-Identifier: GPL-3.0-or-later
// The conversation that lets points go: what it does, and everything that it refuses.
#include "helper/drop_server.h"

#include <gtest/gtest.h>

#include "core/os/linux/linux_file_system.h"
#include "core/os/rights/helper_snapshots.h"
#include "support/code_of.h"
#include "support/fakes.h"
#include "support/temp_folder.h"

namespace zt::helper {
namespace {

using test::FakeSnapshots;
using test::TempFolder;

struct DropTalk {
  TempFolder t;
  LinuxFileSystem files;
  std::shared_ptr<FakeSnapshots> drive = std::make_shared<FakeSnapshots>();
  std::vector<Json> said;
  DropServer server{files, [this](FolderPtr) { return drive; },
                    [this](const std::string& line) {
                      said.push_back(Json::parse(line));
                      return true;
                    }};
  DropOrder order{std::string(32, 'c'), {}};

  /// A series of four, and one of another origin; all but the last of each may go.
  DropTalk() {
    for (const std::uint64_t id : {256u, 257u, 258u, 259u}) drive->add(id);
    drive->add(300, "0b");
  }
  Json ask(const std::string& method, Json params) {
    said.clear();
    server.handle(
        Json{{"jsonrpc", "2.0"}, {"id", 1}, {"method", method}, {"params", std::move(params)}}.dump());
    return said.empty() ? Json() : said.back();
  }
  Json begin(std::initializer_list<std::uint64_t> ids) {
    for (const auto id : ids) order.points.emplace_back(id, static_cast<TimeNs>(id) * nsPerSecond);
    return ask("begin", {{"version", version}, {"root", escapePath(t.path())}, {"order", toJson(order)}});
  }
  Json drop(std::uint64_t id) {
    return ask(
        "drop",
        {{"id", id}, {"uuid", "u" + std::to_string(id)}, {"made", static_cast<TimeNs>(id) * nsPerSecond}});
  }
  std::string problem(std::uint64_t id) { return drop(id)["error"].value("message", std::string()); }
};

TEST(DropServer, LetsGoWhatWasOrderedAndNothingElse) {
  DropTalk talk;
  ASSERT_TRUE(talk.begin({256, 257}).contains("result")) << talk.said.back().dump();
  EXPECT_EQ(talk.drop(256)["result"], true);
  EXPECT_EQ(talk.problem(258), "not-permitted") << "nobody ordered it";
  EXPECT_EQ(talk.drop(257)["result"], true);
  EXPECT_EQ(talk.problem(257), "not-there") << "once";
  EXPECT_EQ(talk.drive->gone, (std::vector<std::uint64_t>{256, 257}));
  EXPECT_EQ(talk.ask("cleaning", Json::object())["result"], 0);
  EXPECT_EQ(talk.ask("list_points", Json::object())["result"], true);
  EXPECT_EQ(talk.said.front()["params"]["trees"].size(), 3u);
  EXPECT_EQ(talk.ask("end", Json::object())["result"], true);
  EXPECT_EQ(talk.drop(256)["error"]["code"], ended);
}

TEST(DropServer, RefusesTheNewestAndTheLockedThoughOrdered) {
  DropTalk talk;
  talk.drive->all[0].mounted = true;
  talk.drive->all[1].isDefault = true;
  talk.drive->add(400, "0c").parent = 258;
  auto& worked = talk.drive->add(260);
  worked.readOnly = false;
  worked.changed = true;
  talk.drive->add(261).readOnly = false;
  ASSERT_TRUE(talk.begin({256, 257, 258, 259, 260, 261, 300}).contains("result"));
  EXPECT_EQ(talk.problem(256), "in-use");
  EXPECT_EQ(talk.problem(257), "bedrock");
  EXPECT_EQ(talk.problem(258), "bedrock") << "another one lies in it";
  EXPECT_EQ(talk.problem(259), "last-copy");
  EXPECT_EQ(talk.problem(260), "bedrock") << "somebody went on in it";
  EXPECT_EQ(talk.problem(261), "last-copy")
      << "the newest, and 259 the newest of those that nobody can go on in";
  EXPECT_EQ(talk.problem(300), "last-copy");
  EXPECT_TRUE(talk.drive->gone.empty());
}

TEST(DropServer, RefusesAnotherOneOfTheSameNumber) {
  DropTalk talk;
  ASSERT_TRUE(talk.begin({256, 257}).contains("result"));
  const Json otherUuid = talk.ask("drop", {{"id", 256}, {"uuid", "u9"}, {"made", 256 * nsPerSecond}});
  EXPECT_EQ(otherUuid["error"]["message"], "changed");
  const Json otherDate = talk.ask("drop", {{"id", 256}, {"uuid", "u256"}, {"made", 1}});
  EXPECT_EQ(otherDate["error"]["message"], "not-permitted");
  talk.drive->all[0].made += 1;  // it was taken anew since
  EXPECT_EQ(talk.problem(256), "changed");
  talk.drive->all[1].going = true;
  EXPECT_EQ(talk.problem(257), "not-there");
  for (const Json& bad : {Json::object(), Json{{"id", -1}, {"uuid", "u"}, {"made", 0}},
                          Json{{"id", 256}, {"uuid", 7}, {"made", 0}}, Json{{"id", "256"}, {"uuid", "u256"}},
                          Json{{"id", 256}, {"uuid", std::string(33, 'u')}, {"made", 0}}})
    EXPECT_EQ(talk.ask("drop", bad)["error"]["code"], invalidParams) << bad.dump();
  EXPECT_TRUE(talk.drive->gone.empty());
}

TEST(DropServer, TakesOneOrderThatFitsItsDigest) {
  const auto refusedOrder = [](const auto& bend) {
    DropTalk talk;
    talk.order.points.emplace_back(256, 256 * nsPerSecond);
    Json order = toJson(talk.order);
    bend(order);
    const Json reply =
        talk.ask("begin", {{"version", version}, {"root", escapePath(talk.t.path())}, {"order", order}});
    EXPECT_EQ(reply["error"]["code"], invalidParams) << order.dump();
    EXPECT_EQ(talk.drop(256)["error"]["code"], notBegun);
    EXPECT_TRUE(talk.drive->gone.empty());
  };
  refusedOrder([](Json& order) { order["points"].push_back(Json::array({257, 257 * nsPerSecond})); });
  refusedOrder([](Json& order) { order["points"][0][0] = 257; });
  refusedOrder([](Json& order) { order["points"] = Json::array(); });
  refusedOrder([](Json& order) { order["points"][0] = Json::array({256}); });
  refusedOrder([](Json& order) { order["points"][0][0] = -256; });
  refusedOrder([](Json& order) { order["consent"] = std::string(32, 'd'); });
  refusedOrder([](Json& order) { order["consent"] = ""; });
  refusedOrder([](Json& order) { order.erase("digest"); });
  refusedOrder([](Json& order) { order = Json(); });
  refusedOrder([](Json& order) {
    DropOrder many{std::string(32, 'c'), {}};
    many.points.resize(mostDrops + 1);
    order = toJson(many);
  });
  DropTalk talk;
  ASSERT_TRUE(talk.begin({256}).contains("result"));
  EXPECT_EQ(talk.begin({257})["error"]["code"], invalidRequest) << "a second order";
  EXPECT_EQ(talk.problem(257), "not-permitted");
}

TEST(DropServer, ReadsNothing) {
  DropTalk talk;
  talk.t.file("f", "x");
  EXPECT_EQ(talk.ask("list_points", Json::object())["error"]["code"], notBegun);
  ASSERT_TRUE(talk.begin({256}).contains("result"));
  for (const char* method : {"open", "stat", "list", "close", "usage", "uncover", "open_files", "overhead",
                             "stored_sizes", "tree_of", "remove", "drop_all", "Drop", ""})
    EXPECT_EQ(talk.ask(method, {{"at", 1}, {"path", ""}})["error"]["code"], noSuchMethod) << method;
}

TEST(DropServer, TakesOnlyAPlainRootAndGivesItsRightsUpFirst) {
  DropTalk talk;
  talk.t.folder("real");
  talk.t.symlink("real", "alias");
  talk.order.points.emplace_back(256, 256 * nsPerSecond);
  for (const std::string& root :
       {std::string("relative"), std::string(), talk.t / "real/../real", talk.t / "alias", talk.t / "none"}) {
    const Json reply =
        talk.ask("begin", {{"version", version}, {"root", root}, {"order", toJson(talk.order)}});
    EXPECT_TRUE(reply.contains("error")) << root;
  }
  talk.server.onBegin = [] { return false; };
  EXPECT_EQ(talk.begin({})["error"]["code"], ended);
  EXPECT_EQ(talk.drop(256)["error"]["code"], ended);
}

/// Who has no rights asks for them once, for the order; when it ends they are gone.
TEST(DropRights, AreAskedForWithTheOrderAndEndWithIt) {
  class Asked final : public Privileged {
  public:
    bool worthAsking() override { return true; }
    Result<std::unique_ptr<PrivilegedAccess>> start(const PathBytes& root) override {
      return fail(Errc::unsupported, "helper", root);
    }
    Result<std::shared_ptr<Snapshots>> startDropping(const PathBytes& target,
                                                     const DropOrder& order) override {
      orders.push_back(order);
      if (refuses) return fail(Errc::notPermitted, "helper", target);
      return std::shared_ptr<Snapshots>(lent);
    }
    std::shared_ptr<FakeSnapshots> lent = std::make_shared<FakeSnapshots>();
    std::vector<DropOrder> orders;
    bool refuses = false;
  };
  const auto asked = std::make_shared<Asked>();
  const auto direct = std::make_shared<FakeSnapshots>();
  for (const std::uint64_t id : {256u, 257u}) direct->add(id), asked->lent->add(id);
  FallbackSnapshots both(direct, asked);
  const DropOrder order{std::string(32, 'c'), {{256, 256 * nsPerSecond}}};
  ASSERT_TRUE(both.begin("/", order));
  EXPECT_TRUE(asked->orders.empty()) << "it may do it itself";
  direct->permitted = false;
  asked->refuses = true;
  EXPECT_EQ(zt::test::codeOf(both.begin("/", order)), Errc::notPermitted);
  EXPECT_EQ(zt::test::codeOf(both.drop("/", direct->all[0])), Errc::notPermitted);
  asked->refuses = false;
  ASSERT_TRUE(both.begin("/", order));
  EXPECT_EQ(asked->orders.back().digest(), order.digest());
  ASSERT_TRUE(both.drop("/", direct->all[0]));
  EXPECT_EQ(asked->lent->gone, (std::vector<std::uint64_t>{256}));
  both.end();
  EXPECT_EQ(zt::test::codeOf(both.drop("/", direct->all[1])), Errc::notPermitted);
}

}  // namespace
}  // namespace zt::helper
