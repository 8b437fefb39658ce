// SPDX-License-Identifier: GPL-3.0-or-later
// What shells and manual pages are told, from the program's own option texts.
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>

#include "support/run_program.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

std::string described(const std::string& form, const std::string& page = {}) {
  std::vector<std::string> ask{ZTALLY, "describe", form};
  if (!page.empty()) ask.push_back(page);
  const Ran ran = runProgram(ask);
  EXPECT_EQ(ran.status, 0) << ran.err;
  return ran.out;
}

TEST(Describing, TheShellCompletesEveryVerbAndItsOptions) {
  const TempFolder t;
  std::ofstream(t / "ztally.bash") << described("bash");
  EXPECT_EQ(runProgram({"/bin/bash", "-n", t / "ztally.bash"}).status, 0);
  const auto completed = [&](const std::string& words, int at) {
    return runProgram({"/bin/bash", "-c",
                       "source \"$1\"; COMP_WORDS=(" + words + "); COMP_CWORD=" + std::to_string(at) +
                           "; _ztally; echo \"${COMPREPLY[@]}\"",
                       "complete", t / "ztally.bash"})
        .out;
  };
  EXPECT_EQ(completed("ztally mea", 1), "measure\n");
  EXPECT_EQ(completed("ztally measure --ever", 2), "--everything\n");
  EXPECT_NE(completed("ztally upkeep ''", 2).find("install"), std::string::npos);
  EXPECT_EQ(completed("ztally des", 1), "\n") << "what is for the build alone is not told";
  EXPECT_NE(described("zsh").find("'--until-met["), std::string::npos);
  EXPECT_NE(described("fish").find("__fish_seen_subcommand_from sheet' -l output -r"), std::string::npos);
}

TEST(Describing, TheManualPageHasEveryVerbAndNoWarnings) {
  const TempFolder t;
  std::ofstream(t / "ztally.1.in") << ".TH ZTALLY 1\n.SH VERBS\n@VERBS@\n.SH SEE ALSO\nend\n";
  const std::string page = described("man", t / "ztally.1.in");
  for (const char* verb :
       {".SS measure PATH", ".SS plan add ITEM", ".SS history DRIVE", ".SS upkeep run RULE"})
    EXPECT_NE(page.find(verb), std::string::npos) << verb;
  EXPECT_NE(page.find("\\fB\\-\\-consent\\fR \\fIvalue\\fR\n"), std::string::npos);
  EXPECT_EQ(page.find("describe"), std::string::npos);
  std::ofstream(t / "ztally.1") << page;
  if (!std::filesystem::exists("/usr/bin/man")) return;
  const Ran shown = runProgram({"/usr/bin/env", "LC_ALL=C.UTF-8", "MANROFFSEQ=", "MANWIDTH=80",
                                "/usr/bin/man", "--warnings", "-E", "UTF-8", "-l", "-Tutf8", t / "ztally.1"});
  EXPECT_EQ(shown.err, "");
  EXPECT_NE(runProgram({ZTALLY, "describe", "man", t / "none"}).status, 0);
}

}  // namespace
}  // namespace zt::test
