// SPDX-License-Identifier: GPL-3.0-or-later
// What one leaves behind: comparison, history, the sheet, and rules that run by themselves.
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <regex>

#include "support/drive_files.h"
#include "support/run_program.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::json;

/// A user with a register of their own, and a drive.
class Visits : public ::testing::Test {
protected:
  void SetUp() override {
    t.file("drive/films/one.mp4", 2'000'000);
    t.file("drive/films/two.mp4", 1'500'000);
    t.file("drive/notes", "x");
  }
  Ran ztally(std::vector<std::string> words) const {
    words.insert(words.begin(), {"/usr/bin/env", "XDG_DATA_HOME=" + (t / "data"), ZTALLY});
    return runProgram(words);
  }
  Ran measure(const std::string& job) const {
    return ztally({"measure", t / "drive", "--job", t / job, "--job-on-drive", "--target", "50%", "--json"});
  }
  std::string text(const std::string& file) const {
    std::ifstream in(t / file, std::ios::binary);
    return {std::istreambuf_iterator<char>(in), {}};
  }
  TempFolder t;
};

TEST_F(Visits, AreComparedByFolderAndByQuestion) {
  ASSERT_EQ(measure("a.ztjob").status, 0);
  fs::remove(t / "drive/films/two.mp4");
  t.file("drive/new/three.mp4", 3'000'000);
  fs::rename(t / "drive/films/one.mp4", t / "drive/new/moved.mp4");
  ASSERT_EQ(measure("b.ztjob").status, 0);
  const Json j = ztally({"compare", t / "a.ztjob", t / "b.ztjob", "--depth", "2", "--json"}).json();
  EXPECT_EQ(j["sums"]["came_bytes"].get<Bytes>() / 100'000, 50u);
  EXPECT_EQ(j["sums"]["went_bytes"].get<Bytes>() / 100'000, 35u);
  EXPECT_EQ(j["sums"]["moved_in_bytes"].get<Bytes>() / 100'000, 20u);
  ASSERT_EQ(j["moves"].size(), 1u);
  EXPECT_EQ(j["moves"][0]["from"], "films/one.mp4");
  EXPECT_EQ(j["moves"][0]["to"], "new/moved.mp4");
  EXPECT_EQ(j["rows"][0]["delta_bytes"], j["delta_bytes"]);
  EXPECT_FALSE(j["kinds"].empty());
  const Json since = ztally({"compare", t / "a.ztjob", t / "b.ztjob", "over 2.5 MB, files", "--json"}).json();
  ASSERT_EQ(since["found"], 1);
  EXPECT_EQ(since["entries"][0]["path"], "new/three.mp4");
  ASSERT_EQ(ztally({"compare", t / "a.ztjob", t / "b.ztjob", "-o", t / "c.csv"}).status, 0);
  EXPECT_NE(text("c.csv").find("\"./new\",came,"), std::string::npos) << text("c.csv");
  EXPECT_NE(ztally({"compare", t / "a.ztjob", t / "b.ztjob", "-o", t / "c.csv"}).status, 0)
      << "never over anything";
  // An export stands for its job, without identities.
  ASSERT_EQ(ztally({"export", "--job", t / "a.ztjob", "-o", t / "a.jsonl.zst"}).status, 0);
  const Json other = ztally({"compare", t / "a.jsonl.zst", t / "b.ztjob", "--json"}).json();
  EXPECT_EQ(other["by_identity"], false);
  EXPECT_EQ(other["delta_bytes"], j["delta_bytes"]);
  EXPECT_NE(ztally({"compare", t / "a.ztjob", t / "gone.ztjob"}).status, 0);
  EXPECT_EQ(ztally({"compare", t / "a.ztjob", t / "b.ztjob", "over much"}).status, 2);
}

TEST_F(Visits, AreKeptWithWhatTheyCountedAndForgotten) {
  ASSERT_EQ(measure("a.ztjob").status, 0);
  ASSERT_EQ(measure("a.ztjob").status, 0);
  const Ran told = ztally({"history", "--json"});
  ASSERT_EQ(told.status, 0) << told.err;
  const Json drive = told.json()["drives"][0];
  EXPECT_EQ(drive["visits"].size(), 2u);
  EXPECT_EQ(drive["trend"]["lacks"], "visits");
  Bytes standings = 0;
  for (const Json& sum : drive["visits"][1]["sums"])
    if (sum["by"] == "standing") standings += sum["bytes"].get<Bytes>();
  EXPECT_GE(standings, 3'500'000u);
  EXPECT_NE(ztally({"history"}).out.find("it takes visits on three days"), std::string::npos);
  EXPECT_EQ(ztally({"history", t / "drive", "--forget", "--json"}).json()["forgotten"], 2);
  EXPECT_TRUE(ztally({"history", "--json"}).json()["drives"][0]["visits"].empty());
  EXPECT_NE(ztally({"history", "nobody knows it"}).status, 0);
}

TEST_F(Visits, EndWithASheetThatSaysWhatTheJobSays) {
  ASSERT_EQ(measure("a.ztjob").status, 0);
  ASSERT_EQ(ztally({"plan", "--job", t / "a.ztjob", "add", "films/one.mp4"}).status, 0);
  ASSERT_EQ(ztally({"plan", "--job", t / "a.ztjob", "add", "--action", "hold", "films/two.mp4"}).status, 0);
  const std::string token = ztally({"reclaim", "--job", t / "a.ztjob", "--json"}).json()["consent"]["token"];
  ASSERT_EQ(ztally({"reclaim", "--job", t / "a.ztjob", "--consent", token}).status, 0);
  // Before anybody measured again nothing is told that nobody knows.
  ASSERT_EQ(ztally({"sheet", "--job", t / "a.ztjob", "-o", t / "early.md"}).status, 0);
  EXPECT_NE(text("early.md").find("not measured again yet"), std::string::npos);
  EXPECT_EQ(text("early.md").find("Nothing was changed"), std::string::npos);
  const Json proof = ztally({"prove", "--job", t / "a.ztjob", "--json"}).json();
  const auto sheet = [&](const std::string& file, std::vector<std::string> more = {}) {
    more.insert(more.begin(), {"sheet", "--job", t / "a.ztjob", "-o", t / file});
    return ztally(more).status;
  };
  ASSERT_EQ(sheet("s.json"), 0);
  const Json j = Json::parse(text("s.json"));
  EXPECT_EQ(j["gained_bytes"], proof["actual_bytes"]);
  EXPECT_EQ(j["unproved_lines"], 0);
  EXPECT_EQ(j["free_before_bytes"], proof["free_before_bytes"]);
  EXPECT_EQ(j["free_after_bytes"], proof["free_after_bytes"]);
  ASSERT_EQ(j["done"].size(), proof["lines"].size());
  for (std::size_t i = 0; i < j["done"].size(); ++i)
    EXPECT_EQ(j["done"][i]["actual_bytes"], proof["lines"][i]["actual_bytes"]);
  bool release = false;
  for (const Json& todo : j["to_do"])
    release = release || (todo["kind"] == "release" && todo["path"] == "films/two.mp4");
  EXPECT_TRUE(release) << j["to_do"].dump(1);
  ASSERT_EQ(sheet("s.html", {"--shop", "Skerry <Bench>", "--remember"}), 0);
  const std::string html = text("s.html");
  EXPECT_NE(html.find("Skerry &lt;Bench&gt;"), std::string::npos);
  EXPECT_NE(html.find("films/one.mp4"), std::string::npos);
  EXPECT_EQ(html.find("<script"), std::string::npos);
  EXPECT_EQ(html.find("http"), std::string::npos) << "nothing from elsewhere";
  ASSERT_EQ(sheet("s.md", {"--plain"}), 0);
  EXPECT_NE(text("s.md").find("Skerry"), std::string::npos) << "remembered";
  EXPECT_EQ(text("s.md").find("For the shop"), std::string::npos);
  ASSERT_EQ(sheet("s.csv"), 0);
  EXPECT_NE(text("s.csv").find("\"what\",\"how\",\"came free\"\r\n"), std::string::npos);
  EXPECT_NE(sheet("s.html"), 0) << "never over anything";
  EXPECT_NE(sheet("s.doc"), 0);
  t.file("evil.svg", "<svg onload='x'/>");
  EXPECT_NE(sheet("l.html", {"--logo", t / "evil.svg"}), 0) << "a drawing is a program";
  t.file("huge.png", "\x89PNG\r\n\x1a\n" + std::string(2'000'000, 'x'));
  EXPECT_NE(sheet("l.html", {"--logo", t / "huge.png"}), 0);
  EXPECT_FALSE(t.has("l.html"));
  if (!fs::exists(fs::path(ZTALLY).parent_path().parent_path() / "page/zip-tally-page")) return;
  ASSERT_EQ(sheet("s.pdf"), 0);
  EXPECT_EQ(text("s.pdf").substr(0, 5), "%PDF-");
  const std::string fonts = runProgram({program("pdffonts"), t / "s.pdf"}).out;
  EXPECT_NE(fonts.find("Lato"), std::string::npos) << fonts;
  EXPECT_EQ(fonts.find(" no  "), std::string::npos) << "all lie in it\n" << fonts;
  const std::string facts = runProgram({program("pdfinfo"), t / "s.pdf"}).out;
  EXPECT_TRUE(std::regex_search(facts, std::regex("Tagged: +yes"))) << facts;
  const std::string read = runProgram({program("pdfinfo"), "-enc", "UTF-8", "-struct-text", t / "s.pdf"}).out;
  for (const char* tag :
       {"Document", "H1", "H2", "P (block)", "Table", "TH", "TD", "L (block)", "LBody", "Figure", "Caption"})
    EXPECT_NE(read.find(tag), std::string::npos) << tag << "\n" << read;
  EXPECT_NE(read.find("films/one.mp4"), std::string::npos) << "words are read aloud\n" << read;
  EXPECT_LT(read.find("H1"), read.find("H2"));
  EXPECT_NE(sheet("s.pdf"), 0);
}

/// A trash with an old thing and a new one.
class Upkeep : public Visits {
protected:
  void SetUp() override {
    Visits::SetUp();
    for (const char* name : {"old", "new"}) {
      t.file("drive/.Trash-0/files/" + std::string(name), std::string(1'000'000, 'x'));
      const std::string when = name == std::string("old") ? "2020-01-01T00:00:00" : "2099-01-01T00:00:00";
      t.file("drive/.Trash-0/info/" + std::string(name) + ".trashinfo",
             "[Trash Info]\nPath=" + std::string(name) + "\nDeletionDate=" + when + "\n");
    }
  }
  Ran add(std::vector<std::string> more = {}) const {
    more.insert(more.begin(),
                {"upkeep", "add", "empty", "trash", "--on", t / "drive", "--older", "30 d", "--json"});
    return ztally(more);
  }
};

TEST_F(Upkeep, ShowsWhatARuleWouldDoKeepsItAndDoesIt) {
  const Ran added = add({"--every", "daily", "--at", "04:30"});
  ASSERT_EQ(added.status, 0) << added.err;
  EXPECT_EQ(added.json()["kept"], true);
  ASSERT_EQ(added.json()["would_go"].size(), 2u) << "with its record: " << added.out;
  EXPECT_EQ(added.json()["would_go"][0]["path"], ".Trash-0/files/old");
  EXPECT_TRUE(t.has("drive/.Trash-0/files/old")) << "adding touches nothing";
  const std::string sentence = added.json()["sentence"];
  EXPECT_NE(sentence.find("every day at 04:30"), std::string::npos) << sentence;
  EXPECT_EQ(ztally({"upkeep", "run", "--dry-run", "--json"}).json()["runs"][0]["dry_run"], true);
  EXPECT_TRUE(t.has("drive/.Trash-0/files/old"));
  const Json ran = ztally({"upkeep", "run", "--due", "--json"}).json();
  ASSERT_EQ(ran["runs"].size(), 1u);
  EXPECT_EQ(ran["runs"][0]["end"], "done") << ran.dump();
  EXPECT_FALSE(t.has("drive/.Trash-0/files/old"));
  EXPECT_TRUE(t.has("drive/.Trash-0/files/new"));
  EXPECT_TRUE(t.has("drive/films/one.mp4"));
  EXPECT_TRUE(ztally({"upkeep", "run", "--due", "--json"}).json()["runs"].empty()) << "not twice a day";
  EXPECT_EQ(ztally({"upkeep", "run", "r1", "--json"}).json()["runs"][0]["end"], "nothing");
  const Json rule = ztally({"upkeep", "list", "--json"}).json()["rules"][0];
  EXPECT_EQ(rule["ran"].size(), 2u);
  EXPECT_TRUE(rule["next_ns"].is_number());
  EXPECT_EQ(ztally({"upkeep", "drop", "r1"}).status, 0);
  EXPECT_NE(ztally({"upkeep", "drop", "r1"}).status, 0);
  // Its run is a run like any: a job with a journal and a proof.
  int jobs = 0;
  for (const auto& e : fs::directory_iterator(t / "data/zip-tally/upkeep"))
    jobs += e.path().extension() == ".ztjob";
  EXPECT_GE(jobs, 1);
}

TEST_F(Upkeep, StopsWhereSomethingIsOdd) {
  ASSERT_EQ(add({"--most", "100KB"}).status, 0);
  EXPECT_EQ(ztally({"upkeep", "run", "r1", "--json"}).json()["runs"][0]["end"], "too-much");
  EXPECT_TRUE(t.has("drive/.Trash-0/files/old"));
  ASSERT_EQ(add().status, 0);
  fs::rename(t / "drive", t / "elsewhere");
  fs::create_directory_symlink(t / "elsewhere", t / "drive");
  EXPECT_EQ(ztally({"upkeep", "run", "r2", "--json"}).json()["runs"][0]["end"], "place-changed");
  EXPECT_TRUE(t.has("elsewhere/.Trash-0/files/old"));
  EXPECT_NE(ztally({"upkeep", "run", "r9"}).status, 0);
  EXPECT_NE(add({"--at", "25:00"}).status, 0);
  EXPECT_EQ(ztally({"upkeep", "add", "discard", "video", "--on", t / "elsewhere", "--json"})
                .json()["would_go"]
                .size(),
            0u)
      << "what nobody judged is never taken by a rule";
}

TEST_F(Upkeep, WritesUnitsThatSystemdAccepts) {
  EXPECT_NE(ztally({"upkeep", "install", "--into", t / "units"}).status, 0) << "no rules";
  ASSERT_EQ(add().status, 0);
  ASSERT_EQ(add({"--every", "upgrade"}).status, 0);
  for (const bool whole : {false, true}) {
    const std::string folder = t / (whole ? "whole" : "own");
    std::vector<std::string> ask{"upkeep", "install", "--into", folder};
    if (whole) ask.emplace_back("--system");
    const Ran ran = ztally(ask);
    ASSERT_EQ(ran.status, 0) << ran.err;
    EXPECT_NE(ran.out.find("upkeep run --due"), std::string::npos) << "a line for a crontab";
    std::vector<std::string> verify{"/usr/bin/systemd-analyze", "verify", "--man=no"};
    for (const auto& e : fs::directory_iterator(folder)) verify.push_back(e.path());
    EXPECT_EQ(verify.size(), 7u);
    if (!fs::exists(verify[0])) continue;
    const Ran verified = runProgram(verify);
    EXPECT_EQ(verified.status, 0) << verified.err;
    EXPECT_EQ(verified.err.find("Unknown"), std::string::npos) << verified.err;
  }
}

}  // namespace
}  // namespace zt::test
