// SPDX-License-Identifier: GPL-3.0-or-later
// The conversation that takes others' things: what it does, and everything that it refuses.
#include "helper/change_server.h"

#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <filesystem>

#include "core/drive/system_family.h"
#include "core/os/linux/linux_drive_insides.h"
#include "core/os/linux/linux_file_system.h"
#include "core/os/rights/file_rights.h"
#include "core/plan/plan_json.h"
#include "support/fakes.h"
#include "support/temp_folder.h"

namespace zt::helper {
namespace {

using test::TempFolder;

struct ChangeTalk {
  TempFolder t;
  std::shared_ptr<LinuxFileSystem> shared =
      std::make_shared<LinuxFileSystem>(LinuxFileSystem::Opening::stepByStep);
  LinuxFileSystem& files = *shared;
  LinuxDriveInsides insides;
  std::vector<Json> said;
  RightsOrder order{std::string(32, 'c'), {}};
  std::uint64_t root = 0;
  std::vector<SystemRoot> above;  ///< what the root lies in
  ChangeServer server{{shared, std::make_shared<test::FakeOpenFiles>(), {}, {}},
                      insides,
                      [this](const PathBytes& from) -> Result<std::vector<SystemRoot>> {
                        auto all = systemsIn(*namesOn(files, files.openRoot(from).value()));
                        all.insert(all.end(), above.begin(), above.end());
                        return all;
                      },
                      [this](const std::string& line) {
                        said.push_back(Json::parse(line));
                        return true;
                      }};

