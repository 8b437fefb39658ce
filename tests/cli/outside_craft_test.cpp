// SPDX-License-Identifier: GPL-3.0-or-later
// What the program does not know reaches the command line by the tables alone.
#include <gtest/gtest.h>

#include <sstream>

#include "cli/app.h"
#include "core/base/json_reader.h"
#include "support/outside_craft.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

struct OutsideCraft : ::testing::Test {
  /// Exit status; `said` has what was printed, `told` what was told beside it.
  int run(std::vector<std::string> words) {
    said.str({});
    told.str({});
    cli::Console console{w, said, told, false, {}};
    std::vector<const char*> argv{"ztally"};
    for (const std::string& word : words) argv.push_back(word.c_str());
    return cli::run(console, static_cast<int>(argv.size()), argv.data());
  }
  Json json() const { return parseJson(said.str()); }
  TempFolder t;
  Workshop w = workshopWithOutsideCraft();
  std::ostringstream said, told;
};

TEST_F(OutsideCraft, IsPlannedShownAndAgreedToByItsOwnWords) {
  t.file("drive/crate-1", 300'000);
  t.folder("quay");
  const std::string job = t / "a.ztjob";
  ASSERT_EQ(run({"measure", t / "drive", "--job", job, "--job-on-drive"}), 0) << told.str();
  ASSERT_EQ(run({"finds", "--job", job, "--json"}), 0);
  std::string id;
  const Json all = json();
  for (const Json& find : all["finds"])
    if (find["kind"] == "ferry-goods") id = find["id"];
  ASSERT_FALSE(id.empty()) << said.str();
  EXPECT_NE(run({"plan", "add", "--job", job, id, "--action", "ferry"}), 0) << "it is not said where to";
  EXPECT_NE(run({"plan", "add", "--job", job, id, "--action", "ferry", "--to", t / "quay", "--with",
                 "pieces=many"}),
            0);
  EXPECT_NE(
      run({"plan", "add", "--job", job, id, "--action", "ferry", "--to", t / "quay", "--with", "sails"}), 0);
  ASSERT_EQ(run({"plan", "add", "--job", job, id, "--action", "ferry", "--to", t / "quay", "--with",
                 "pieces=4", "--json"}),
            0)
      << told.str();
  const Json line = json()["lines"][0];
  EXPECT_EQ(line["action"], "ferry");
  EXPECT_EQ(line["parameters"].size(), 2u);
  ASSERT_EQ(run({"plan", "show", "--job", job}), 0);
  EXPECT_NE(said.str().find("ferry over"), std::string::npos) << said.str();
  EXPECT_EQ(run({"reclaim", "--job", job}), 4) << "it asks first";
  EXPECT_NE((said.str() + told.str()).find("to: " + t / "quay"), std::string::npos)
      << "where to is read, too";
  EXPECT_NE((said.str() + told.str()).find("goes over to another drive"), std::string::npos)
      << said.str() << told.str();
}

TEST_F(OutsideCraft, ContentsOfANewKindAreFindsLikeAllOthers) {
  t.file("drive/one", "cargo:rope");
  t.file("drive/two", "cargo:rope");
  const std::string job = t / "a.ztjob";
  ASSERT_EQ(run({"measure", t / "drive", "--job", job, "--job-on-drive"}), 0) << told.str();
  ASSERT_EQ(run({"match", "--job", job, "--json"}), 0) << told.str();
  ASSERT_EQ(run({"finds", "--job", job, "--kind", "cargo", "--json"}), 0) << told.str();
  ASSERT_EQ(json()["finds"].size(), 1u) << said.str();
  EXPECT_EQ(json()["finds"][0]["items"].size(), 2u);
}

}  // namespace
}  // namespace zt::test
