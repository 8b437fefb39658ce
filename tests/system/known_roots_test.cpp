// SPDX-License-Identifier: GPL-3.0-or-later
// Roots of three families, and of one with its system below the top, on a real drive whose files were made
// and changed in the past (set by debugfs): what is known is found, named and judged as a list says; what
// must never go is refused at, above and beneath; near misses are left alone.
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <random>
#include <sstream>

#include "support/loop_drive.h"
#include "support/noise.h"
#include "support/run_program.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::json;

struct Row {
  std::string verdict, kind, standing, regret, path, text;
  long days = 400;
  std::size_t bytes = 0;
};

std::vector<Row> rowsOf(const std::string& name) {
  std::vector<Row> rows;
  std::ifstream in(std::string(ZT_TEST_DATA) + "/knowing/" + name + ".txt");
  for (std::string line; std::getline(in, line);) {
    std::istringstream words(line);
    const auto next = [&] {
      std::string word;
      std::getline(words, word, '\t');
      return word;
    };
    Row row;
    row.verdict = next();
    if (row.verdict.starts_with('#')) continue;
    if (row.verdict == "text") {
      row.path = next();
      row.text = next();
      for (auto at = row.text.find("\\n"); at != std::string::npos; at = row.text.find("\\n"))
        row.text.replace(at, 2, "\n");
    } else {
      row.kind = next(), row.standing = next(), row.regret = next();
      row.days = std::stol(next());
      row.bytes = std::stoul(next()) * 1000;
      row.path = next();
    }
    rows.push_back(std::move(row));
  }
  return rows;
}

class KnownRoots : public ::testing::TestWithParam<const char*> {
protected:
  void SetUp() override {
    ZT_NEEDS(drive);
    rows = rowsOf(GetParam());
    ASSERT_GT(rows.size(), 10u);
    for (const Row& row : rows) {
      fs::create_directories(fs::path(drive / row.path).parent_path());
      std::ofstream(drive / row.path, std::ios::binary)
          << (row.verdict == "text" ? row.text : noise(row.bytes, static_cast<unsigned>(++made)));
    }
    setTimes();
    ASSERT_EQ(runProgram({ZTALLY, "measure", drive.path(), "--job", job, "--target", "100%"}).status, 0);
    finds = ztally({"finds"}).json()["finds"];
  }
  /// All times of a file lie as many days back as its row says, and those of all folders 400.
  void setTimes() {
    std::ofstream orders(t / "orders");
    const auto set = [&](const std::string& path, long days) {
      for (const char* field : {"mtime", "ctime", "crtime"})
        orders << "set_inode_field \"/" << path << "\" " << field << " @" << ::time(nullptr) - days * 86'400
               << "\n";
    };
    for (const auto& entry :
         fs::recursive_directory_iterator(drive.path(), fs::directory_options::skip_permission_denied))
      if (entry.is_directory()) set(fs::relative(entry.path(), drive.path()), 400);
    for (const Row& row : rows) set(row.path, row.days);
    orders.close();
    drive.unmount();
    const Ran ran = runProgram({program("debugfs"), "-w", "-f", t / "orders", drive.image()});
    ASSERT_EQ(ran.status, 0) << ran.err;
    ASSERT_TRUE(drive.remount("noatime"));
  }
  Ran ztally(std::vector<std::string> words) const {
    words.insert(words.begin(), ZTALLY);
    words.insert(words.end(), {"--job", job, "--json"});
    return runProgram(words);
  }
  static bool within(const std::string& path, const std::string& folder) {
    return path == folder || path.starts_with(folder + "/");
  }
  /// The finds whose things a path is, or lies in.
  std::vector<Json> about(const std::string& path) const {
    std::vector<Json> all;
    for (const Json& f : finds)
      for (const Json& item : f["items"])
        if (within(path, item["path"].get<std::string>())) {
          all.push_back(f);
          break;
        }
    return all;
  }
  static std::string said(const std::vector<Json>& all) {
    std::string text;
    for (const Json& f : all)
      text += "\n  " + f["kind"].get<std::string>() + " " + f["standing"].get<std::string>() + " " +
              f["regret"].get<std::string>() + ": " + f["title"].get<std::string>();
    return text;
  }

  LoopDrive drive{"ext4", Bytes{300} << 20};
  TempFolder t;
  std::string job = t / "job.ztjob";
  std::vector<Row> rows;
  int made = 0;
  Json finds;
};

TEST_P(KnownRoots, WhatIsKnownIsFoundAndNamed) {
  for (const Row& row : rows) {
    if (row.verdict != "find") continue;
    const auto all = about(row.path);
    const auto as = std::find_if(all.begin(), all.end(), [&](const Json& f) {
      return f["kind"] == row.kind && f["standing"] == row.standing && f["regret"] == row.regret;
    });
    EXPECT_NE(as, all.end()) << row.path << " is no " << row.kind << " " << row.standing << " " << row.regret
                             << said(all);
    if (as != all.end()) {
      EXPECT_NE((*as)["title"], row.path) << "it is named for what it is";
    }
  }
}

TEST_P(KnownRoots, NothingElseIsTakenForIt) {
  const Json proposal = ztally({"propose", "--ceiling", "a-way-back"}).json();
  for (const Row& row : rows) {
    if (row.verdict != "miss" && row.verdict != "never") continue;
    for (const Json& f : about(row.path))
      EXPECT_TRUE(f["standing"] != "spent" && f["standing"] != "rebuilds") << row.path << said({f});
    for (const Json& line : proposal["lines"])
      for (const Json& item : line["items"])
        EXPECT_FALSE(within(row.path, item["path"].get<std::string>())) << row.path << " would be proposed";
  }
}

TEST_P(KnownRoots, WhatMustNotGoIsRefusedAtAboveAndBeneath) {
  for (const Row& row : rows) {
    if (row.verdict != "never") continue;
    const auto slash = row.path.rfind('/');
    std::vector<std::string> paths{row.path};
    if (slash != std::string::npos) paths.push_back(row.path.substr(0, slash));
    if (const auto first = row.path.find('/'); first != slash) paths.push_back(row.path.substr(0, first));
    for (const std::string& path : paths) {
      EXPECT_EQ(ztally({"plan", "add", path, "--action", "discard"}).status, 4) << path;
      EXPECT_EQ(ztally({"plan", "add", path, "--action", "hold"}).status, 4) << path;
    }
  }
}

INSTANTIATE_TEST_SUITE_P(Loop, KnownRoots, ::testing::Values("linux", "nt", "mac", "at-layout"),
                         [](const auto& root) {
                           const std::string name = root.param;
                           return name.substr(0, name.find('-'));
                         });

}  // namespace
}  // namespace zt::test
