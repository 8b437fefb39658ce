// SPDX-License-Identifier: GPL-3.0-or-later
// A sheet is written whole or not at all.
#include <gtest/gtest.h>
#include <sys/mount.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <memory>

#include "support/run_program.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;

Ran ztally(const TempFolder& t, std::vector<std::string> words) {
  words.insert(words.begin(), {"/usr/bin/env", "XDG_DATA_HOME=" + (t / "data"), ZTALLY});
  return runProgram(words);
}

TEST(SheetOnAFullDrive, IsSaidAndLeavesNoPartBehind) {
  TempFolder t;
  t.file("drive/film.mp4", 2'000'000);
  const std::string job = t / "a.ztjob", small = t / "small";
  ASSERT_EQ(ztally(t, {"measure", t / "drive", "--job", job, "--job-on-drive"}).status, 0);
  t.folder("small");
  if (::mount("tmpfs", small.c_str(), "tmpfs", 0, "size=16k") != 0) {
    ASSERT_EQ(std::getenv("CI"), nullptr) << "CI may mount";
    GTEST_SKIP() << "SKIPPED, nothing can be mounted here";
  }
  const std::shared_ptr<void> off(nullptr, [&](void*) { ::umount2(small.c_str(), MNT_DETACH); });
  const auto sheet = [&](const std::string& file) { return ztally(t, {"sheet", "--job", job, "-o", file}); };
  std::ofstream(small + "/filler") << std::string(20'000, 'x');
  const bool sets = fs::exists(fs::path(ZTALLY).parent_path().parent_path() / "page/zip-tally-page");
  for (const char* name : {"s.html", "s.md", "s.csv", "s.json", "s.pdf"}) {
    if (!sets && std::string(name) == "s.pdf") continue;
    const Ran ran = sheet(small + "/" + name);
    EXPECT_NE(ran.status, 0) << name;
    EXPECT_NE(ran.err.find("there is no space left"), std::string::npos) << ran.err;
    EXPECT_FALSE(fs::exists(small + "/" + name)) << name;
  }
  fs::remove(small + "/filler");
  EXPECT_EQ(sheet(small + "/s.md").status, 0);
}

}  // namespace
}  // namespace zt::test
