// SPDX-License-Identifier: GPL-3.0-or-later
// The conversation that changes the running system: what it does, and everything that it refuses.
#include "helper/live_server.h"

#include <gtest/gtest.h>

#include "core/os/linux/linux_file_system.h"
#include "core/reclaim/told_record.h"
#include "support/drive_files.h"
#include "support/fakes.h"
#include "support/temp_folder.h"

namespace zt::helper {
namespace {

using test::TempFolder;

/// A machine that notes what was asked of it.
class NotedLive final : public LiveSystem {
public:
  Result<std::vector<SwapUse>> swaps() override { return used; }
  Bytes spareMemory() override { return Bytes{1} << 30; }
  Result<ProgramRun> run(const std::vector<std::string>& arguments, const std::function<void()>&) override {
    asked.push_back(arguments);
    if (arguments[0] == "swapoff") used.clear();
    return ProgramRun{0, "", ""};
  }
  std::vector<SwapUse> used;
  std::vector<std::vector<std::string>> asked;
};

struct LiveTalk {
  TempFolder t;
  std::shared_ptr<NotedLive> live = std::make_shared<NotedLive>();
  std::shared_ptr<LinuxFileSystem> files = std::make_shared<LinuxFileSystem>();
  std::vector<Json> said;
  LiveServer server{{files, std::make_shared<test::FakeOpenFiles>(), live,
                     [](const PathBytes&) { return std::string("ext4"); }},
                    [this](const std::string& line) {
                      said.push_back(Json::parse(line));
                      return true;
                    }};
  JournalRecord record;

  LiveTalk() {
    test::putOn(t / "swapfile", std::string(8192, 's'));
    live->used.push_back({t / "swapfile", 8192, 0, -1});
    const FolderPtr root = files->openRoot(t.path()).value();
    record.action = "switch-off";
    record.path = "swapfile";
    record.identity = identityOf(files->stat(*root, "swapfile").value());
  }
  Json ask(const std::string& method, Json params) {
    said.clear();
    server.handle(
        Json{{"jsonrpc", "2.0"}, {"id", 1}, {"method", method}, {"params", std::move(params)}}.dump());
    return said.empty() ? Json() : said.back();
  }
  RightsOrder order(std::string consent = std::string(32, 'c')) const {
    return {std::move(consent), {{record.action, record.path, toJson(record.parameters).dump()}}};
  }
  Json begin(const Json& order) {
    return ask("begin", {{"version", version}, {"root", escapePath(t.path())}, {"order", order}});
  }
  Json step(const std::string& phase) { return ask("step", {{"phase", phase}, {"record", toTold(record)}}); }
};

TEST(LiveServer, CarriesOutWhatWasOrderedPhaseByPhase) {
  LiveTalk talk;
  ASSERT_TRUE(talk.begin(toJson(talk.order())).contains("result")) << talk.said.back().dump();
  for (const char* phase : {"prepare", "apply", "verify", "finish"}) {
    const Json answer = talk.step(phase);
    ASSERT_TRUE(answer.contains("result") && !answer["result"].contains("failed")) << answer.dump();
    const auto after = recordFromTold(answer["result"]["record"]);
    ASSERT_TRUE(after);
    talk.record = *after;
  }
  EXPECT_EQ(talk.record.state, ItemState::done);
  EXPECT_FALSE(std::filesystem::exists(talk.t / "swapfile"));
  EXPECT_EQ(talk.live->asked.at(0).at(0), "swapoff");
}

TEST(LiveServer, RefusesWhatWasNotOrderedAgreedToOrThere) {
  {
    LiveTalk talk;
    EXPECT_EQ(talk.step("apply")["error"]["code"], notBegun);
    Json order = toJson(talk.order());
    order["things"][0][1] = "etc/passwd";
    EXPECT_TRUE(talk.begin(order).contains("error")) << "a digest of something else";
    RightsOrder other = talk.order();
    other.things[0].action = "discard";
    EXPECT_TRUE(talk.begin(toJson(other)).contains("error")) << "no step of the running system";
    EXPECT_TRUE(talk.begin(toJson(RightsOrder{std::string(32, 'c'), {}})).contains("error"));
    ASSERT_TRUE(talk.begin(toJson(talk.order())).contains("result"));
    talk.record.path = "other";
    EXPECT_EQ(talk.step("apply")["error"]["message"], "not-permitted");
    talk.record.path = "swapfile";
    talk.record.parameters.set("bytes", std::uint64_t{1});
    EXPECT_EQ(talk.step("apply")["error"]["message"], "not-permitted") << "told something else";
    talk.record.parameters = {};
    EXPECT_EQ(talk.step("chmod")["result"]["failed"], "unsupported");
    EXPECT_TRUE(talk.ask("unlink", {{"path", "x"}}).contains("error"));
  }
  {
    LiveTalk talk;
    ASSERT_TRUE(talk.begin(toJson(talk.order(""))).contains("result"));
    EXPECT_EQ(talk.step("apply")["error"]["message"], "no-consent") << "without consent it is only set back";
  }
  {
    LiveTalk talk;
    ASSERT_TRUE(talk.begin(toJson(talk.order())).contains("result"));
    std::filesystem::remove(talk.t / "swapfile");
    test::putOn(talk.t / "swapfile", "something else altogether");
    EXPECT_EQ(talk.step("prepare")["result"]["failed"], "changed");
    talk.live->used.clear();
    EXPECT_EQ(talk.step("prepare")["result"]["failed"], "not-there");
    EXPECT_TRUE(talk.live->asked.empty());
  }
}

TEST(LiveServer, RecordsThatCannotBeAreRefused) {
  LiveTalk talk;
  ASSERT_TRUE(talk.begin(toJson(talk.order())).contains("result"));
  const Json good = toTold(talk.record);
  for (const auto& [key, value] : good.items()) {
    if (key == "problem") continue;
    Json bad = good;
    bad[key] = Json::array({1});
    if (key == "parameters") bad[key] = 5;
    EXPECT_EQ(talk.ask("step", {{"phase", "apply"}, {"record", bad}})["error"]["code"], invalidParams) << key;
    bad.erase(key);
    const Json answer = talk.ask("step", {{"phase", "chmod"}, {"record", bad}});
    EXPECT_TRUE(key == "parameters" || answer.contains("error")) << key;
  }
  EXPECT_TRUE(talk.live->asked.empty());
}

}  // namespace
}  // namespace zt::helper
