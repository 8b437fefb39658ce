// SPDX-License-Identifier: GPL-3.0-or-later
// The command line in their language: texts, plural forms, questions; and that nothing is left out.
#include <gtest/gtest.h>

#include <fstream>

#include "support/drive_files.h"
#include "support/run_program.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

class Language : public ::testing::Test {
protected:
  void SetUp() override {
    t.file("drive/films/one.mp4", 2'000'000);
    t.file("drive/films/two.mp4", 1'500'000);
    t.file("drive/notes", "x");
    ASSERT_EQ(in("C", {"measure", t / "drive", "--job", job(), "--job-on-drive"}).status, 0);
  }
  std::string job() const { return t / "a.ztjob"; }
  Ran in(const std::string& language, std::vector<std::string> words) const {
    words.insert(words.begin(), {"/usr/bin/env", "LC_ALL=C.UTF-8", "LANGUAGE=" + language,
                                 language.starts_with("q") ? "ZTALLY_LOCALE=" ZT_TEST_LOCALE : "X=", ZTALLY});
    return runProgram(words);
  }
  TempFolder t;
};

TEST_F(Language, GermanIsSaid) {
  const std::string list = in("de", {"list", "--job", job()}).out;
  EXPECT_NE(list.find("Gefragt wurde: alles"), std::string::npos) << list;
  EXPECT_NE(in("de", {"plan", "--job", job(), "show"}).out.find("geplant"), std::string::npos);
  const Ran help = in("de", {"measure", "--help"});
  EXPECT_NE(help.out.find("misst ein Laufwerk"), std::string::npos) << help.out;
  EXPECT_NE(in("de", {"nonsense"}).err.find("dieses Wort gibt es nicht"), std::string::npos);
  EXPECT_NE(in("fr", {"list", "--job", job()}).out.find("Asked for: everything"), std::string::npos)
      << "what has no catalogue is English";
}

TEST_F(Language, QuestionsAreAskedInEitherLanguage) {
  const auto found = [&](const std::string& language, const std::string& question) {
    const Ran ran = in(language, {"list", question, "--job", job(), "--json"});
    EXPECT_EQ(ran.status, 0) << question << ran.err;
    return ran.json()["entries"].dump();
  };
  const std::string both = found("C", "over 1 MB, files");
  EXPECT_NE(both.find("one.mp4"), std::string::npos);
  EXPECT_EQ(found("de", "über 1 MB, Dateien"), both);
  EXPECT_EQ(found("de", "over 1 MB, files"), both) << "ours are understood everywhere";
  EXPECT_EQ(found("de", "Video, nicht unter 1700 kB"), found("C", "video, not under 1700 kB"));
  EXPECT_EQ(found("de", "älter 30 T"), found("C", "older 30 d"));
  EXPECT_EQ(found("de", "neuer 1 J, in films"), found("C", "newer 1 y, in films"));
  EXPECT_NE(in("C", {"list", "über 1 MB", "--job", job()}).out.find("0 found"), std::string::npos)
      << "a name, where nobody speaks it";
}

/// A rule is kept in our words: whoever carries it out may speak another language.
TEST_F(Language, RulesAreKeptInOurWords) {
  const Ran seen = in("de", {"upkeep", "add", "discard", "Video, über 1 MB", "--on", t / "drive", "--older",
                             "30 d", "--json"});
  EXPECT_NE(seen.out.find("video, over 1 MB"), std::string::npos) << seen.out << seen.err;
}

/// Lines of figures, paths and names alone need no language; whatever has words must have come through the
/// catalogue, where the made-up language puts them in brackets.
TEST_F(Language, NothingIsLeftOut) {
  const std::vector<std::vector<std::string>> all{{"list", "--job", job()},
                                                  {"plan", "--job", job(), "show"},
                                                  {"propose", "--job", job()},
                                                  {"undo", "--job", job()},
                                                  {"match", "--job", job()},
                                                  {"points", "--job", job()},
                                                  {"reclaim", "--job", job()},
                                                  {"prove", "--job", job()},
                                                  {"repay", "--job", job()},
                                                  {"drives"},
                                                  {"history"},
                                                  {"upkeep"},
                                                  {"finds", "--job", job()}};
  for (const auto& words : all) {
    const Ran ran = in("qps", words);
    std::istringstream lines(ran.out + ran.err);
    for (std::string line; std::getline(lines, line);) {
      const auto letters =
          std::count_if(line.begin(), line.end(), [](char c) { return std::isalpha(c) != 0; });
      const bool ours = line.find('[') != std::string::npos || line.find('/') != std::string::npos;
      EXPECT_TRUE(ours || letters < 4 || line.find(".mp4") != std::string::npos ||
                  line.find("notes") != std::string::npos || line.find(", 2") != std::string::npos)
          << words[0] << ": " << line;
    }
  }
}

}  // namespace
}  // namespace zt::test