  ChangeTalk() {
    t.file("cache/old.deb", "0123456789");
    t.file("cache/sub/in.deb", "abc");
    t.file("cache/other", "xyz");
  }
  Json ask(const std::string& method, Json params) {
    said.clear();
    server.handle(
        Json{{"jsonrpc", "2.0"}, {"id", 1}, {"method", method}, {"params", std::move(params)}}.dump());
    return said.empty() ? Json() : said.back();
  }
  void may(std::string_view right, const std::string& path) {
    const FolderPtr top = files.openRoot(t.path()).value();
    const FolderPtr parent = files.openBeneath(*top, parentPath(path)).value();
    const Identity is = identityOf(files.stat(*parent, baseName(path)).value());
    order.things.push_back({std::string(right), path, toJson(is).dump()});
  }
  Json begin() {
    const Json head{{"consent", order.consent}, {"digest", order.digest()}};
    const Json begun = ask("begin", {{"version", version}, {"root", escapePath(t.path())}, {"order", head}});
    if (begun.contains("result")) root = begun["result"]["handle"];
    return begun;
  }
  Json give() { return ask("order", {{"things", thingsOf(order, 0, order.things.size())}}); }
  std::uint64_t open(const std::string& path) {
    const Json opened = ask("open", {{"at", root}, {"path", path}});
    return opened.contains("result") ? opened["result"]["handle"].get<std::uint64_t>() : 0;
  }
  Json make(std::uint64_t at, const std::string& name) {
    return ask("make_folder", {{"at", at}, {"name", name}});
  }
  /// A hold for run 1 of job "j"; gives the run's folder.
  std::uint64_t hold(const std::string& base = {}) {
    make(open(base), ".zip-tally-hold");
    const std::string at = joinPath(base, ".zip-tally-hold");
    make(open(at), "j");
    make(open(at + "/j"), "run-1");
    return open(at + "/j/run-1");
  }
  std::string move(std::uint64_t at, const std::string& name, std::uint64_t to, const std::string& as) {
    return problem(ask("move", {{"at", at}, {"name", name}, {"to", to}, {"new_name", as}}));
  }
  std::string remove(std::uint64_t at, const std::string& name, bool folder = false) {
    return problem(ask("remove", {{"at", at}, {"name", name}, {"folder", folder}}));
  }
  static std::string problem(const Json& answer) {
    return answer.contains("error") ? answer["error"]["message"].get<std::string>() : "";
  }
};

TEST(ChangeServer, TakesWhatWasOrderedGivesItBackAndLetsItGo) {
  ChangeTalk talk;
  talk.may(mayTake, "cache/old.deb");
  talk.may(mayTake, "cache/sub");
  ASSERT_TRUE(talk.begin().contains("result")) << talk.said.back().dump();
  EXPECT_EQ(ChangeTalk::problem(talk.make(talk.root, ".zip-tally-hold")), "no-consent") << "no order yet";
  ASSERT_EQ(talk.give()["result"], true) << talk.said.back().dump();
  const auto run = talk.hold();
  ASSERT_NE(run, 0u);
  const auto cache = talk.open("cache");
  EXPECT_EQ(talk.move(cache, "old.deb", run, "1"), "");
  EXPECT_EQ(talk.t.read(".zip-tally-hold/j/run-1/1"), "0123456789");
  EXPECT_EQ(talk.move(run, "1", cache, "old.deb.put-back-1"), "");
  EXPECT_EQ(talk.move(run, "1", cache, "old.deb"), "not-there");
  std::filesystem::rename(talk.t / "cache/old.deb.put-back-1", talk.t / "cache/old.deb");
  EXPECT_EQ(talk.move(cache, "old.deb", run, "1"), "");
  EXPECT_EQ(talk.move(cache, "sub", run, "2"), "");
  EXPECT_EQ(talk.remove(run, "1"), "");
  // A folder that is opened once more is the same place.
  const auto held = talk.open(".zip-tally-hold/j/run-1/2");
  const std::uint64_t again = talk.ask("open", {{"at", held}, {"path", ""}})["result"]["handle"];
  EXPECT_EQ(talk.remove(again, "in.deb"), "");
  EXPECT_EQ(talk.remove(run, "2", true), "");
  EXPECT_EQ(talk.ask("write_down", {{"at", talk.open(".zip-tally-hold/j")},
                                    {"name", "run-1.jsonl"},
                                    {"bytes", "{}\n"}})["result"],
            true);
  EXPECT_EQ(talk.remove(talk.open(".zip-tally-hold/j"), "run-1.jsonl"), "");
  EXPECT_EQ(talk.remove(talk.open(".zip-tally-hold/j"), "run-1", true), "");
  EXPECT_EQ(talk.remove(talk.open(".zip-tally-hold"), "j", true), "");
  EXPECT_EQ(talk.remove(talk.root, ".zip-tally-hold", true), "");
  EXPECT_EQ(talk.t.read("cache/other"), "xyz");
}

TEST(ChangeServer, TouchesNothingThatWasNotOrdered) {
  ChangeTalk talk;
  talk.may(mayTake, "cache/old.deb");
  talk.may(mayTake, "cache/sub");
  talk.begin(), talk.give();
  const auto run = talk.hold(), cache = talk.open("cache");
  EXPECT_EQ(talk.move(cache, "other", run, "1"), "not-permitted");
  EXPECT_EQ(talk.move(cache, "old.deb", cache, "new.deb"), "not-permitted") << "only into a hold";
  EXPECT_EQ(talk.move(cache, "old.deb", run, "x"), "not-permitted") << "only by a number";
  EXPECT_EQ(talk.move(cache, "old.deb", talk.open(".zip-tally-hold/j"), "1"), "not-permitted");
  EXPECT_EQ(talk.remove(cache, "other"), "not-permitted");
  EXPECT_EQ(talk.remove(cache, "sub", true), "not-permitted") << "folders go from a hold alone";
  EXPECT_EQ(talk.remove(talk.open("cache/sub"), "in.deb"), "not-permitted");
  EXPECT_EQ(ChangeTalk::problem(talk.make(cache, "new")), "not-permitted");
  EXPECT_EQ(ChangeTalk::problem(talk.make(talk.open("cache/sub"), ".zip-tally-hold")), "not-permitted")
      << "not above anything that may be taken";
  ASSERT_EQ(talk.move(cache, "old.deb", run, "1"), "");
  EXPECT_EQ(talk.move(run, "1", talk.root, "old.deb"), "not-permitted") << "only to its old place";
  EXPECT_EQ(talk.move(run, "1", cache, "x.deb"), "not-permitted");
  // Somebody else's thing in the hold is not this plan's.
  talk.t.file(".zip-tally-hold/j/run-1/9", "theirs");
  talk.t.file(".zip-tally-hold/j/run-1/8/in", "theirs");
  EXPECT_EQ(talk.remove(run, "9"), "not-permitted");
  EXPECT_EQ(talk.remove(talk.open(".zip-tally-hold/j/run-1/8"), "in"), "not-permitted");
  EXPECT_EQ(talk.t.read(".zip-tally-hold/j/run-1/9"), "theirs");
  for (const char* path : {"../x", "cache/../cache", "./cache", "cache//sub", "/etc"})
    EXPECT_EQ(talk.open(path), 0u) << path;
  for (const char* method : {"uncover", "stored_sizes", "tree_of", "overhead", "drop"})
    EXPECT_EQ(talk.ask(method, Json::object())["error"]["code"], noSuchMethod) << method;
  EXPECT_EQ(ChangeTalk::problem(talk.ask("step", Json::object())), "not-permitted") << "none was ordered";
}

TEST(ChangeServer, TakesNothingThatIsNotWhatWasAgreedTo) {
  ChangeTalk talk;
  talk.may(mayTake, "cache/old.deb");
  talk.begin(), talk.give();
  std::filesystem::remove(talk.t / "cache/old.deb");
  talk.t.file("cache/old.deb", "0123456789");
  EXPECT_EQ(talk.move(talk.open("cache"), "old.deb", talk.hold(), "1"), "changed");
  EXPECT_EQ(talk.remove(talk.open("cache"), "old.deb"), "changed");
  EXPECT_TRUE(talk.t.has("cache/old.deb"));
}

TEST(ChangeServer, LeavesBedrockAlone) {
  ChangeTalk talk;
  for (const char* file : {"etc/os-release", "etc/passwd", "usr/bin/env", "var/lib/dpkg/status"})
    talk.t.file(file, "ID=x\n");
  talk.may(mayTake, "etc/passwd");
  talk.may(mayTake, "usr");
  talk.may(mayTake, "cache/other");
  talk.begin(), talk.give();
  const auto run = talk.hold();
  EXPECT_EQ(talk.move(talk.open("etc"), "passwd", run, "1"), "bedrock");
  EXPECT_EQ(talk.remove(talk.open("etc"), "passwd"), "bedrock");
  EXPECT_EQ(talk.move(talk.root, "usr", run, "2"), "bedrock");
  EXPECT_EQ(talk.move(talk.open("cache"), "other", run, "3"), "");
}

/// Whoever names a folder of a system as the root has no more rights in it.
TEST(ChangeServer, LeavesBedrockAloneFromAnyRoot) {
  ChangeTalk talk;
  talk.above = {{{}, "usr/bin", SystemFamily::linuxFamily, true, false}};
  talk.t.file("env", "x");
  talk.may(mayTake, "env");
  talk.begin(), talk.give();
  EXPECT_EQ(talk.move(talk.root, "env", talk.hold(), "1"), "bedrock");
  EXPECT_EQ(talk.remove(talk.root, "env"), "bedrock");
  EXPECT_TRUE(talk.t.has("env"));
}

TEST(ChangeServer, BelievesNoHoldThatOthersCanWriteTo) {
  ChangeTalk talk;
  talk.may(mayTake, "cache/old.deb");
  talk.begin(), talk.give();
  for (const char* folder : {".zip-tally-hold", ".zip-tally-hold/j", ".zip-tally-hold/j/run-1"}) {
    talk.hold();
    ASSERT_EQ(::chmod((talk.t / folder).c_str(), 0777), 0);
    EXPECT_EQ(talk.open(".zip-tally-hold/j/run-1"), 0u) << folder;
    ASSERT_EQ(::chmod((talk.t / folder).c_str(), 0700), 0);
  }
  if (::geteuid() != 0) return;
  ASSERT_EQ(::chown((talk.t / ".zip-tally-hold/j").c_str(), 65534, 65534), 0);
  EXPECT_EQ(talk.open(".zip-tally-hold/j/run-1"), 0u) << "somebody else's";
}

TEST(ChangeServer, GivesBackWithoutAConsentAndNothingElse) {
  ChangeTalk talk;
  talk.t.file(".zip-tally-hold/j/run-1/1", "held");
  talk.may(mayGiveBack, ".zip-tally-hold/j/run-1/1");
  talk.order.things[0].path = "cache/held.txt";
  talk.order.consent.clear();
  for (const char* folder : {".zip-tally-hold", ".zip-tally-hold/j", ".zip-tally-hold/j/run-1"})
    ASSERT_EQ(::chmod((talk.t / folder).c_str(), 0700), 0);
  talk.begin();
  ASSERT_EQ(talk.give()["result"], true);
  const auto run = talk.open(".zip-tally-hold/j/run-1");
  ASSERT_NE(run, 0u);
  EXPECT_EQ(talk.remove(run, "1"), "not-permitted");
  EXPECT_EQ(talk.move(talk.open("cache"), "old.deb", run, "2"), "not-permitted");
  EXPECT_EQ(talk.move(run, "1", talk.open("cache"), "held.txt"), "");
  EXPECT_EQ(talk.t.read("cache/held.txt"), "held");
}

TEST(ChangeServer, TakesOneOrderThatFitsItsDigest) {
  {
    ChangeTalk talk;
    talk.may(mayTake, "cache/old.deb");
    talk.begin();
    talk.order.things[0].path = "cache/other";
    EXPECT_EQ(talk.give()["result"], false) << "not what its digest says";
    EXPECT_EQ(talk.move(talk.open("cache"), "other", talk.root, "1"), "no-consent");
  }
  {
    ChangeTalk talk;
    talk.may(mayTake, "cache/old.deb");
    talk.order.consent.clear();
    talk.begin();
    EXPECT_EQ(talk.give()["error"]["code"], invalidParams) << "taking needs a consent";
  }
  {
    ChangeTalk talk;
    talk.may(mayTake, "cache/old.deb");
    talk.order.things[0].action = "burn";
    talk.begin();
    EXPECT_EQ(talk.give()["error"]["code"], invalidParams);
  }
  ChangeTalk talk;
  talk.may(mayTake, "cache/old.deb");
  EXPECT_EQ(talk.ask("begin", {{"version", version}, {"root", escapePath(talk.t.path())}})["error"]["code"],
            invalidParams)
      << "no order";
  talk.begin();
  ASSERT_EQ(talk.give()["result"], true);
  EXPECT_EQ(talk.give()["error"]["code"], invalidRequest) << "one order";
}

}  // namespace
}  // namespace zt::helper
