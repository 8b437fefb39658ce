// SPDX-License-Identifier: GPL-3.0-or-later
// Whole jobs that need contents: equal files, files of one name, disks of other machines.
#include <gtest/gtest.h>

#include <fstream>

#include "demo/guest_disks.h"
#include "support/run_program.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

using Json = nlohmann::json;

struct Contents : ::testing::Test {
  void visit(const std::string& place, const std::vector<std::string>& how) {
    std::vector<std::string> words{ZTALLY, "measure", place, "--job", job, "--job-on-drive"};
    words.insert(words.end(), how.begin(), how.end());
    ASSERT_EQ(runProgram(words).status, 0);
    found = ztally({"match", "--least", "1"}).json();
  }
  Ran ztally(std::vector<std::string> words) {
    words.insert(words.begin(), ZTALLY);
    words.insert(words.end(), {"--job", job, "--json"});
    return runProgram(words);
  }
  Json carryOut() {
    const std::string token = ztally({"reclaim"}).json()["consent"]["token"];
    EXPECT_EQ(ztally({"reclaim", "--consent", token}).status, 0);
    return ztally({"prove"}).json();
  }
  TempFolder t;
  std::string job = t / "visit.ztjob";
  Json found;
};

/// Job 6: a guest's disk is found although nothing in its name says so; outside and inside stand side by
/// side, what could return lies between two bounds, and making it compact is offered, and proposed by nobody.
TEST_F(Contents, AGuestsDiskThatDoesNotShrink) {
  const Bytes length = Bytes{256} << 20;
  t.sparse("drive/home/kim/.hidden/blob", length);
  std::fstream disk(t / "drive/home/kim/.hidden/blob", std::ios::in | std::ios::out | std::ios::binary);
  for (const auto& [at, bytes] : demo::qcow2Disk(length, Bytes{1} << 30, Bytes{40} << 20, Bytes{16} << 20))
    disk.seekp(static_cast<std::streamoff>(at)) << bytes;
  disk.seekp(100 << 20) << std::string(20 << 20, 'd');  // its guest deleted that
  disk.close();
  visit(t / "drive", {});
  ASSERT_EQ(found["images"].size(), 1u);
  const Json image = found["images"][0];
  EXPECT_EQ(image["path"], "home/kim/.hidden/blob");
  EXPECT_EQ(image["format"], "qcow2");
  EXPECT_EQ(image["inside_bytes"], Bytes{40} << 20);
  EXPECT_GT(image["outside_bytes"].get<Bytes>(), Bytes{20} << 20);
  EXPECT_GE(image["could_return"]["most_bytes"].get<Bytes>(), Bytes{19} << 20);
  EXPECT_LE(image["could_return"]["least_bytes"].get<Bytes>(),
            image["could_return"]["most_bytes"].get<Bytes>());
  const Json finds = ztally({"finds", "--kind", "images"}).json()["finds"];
  ASSERT_EQ(finds.size(), 1u);
  EXPECT_EQ(finds[0]["offers"][0]["action"], "shrink");
  EXPECT_EQ(finds[0]["regret"], "none");
  EXPECT_EQ(ztally({"propose"}).json().value("lines", Json::array()).size(), 0u);
}

/// Job 7, as far as contents go: two files of one name, in different places and of different sizes: told
/// apart, one goes; equal ones leave one behind; what is kept and gone is named.
TEST_F(Contents, TwoFilesOfOneNameAndSomeThatAreEqual) {
  ASSERT_EQ(runProgram({ZTALLY, "demo", t / "office"}).status, 0);
  visit(t / "office", {"--stand-in"});
  Json pair;
  for (const Json& n : Json(found["namesakes"]))
    if (n["name"] == "ringing-2023.db") pair = n;
  ASSERT_EQ(pair["items"].size(), 2u);
  EXPECT_TRUE(pair["items"][1].contains("first_difference"));
  const std::string newer = pair["items"][0]["path"], older = pair["items"][1]["path"];
  EXPECT_GE(pair["items"][0]["modified_ns"].get<std::int64_t>(),
            pair["items"][1]["modified_ns"].get<std::int64_t>());
  ASSERT_EQ(ztally({"plan", "add", older, "--action", "hold"}).status, 0);
  Json folder;
  for (const Json& f : Json(ztally({"finds", "--kind", "duplicates"}).json()["finds"]))
    if (f["items"][0]["path"] == "home/ringer/Downloads/sd-backup") folder = f;
  ASSERT_FALSE(folder.is_null());
  ASSERT_EQ(found["folders"].size(), 1u);
  EXPECT_EQ(found["folders"][0]["stays"], "srv/recordings/dawn-chorus/card-0412");
  ASSERT_EQ(ztally({"plan", "add", folder["id"]}).status, 0);
  const Json proof = carryOut();
  // The list of what is held takes a few bytes of its own.
  EXPECT_NEAR(proof["free_after_bytes"].get<double>() - proof["free_before_bytes"].get<double>(),
              folder["gain"]["sure_bytes"].get<double>(), 65'536);
  const std::string drive = t / "office/drive/";
  const auto there = [&](const std::string& path) {
    return runProgram({"/usr/bin/test", "-e", drive + path}).status == 0;
  };
  EXPECT_TRUE(there(newer));
  EXPECT_FALSE(there(older));
  EXPECT_FALSE(there(folder["items"][0]["path"]));
  EXPECT_EQ(ztally({"undo"}).status, 0);
  EXPECT_TRUE(there(older)) << "and back where it was";
}

}  // namespace
}  // namespace zt::test
