// SPDX-License-Identifier: GPL-3.0-or-later
// The helper's conversation: what it answers, and everything that it refuses.
#include "helper/server.h"

#include <gtest/gtest.h>
#include <unistd.h>

#include <filesystem>

#include "core/os/linux/linux_drive_insides.h"
#include "core/os/linux/linux_file_system.h"
#include "support/fakes.h"
#include "support/temp_folder.h"

namespace zt::helper {
namespace {

using test::TempFolder;

struct Talk {
  LinuxFileSystem files;
  test::FakeOpenFiles open;
  LinuxDriveInsides insides;
  std::vector<Json> said;
  bool heard = true;
  Server server{files, open, insides, [this](const std::string& line) {
                  EXPECT_EQ(line.find('\n'), std::string::npos) << "one message a line";
                  said.push_back(Json::parse(line));
                  return heard;
                }};

  Json ask(const std::string& method, Json params) {
    said.clear();
    server.handle(
        Json{{"jsonrpc", "2.0"}, {"id", 1}, {"method", method}, {"params", std::move(params)}}.dump());
    return said.empty() ? Json() : said.back();
  }
  std::uint64_t begin(const std::string& root) {
    return ask("begin", {{"version", version}, {"root", escapePath(root)}})["result"]["handle"];
  }
  int code(const std::string& method, Json params) { return ask(method, std::move(params))["error"]["code"]; }
};

TEST(HelperServer, ListsAndStatsBeneathTheRoot) {
  TempFolder t;
  t.file("in/a\nb\xff", "12345");
  Talk talk;
  const auto root = talk.begin(t.path());
  const std::uint64_t in = talk.ask("open", {{"at", root}, {"path", "in"}})["result"]["handle"];
  EXPECT_EQ(talk.ask("list", {{"at", in}})["result"], true);
  ASSERT_EQ(talk.said.size(), 2u);
  const Json entry = talk.said[0]["params"][0];
  EXPECT_EQ(unescapePath(entry[0].get<std::string>()), "a\nb\xff");
  EXPECT_EQ(statFrom(entry[2])->length, 5u);
  const Json one = talk.ask("stat", {{"at", in}, {"name", entry[0]}});
  EXPECT_EQ(statFrom(one["result"])->inode, statFrom(entry[2])->inode);
  EXPECT_EQ(talk.ask("close", {{"at", in}})["result"], true);
  EXPECT_EQ(talk.code("list", {{"at", in}}), invalidParams) << "closed handles are nothing";
}

TEST(HelperServer, RefusesEverythingOutsideTheRoot) {
  TempFolder t;
  t.folder("root/in");
  t.file("secret/file", "x");
  t.symlink(t / "secret", "root/door");
  t.symlink("../secret", "root/back");
  Talk talk;
  const auto root = talk.begin(t / "root");
  for (const std::string path :
       {"..", "../secret", "in/../../secret", "/etc", "door", "back", "door/file", "in/.."}) {
    const Json reply = talk.ask("open", {{"at", root}, {"path", path}});
    EXPECT_TRUE(reply.contains("error")) << path;
  }
  for (const std::string name : {"..", ".", "in/x", "../secret", "/etc/passwd", "a\\x00b"})
    EXPECT_TRUE(talk.ask("stat", {{"at", root}, {"name", name}}).contains("error")) << name;
  EXPECT_EQ(talk.code("open", {{"at", root + 100}, {"path", "in"}}), invalidParams) << "nobody's handle";
  EXPECT_EQ(talk.code("open", {{"at", -1}, {"path", "in"}}), invalidParams);
}

TEST(HelperServer, TakesOnlyAPlainRootWithoutLinks) {
  TempFolder t;
  t.folder("real");
  t.symlink("real", "alias");
  for (const std::string& root :
       {std::string("relative"), std::string(""), t / "real/", t / "real/../real", t / "alias", t / "none",
        std::string("/a//b"), t / "real" + std::string("\\x00")}) {
    Talk talk;
    EXPECT_TRUE(talk.ask("begin", {{"version", version}, {"root", root}}).contains("error")) << root;
    EXPECT_EQ(talk.code("open", {{"at", 1}, {"path", ""}}), notBegun);
  }
}

TEST(HelperServer, HasOneClientAndOneEnd) {
  TempFolder t;
  Talk talk;
  EXPECT_EQ(talk.code("list", {{"at", 1}}), notBegun);
  const auto root = talk.begin(t.path());
  EXPECT_EQ(talk.code("begin", {{"version", version}, {"root", "/"}}), invalidRequest) << "a second client";
  EXPECT_EQ(talk.ask("end", Json::object())["result"], true);
  for (const char* method : {"list", "begin", "open_files", "end"})
    EXPECT_EQ(talk.code(method, {{"at", root}, {"version", version}, {"root", t.path()}}), ended) << method;
}

TEST(HelperServer, BearsMalformedMessages) {
  TempFolder t;
  Talk talk;
  talk.begin(t.path());
  for (const std::string line :
       {"", "{", "null", "[]", "42", "\"text\"", "[{}]", "{}", R"({"jsonrpc":"1.0","id":1,"method":"list"})",
        R"({"jsonrpc":"2.0","id":1,"method":7})", R"({"jsonrpc":"2.0","id":1,"method":"list","params":[1]})",
        R"({"jsonrpc":"2.0","id":1,"method":"remove","params":{}})",
        R"({"jsonrpc":"2.0","id":{},"method":"list","params":{}})",
        R"({"jsonrpc":"2.0","id":1,"method":"list","params":{"at":1.5}})", "\xff\xfe{}",
        R"({"jsonrpc":"2.0","id":1,"method":"overhead","params":{"fs_type":"ext4; rm"}})"}) {
    talk.said.clear();
    EXPECT_TRUE(talk.server.handle(line));
    ASSERT_EQ(talk.said.size(), 1u) << line;
    EXPECT_TRUE(talk.said[0].contains("error")) << line;
  }
  EXPECT_TRUE(talk.server.handle(std::string(60'000, '[')));
  EXPECT_EQ(talk.said.back()["error"]["code"], parseError);
}

TEST(HelperServer, AnswersNoNotificationAndStopsWhenNobodyListens) {
  TempFolder t;
  t.file("f", "x");
  Talk talk;
  const auto root = talk.begin(t.path());
  talk.said.clear();
  EXPECT_TRUE(talk.server.handle(R"({"jsonrpc":"2.0","method":"close","params":{"at":1}})"));
  EXPECT_TRUE(talk.said.empty());
  EXPECT_EQ(talk.code("list", {{"at", root}}), invalidParams) << "but it was done";
  talk.heard = false;
  EXPECT_FALSE(talk.server.handle(R"({"jsonrpc":"2.0","id":2,"method":"open_files","params":{}})"));
}

TEST(HelperServer, LendsOnlySoManyFolders) {
  TempFolder t;
  Talk talk;
  const auto root = talk.begin(t.path());
  for (std::size_t i = 1; i < mostHandles; ++i)
    ASSERT_TRUE(talk.ask("open", {{"at", root}, {"path", ""}}).contains("result")) << i;
  const Json over = talk.ask("open", {{"at", root}, {"path", ""}});
  EXPECT_EQ(over["error"]["message"], "too-many-open");
}

TEST(HelperServer, ReadsNothingWhenItsRightsCannotBeGivenUp) {
  TempFolder t;
  Talk talk;
  talk.server.onBegin = [] { return false; };
  EXPECT_EQ(talk.code("begin", {{"version", version}, {"root", t.path()}}), ended);
  EXPECT_EQ(talk.code("open_files", Json::object()), ended);
}

TEST(HelperProtocol, GivesBackWhatItWasGivenAndNothingElse) {
  EntryStat s;
  s.kind = EntryKind::symlink;
  s.inode = ~0ull;
  s.modified = INT64_MIN;
  s.length = 1ull << 63;
  const auto back = statFrom(toJson(s));
  ASSERT_TRUE(back);
  EXPECT_EQ(back->inode, s.inode);
  EXPECT_EQ(back->modified, s.modified);
  EXPECT_EQ(back->length, s.length);
  Json bad = toJson(s);
  for (const Json& wrong : {Json(-1), Json("x"), Json(1.5), Json(), Json::array(), Json(1e30)}) {
    Json one = bad;
    one[2] = wrong;
    EXPECT_FALSE(statFrom(one)) << one.dump();
  }
  bad[0] = 9;
  EXPECT_FALSE(statFrom(bad));
  EXPECT_FALSE(statFrom(Json::array({1, 2})));
  const Overhead o{true, {{"pool", 12}}, 99};
  EXPECT_EQ(overheadFrom(toJson(o))->sum(), 12u);
  EXPECT_FALSE(overheadFrom(Json{{"parts", {{{"id", "x"}, {"bytes", -4}}}}}));
}

}  // namespace
}  // namespace zt::helper
