// SPDX-License-Identifier: GPL-3.0-or-later
// A drive and its copy, block by block: one UUID, two drives, never mixed.
#include <gtest/gtest.h>
#include <sys/mount.h>

#include <filesystem>
#include <fstream>

#include "support/loop_drive.h"
#include "support/run_program.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

using Json = nlohmann::json;

class Twins : public ::testing::Test {
protected:
  Ran ztally(std::vector<std::string> words) const {
    words.insert(words.begin(), {"/usr/bin/env", "XDG_DATA_HOME=" + (t / "data"), ZTALLY});
    return runProgram(words);
  }
  Ran measure(const std::string& at) const {
    static int jobs = 0;
    return ztally({"measure", at, "--job", t / ("j" + std::to_string(jobs++) + ".ztjob"), "--json"});
  }
  Json driveAt(const std::string& at) const {
    const Json all = ztally({"drives", "--json"}).json();
    for (const Json& drive : all["drives"])
      if (drive["target"] == at) return drive;
    ADD_FAILURE() << "no drive at " << at;
    return {};
  }
  TempFolder t;
};

TEST_F(Twins, AreKeptApartUntilSomebodySaysWhatTheyAre) {
  const LoopDrive known("ext4", Bytes{24} << 20);
  ZT_NEEDS(known);
  std::ofstream(known / "film.mp4") << std::string(3'000'000, 'f');
  ASSERT_EQ(measure(known.path()).status, 0);
  ASSERT_EQ(driveAt(known.path())["visits"].size(), 1u);
  // The same blocks in another file, mounted elsewhere.
  ::sync();
  const std::string copy = t / "copy.img", at = t / "twin";
  std::filesystem::copy_file(known.image(), copy);
  t.folder("twin");
  ASSERT_EQ(runProgram({"/usr/bin/mount", "-o", "loop", copy, at}).status, 0);
  const std::shared_ptr<void> off(nullptr, [&](void*) { ::umount2(at.c_str(), MNT_DETACH); });
  const Json twin = driveAt(at), first = driveAt(known.path());
  EXPECT_EQ(twin["twin"], true) << twin.dump(1);
  EXPECT_EQ(first["twin"], false);
  EXPECT_NE(twin["id"], first["id"]);
  EXPECT_TRUE(twin["visits"].empty()) << "what is known of the one is not told of the other";
  EXPECT_NE(ztally({"drives"}).out.find("--same or --another"), std::string::npos);
  ASSERT_EQ(measure(at).status, 0);
  EXPECT_EQ(driveAt(known.path())["visits"].size(), 1u);
  EXPECT_EQ(driveAt(at)["visits"].size(), 1u);
  // It is another one, and stays so.
  ASSERT_EQ(ztally({"drives", "--drive", at, "--another"}).status, 0);
  EXPECT_EQ(driveAt(at)["twin"], false);
  EXPECT_NE(driveAt(at)["id"], first["id"]);
  // It was that one after all: its owner put it into another case.
  ASSERT_EQ(ztally({"drives", "--drive", at, "--same"}).status, 0);
  EXPECT_EQ(driveAt(at)["id"], first["id"]);
  EXPECT_EQ(driveAt(at)["visits"].size(), 1u) << "those of the drive it is";
}

}  // namespace
}  // namespace zt::test
