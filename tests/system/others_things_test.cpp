// SPDX-License-Identifier: GPL-3.0-or-later
// An ordinary user and things of root's: through the real helper, on a real drive.
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <random>

#include "core/base/path_bytes.h"
#include "support/drive_files.h"
#include "support/loop_drive.h"
#include "support/seed.h"
#include "support/unprivileged.h"

namespace zt::test {
namespace {

using Json = nlohmann::json;

/// A drive whose caches are root's, as an ordinary user works on it.
struct OthersDrive {
  LoopDrive drive;
  Unprivileged user;
  std::string job;
  explicit OthersDrive(const char* type = "ext4", Bytes size = Bytes{96} << 20) : drive(type, size) {}
  bool ready() {
    if (!drive.mounted() || !rootAndSetUidWork(user.folder)) return false;
    for (const std::string& path : {drive.path(), PathBytes(parentPath(drive.path()))})
      must(::chmod(path.c_str(), 0755) == 0, "chmod");
    for (const char* folder : {"spare/closed", "mine", "kept"})
      std::filesystem::create_directories(drive / folder);
    for (const char* file :
         {"spare/one.iso", "spare/two.iso", "spare/closed/three.iso", "mine/four.iso", "kept/five.iso"})
      std::ofstream(drive / file, std::ios::binary) << std::string(3'000'000, 'x') << file;
    must(::chmod((drive / "spare/closed").c_str(), 0700) == 0, "chmod");
    must(::chown((drive / "mine").c_str(), 65534, 65534) == 0, "chown");
    must(::chown((drive / "mine/four.iso").c_str(), 65534, 65534) == 0, "chown");
    ::sync();
    const std::string jobs = user.folder / "jobs";
    std::filesystem::create_directories(jobs);
    must(::chown(jobs.c_str(), 65534, 65534) == 0, "chown");
    job = jobs + "/a.ztjob";
    return true;
  }
  Ran ask(std::vector<std::string> words, bool withHelper = true) const {
    words.insert(words.begin() + 1, {"--json", "--job", job});
    return user.run(words, withHelper);
  }
  /// The first find of a kind.
  std::string find(const char* kind) const {
    const Json all = ask({"finds", "--kind", kind}).json();
    return all["finds"].empty() ? "" : all["finds"][0]["id"].get<std::string>();
  }
  bool has(const char* path) const { return std::filesystem::exists(drive / path); }
};

/// What belongs to others goes through root's helper: into a hold of root's, and back out of it, or for good.
TEST(OthersThings, TakesOthersThingsForAnOrdinaryUserAndGivesThemBack) {
  OthersDrive d;
  if (!d.ready()) GTEST_SKIP() << "SKIPPED, no loop drive, or not root";
  ASSERT_EQ(d.ask({"measure", d.drive.path(), "--everything"}).status, 0);
  for (const char* path : {"spare/one.iso", "spare/closed", "mine/four.iso"})
    ASSERT_EQ(d.user.run({"plan", "--job", d.job, "add", "--action", "discard", path}, true).status, 0);
  ASSERT_EQ(d.user.run({"plan", "--job", d.job, "add", "--action", "hold", "spare/two.iso"}, true).status, 0);
  const Json asked = d.ask({"reclaim"}).json();
  const std::string token = asked["consent"]["token"];
  const Ran without = d.ask({"reclaim", "--consent", token}, false);
  EXPECT_NE(without.status, 0) << without.out;
  for (const char* path : {"spare/one.iso", "spare/two.iso", "spare/closed/three.iso"})
    EXPECT_TRUE(d.has(path)) << path;
  EXPECT_FALSE(d.has("mine/four.iso")) << "one's own needs no rights";
  const std::string again = d.ask({"reclaim"}).json()["consent"]["token"];
  const auto before = std::filesystem::space(d.drive.path()).free;
  const Ran ran = d.ask({"reclaim", "--consent", again});
  EXPECT_EQ(ran.status, 0) << ran.out << ran.err;
  for (const char* path : {"spare/one.iso", "spare/two.iso", "spare/closed"})
    EXPECT_FALSE(d.has(path)) << path;
  EXPECT_TRUE(d.has("kept/five.iso"));
  EXPECT_GE(std::filesystem::space(d.drive.path()).free - before, 5'900'000u);
  struct stat st {};
  ASSERT_EQ(::stat((d.drive / ".zip-tally-hold").c_str(), &st), 0);
  EXPECT_EQ(st.st_uid, 0u);
  EXPECT_EQ(st.st_mode & 077u, 0u);
  EXPECT_NE(d.ask({"undo"}, false).status, 0) << "it cannot come back without rights";
  EXPECT_FALSE(d.has("spare/two.iso"));
  const Ran back = d.ask({"undo"});
  EXPECT_EQ(back.status, 0) << back.out << back.err;
  ASSERT_TRUE(d.has("spare/two.iso"));
  EXPECT_FALSE(d.has(".zip-tally-hold")) << "nothing of it is left";
  ASSERT_EQ(::stat((d.drive / "spare/two.iso").c_str(), &st), 0);
  EXPECT_EQ(st.st_uid, 0u);
}

TEST(OthersThings, ReleasesOthersHeldThingsWithConsent) {
  OthersDrive d;
  if (!d.ready()) GTEST_SKIP() << "SKIPPED, no loop drive, or not root";
  ASSERT_EQ(d.ask({"measure", d.drive.path(), "--everything"}).status, 0);
  ASSERT_EQ(d.user.run({"plan", "--job", d.job, "add", "--action", "hold", "spare"}, true).status, 0);
  const std::string token = d.ask({"reclaim"}).json()["consent"]["token"];
  ASSERT_EQ(d.ask({"reclaim", "--consent", token}).status, 0);
  EXPECT_FALSE(d.has("spare"));
  const Json asked = d.ask({"release"}).json();
  const Ran gone = d.ask({"release", "--consent", asked["consent"]["token"].get<std::string>()});
  EXPECT_EQ(gone.status, 0) << gone.out << gone.err;
  EXPECT_FALSE(d.has(".zip-tally-hold"));
  EXPECT_TRUE(d.has("kept/five.iso"));
}

/// Somebody else has it open: seen with the rights, and left alone.
TEST(OthersThings, SeesWhoHoldsOthersThingsOpen) {
  OthersDrive d;
  if (!d.ready()) GTEST_SKIP() << "SKIPPED, no loop drive, or not root";
  ASSERT_EQ(d.ask({"measure", d.drive.path()}).status, 0);
  ASSERT_EQ(d.user.run({"plan", "--job", d.job, "add", "--action", "discard", "spare/one.iso"}, true).status,
            0);
  const std::string token = d.ask({"reclaim"}).json()["consent"]["token"];
  const std::ifstream open(d.drive / "spare/one.iso");
  const Ran ran = d.ask({"reclaim", "--consent", token});
  EXPECT_NE(ran.status, 0) << ran.out;
  EXPECT_NE(ran.out.find("in-use"), std::string::npos) << ran.out;
  EXPECT_TRUE(d.has("spare/one.iso"));
}

/// A drive of one's own that things are moved to.
struct OwnDrive {
  LoopDrive drive{"ext4", Bytes{64} << 20};
  bool ready() const {
    return drive.mounted() && ::chmod(PathBytes(parentPath(drive.path())).c_str(), 0755) == 0 &&
           ::chown(drive.path().c_str(), 65534, 65534) == 0;
  }
};

std::string factsOf(const std::string& folder) {
  const std::string ask =
      "cd \"$1\" && find . -printf '%P %y %m %U:%G %s %T@ %l\\n' | grep -v '^ d' | sort && find . -type f "
      "-print0 "
      "| sort -z | xargs -0 sha256sum";
  return runProgram({"/bin/bash", "-c", ask, "facts", folder}).out;
}

/// What belongs to others, some of it closed to who works here, moves with its owners, and comes back so; one
/// question for it and for what is let go beside it.
TEST(OthersThings, MovesToAnotherDriveWithItsOwnersAndComesBack) {
  OthersDrive d;
  const OwnDrive to;
  if (!d.ready() || !to.ready()) GTEST_SKIP() << "SKIPPED, no loop drive, or not root";
  must(::chown((d.drive / "spare/two.iso").c_str(), 1234, 4321) == 0, "chown");
  const std::string facts = factsOf(d.drive / "spare");
  ASSERT_EQ(d.ask({"measure", d.drive.path(), "--everything"}).status, 0);
  const Ran planned = d.user.run(
      {"plan", "--job", d.job, "add", "--action", "transfer", "--to", to.drive.path(), "spare"}, true);
  ASSERT_EQ(planned.status, 0) << planned.out << planned.err;
  ASSERT_EQ(d.user.run({"plan", "--job", d.job, "add", "--action", "discard", "kept/five.iso"}, true).status,
            0);
  const std::string token = d.ask({"reclaim"}).json()["consent"]["token"];
  EXPECT_NE(d.ask({"reclaim", "--consent", token}, false).status, 0) << "not without rights";
  EXPECT_EQ(factsOf(d.drive / "spare"), facts);
  const std::string again = d.ask({"reclaim"}).json()["consent"]["token"];
  const auto before = freeOn(d.drive.path());
  const Ran ran = d.ask({"reclaim", "--consent", again});
  ASSERT_EQ(ran.status, 0) << ran.out << ran.err;
  EXPECT_FALSE(d.has("spare"));
  EXPECT_FALSE(d.has("kept/five.iso"));
  EXPECT_GE(freeOn(d.drive.path()) - before, 12'000'000u);
  std::string moved;
  for (const auto& entry : std::filesystem::directory_iterator(to.drive.path()))
    if (entry.path().filename().string().starts_with("moved-")) moved = entry.path().string();
  ASSERT_NE(moved, "");
  EXPECT_EQ(factsOf(moved + "/spare"), facts);
  EXPECT_EQ(
      runProgram({"/bin/bash", "-c", "cd \"$1\" && sha256sum -c --strict --quiet SHA256SUMS", "c", moved})
          .status,
      0);
  EXPECT_FALSE(d.has(".zip-tally-hold")) << "nothing of it is left";
  EXPECT_NE(d.ask({"undo"}, false).status, 0) << "it cannot come back without rights";
  const Ran back = d.ask({"undo"});
  EXPECT_EQ(back.status, 0) << back.out << back.err;
  EXPECT_EQ(factsOf(d.drive / "spare"), facts);
}

bool runs(const std::string& program) {
  for (const auto& entry : std::filesystem::directory_iterator("/proc")) {
    std::string line;
    std::getline(std::ifstream(entry.path() / "cmdline"), line, '\0');
    if (line == program) return true;
  }
  return false;
}

/// Whoever asked is killed at any moment, and the helper ends with it: afterwards all of it is in one place,
/// and the next run brings it to its end.
TEST(OthersThings, WholeInOnePlaceWhenItsClientIsKilled) {
  std::mt19937 random(drawSeed());
  for (int round = 0; round < soaked(4); ++round) {
    OthersDrive d;
    const OwnDrive to;
    if (!d.ready() || !to.ready()) GTEST_SKIP() << "SKIPPED, no loop drive, or not root";
    must(::chown((d.drive / "spare/two.iso").c_str(), 1234, 4321) == 0, "chown");
    const std::string facts = factsOf(d.drive / "spare");
    ASSERT_EQ(d.ask({"measure", d.drive.path(), "--everything"}).status, 0);
    ASSERT_EQ(
        d.user
            .run({"plan", "--job", d.job, "add", "--action", "transfer", "--to", to.drive.path(), "spare"},
                 true)
            .status,
        0);
    const std::string token = d.ask({"reclaim"}).json()["consent"]["token"];
    const std::string after = std::to_string(0.05 + 0.001 * static_cast<double>(random() % 900));
    d.user.run({"reclaim", "--json", "--job", d.job, "--consent", token}, true,
               {"/usr/bin/timeout", "-s", "KILL", after});
    // It ends when it reads the end of its input.
    while (runs(d.user.helper)) ::usleep(20'000);
    const auto movedTo = [&] {
      for (const auto& entry : std::filesystem::directory_iterator(to.drive.path()))
        if (entry.path().filename().string().starts_with("moved-")) return entry.path().string() + "/spare";
      return std::string("/nonexistent");
    };
    EXPECT_TRUE(factsOf(d.drive / "spare") == facts || factsOf(movedTo()) == facts) << after;
    for (int tries = 0; tries < 3 && (tries == 0 || d.has("spare")); ++tries) {
      const Ran asked = d.ask({"reclaim"});
      const Json again = asked.json();
      if (!again.value("consent", Json()).is_object()) break;  // it had come to its end
      d.ask({"reclaim", "--consent", again["consent"]["token"].get<std::string>()});
    }
    EXPECT_FALSE(d.has("spare")) << after;
    EXPECT_EQ(factsOf(movedTo()), facts) << after;
    const std::string left = "find \"$1\" -type f ! -name '*.jsonl'";
    EXPECT_EQ(runProgram({"/bin/bash", "-c", left, "left", d.drive / ".zip-tally-hold"}).out, "") << after;
  }
}

/// Copies that are root's become one file, or are stored once.
TEST(OthersThings, LinksAndSharesOthersEqualFiles) {
  for (const char* action : {"link", "share"}) {
    OthersDrive d("btrfs", Bytes{192} << 20);
    if (!d.ready()) GTEST_SKIP() << "SKIPPED, no loop drive, or not root";
    for (const char* file : {"spare/b.img", "kept/a.img"})
      std::ofstream(d.drive / file, std::ios::binary) << std::string(20'000'000, 'q') << "end";
    ::sync();
    ASSERT_EQ(d.ask({"measure", d.drive.path(), "--everything"}).status, 0);
    const Ran matched = d.ask({"match"});
    ASSERT_EQ(matched.status, 0) << matched.out << matched.err;
    const Ran planned =
        d.user.run({"plan", "--job", d.job, "add", "--action", action, d.find("duplicates")}, true);
    ASSERT_EQ(planned.status, 0) << planned.out << planned.err;
    const auto before = freeOn(d.drive.path());
    const std::string token = d.ask({"reclaim"}).json()["consent"]["token"];
    const Ran ran = d.ask({"reclaim", "--consent", token});
    ASSERT_EQ(ran.status, 0) << action << ran.out << ran.err;
    struct stat one {
    }, two{};
    ASSERT_EQ(::stat((d.drive / "kept/a.img").c_str(), &one), 0);
    ASSERT_EQ(::stat((d.drive / "spare/b.img").c_str(), &two), 0);
    EXPECT_EQ(one.st_ino == two.st_ino, action == std::string("link"));
    EXPECT_EQ(two.st_uid, 0u);
    EXPECT_EQ(two.st_size, 20'000'003);
    EXPECT_GE(freeOn(d.drive.path()) - before, 19'000'000u) << action;
    EXPECT_FALSE(d.has(".zip-tally-hold"));
  }
}

/// As many copies by long paths as no one message to the helper has room for.
TEST(OthersThings, LinksMoreCopiesThanAMessageHolds) {
  OthersDrive d;
  if (!d.ready()) GTEST_SKIP() << "SKIPPED, no loop drive, or not root";
  const std::string deep =
      "spare/" + std::string(200, 'a') + "/" + std::string(200, 'b') + "/" + std::string(200, 'c');
  std::filesystem::create_directories(d.drive / deep);
  for (int i = 0; i < 260; ++i)
    std::ofstream(d.drive / (deep + "/" + std::to_string(i) + std::string(150, 'n')), std::ios::binary)
        << std::string(100'000, 'q');
  ::sync();
  ASSERT_EQ(d.ask({"measure", d.drive.path(), "--everything"}).status, 0);
  ASSERT_EQ(d.ask({"match", "--least", "50kB"}).status, 0);
  const Ran planned =
      d.user.run({"plan", "--job", d.job, "add", "--action", "link", d.find("duplicates")}, true);
  ASSERT_EQ(planned.status, 0) << planned.out << planned.err;
  const std::string token = d.ask({"reclaim"}).json()["consent"]["token"];
  const Ran ran = d.ask({"reclaim", "--consent", token});
  ASSERT_EQ(ran.status, 0) << ran.out.substr(0, 2000) << ran.err;
  struct stat st {};
  ASSERT_EQ(::stat((d.drive / (deep + "/0" + std::string(150, 'n'))).c_str(), &st), 0);
  EXPECT_EQ(st.st_nlink, 260u);
}

/// Images that are root's are made compact where they lie, or are written anew.
TEST(OthersThings, MakesOthersImagesCompact) {
  for (const char* format : {"raw", "qcow2"}) {
    OthersDrive d;
    if (!d.ready()) GTEST_SKIP() << "SKIPPED, no loop drive, or not root";
    const std::string image = d.drive /
                              ("spare/guest." + std::string(format == std::string("raw") ? "img" : format)),
                      raw = d.user.folder / "guest.raw";
    std::ofstream(raw, std::ios::binary) << std::string(32 << 20, '\0');
    ASSERT_EQ(runProgram({"/usr/sbin/mkfs.ext4", "-qF", "-E", "nodiscard", raw}).status, 0);
    ASSERT_EQ(
        runProgram({"/usr/bin/qemu-img", "convert", "-S", "0", "-f", "raw", "-O", format, raw, image}).status,
        0);
    must(::chmod(image.c_str(), 0644) == 0, "chmod");
    must(::chown(image.c_str(), 1234, 4321) == 0, "chown");
    ::sync();
    ASSERT_EQ(d.ask({"measure", d.drive.path(), "--everything"}).status, 0);
    const Ran matched = d.ask({"match"});
    ASSERT_EQ(matched.status, 0) << matched.out << matched.err;
    const Ran planned =
        d.user.run({"plan", "--job", d.job, "add", "--action", "shrink", d.find("images")}, true);
    ASSERT_EQ(planned.status, 0) << planned.out << planned.err;
    const auto before = freeOn(d.drive.path());
    const std::string token = d.ask({"reclaim"}).json()["consent"]["token"];
    const Ran ran = d.ask({"reclaim", "--consent", token});
    ASSERT_EQ(ran.status, 0) << format << ran.out << ran.err;
    EXPECT_GE(freeOn(d.drive.path()) - before, 20'000'000u) << format;
    EXPECT_EQ(runProgram({"/usr/bin/qemu-img", "compare", "-f", "raw", "-F", format, raw, image}).status, 0);
    struct stat st {};
    ASSERT_EQ(::stat(image.c_str(), &st), 0);
    EXPECT_EQ(st.st_uid, 1234u);
    EXPECT_EQ(st.st_gid, 4321u);
    EXPECT_EQ(st.st_mode & 07777u, 0644u);
    EXPECT_FALSE(d.has(".zip-tally-hold"));
  }
}

}  // namespace
}  // namespace zt::test
