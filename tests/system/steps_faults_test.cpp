// SPDX-License-Identifier: GPL-3.0-or-later
// Every step under faults: kills at random instants, and every n-th changing call failing. Whatever happens
// nothing is lost, and the next start tells and settles. `ZT_SOAK=10` runs ten times as many.
#include <gtest/gtest.h>

#include <map>
#include <set>

#include "core/job/job.h"
#include "support/drive_files.h"
#include "support/fakes.h"
#include "support/fault_file_system.h"
#include "support/loop_drive.h"
#include "support/seed.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;

/// A drive with one thing for each kind of step, and where their content may be afterwards.
struct Goods {
  std::string drive, other;
  std::map<std::string, std::string> sums;  ///< of each file's content, by its name

  Goods(std::string on, std::string beside) : drive(std::move(on)), other(std::move(beside)) {}

  void make() {
    for (const auto& e : fs::directory_iterator(drive))
      if (e.path().filename() != "lost+found") fs::remove_all(e.path());
    for (const auto& e : fs::directory_iterator(other))
      if (e.path().filename() != "lost+found") fs::remove_all(e.path());
    for (int i = 0; i < 4; ++i)
      putOn(drive + "/moves/" + std::to_string(i), noise(60'000, static_cast<unsigned long>(i)));
    for (const char* name : {"copies/one", "copies/two", "copies/three"})
      putOn(drive + "/" + name, noise(90'000, 9));
    putOn(drive + "/holds/kept", noise(50'000, 10));
    const std::string raw = other + "/raw.img";
    std::ofstream(raw, std::ios::binary) << std::string(6'000'000 / 4096 * 4096, '\0');
    runProgram({program("mkfs.ext4"), "-qF", "-E", "nodiscard", raw});
    fs::create_directories(drive + "/guest");
    runProgram({program("qemu-img"), "convert", "-O", "qcow2", "-S", "0", raw, drive + "/guest/disk.qcow2"});
    fs::remove(raw);
    sums.clear();
    for (const auto& e : fs::recursive_directory_iterator(drive))
      if (e.is_regular_file() && e.path().extension() != ".qcow2") sums[sha256sumOf(e.path())] = e.path();
    guest = guestOf(drive + "/guest/disk.qcow2");
  }
  /// What a guest sees in an image.
  std::string guestOf(const std::string& image) const {
    const std::string raw = other + "/.guest.raw";
    if (runProgram({program("qemu-img"), "convert", "-f", "qcow2", "-O", "raw", image, raw}).status != 0)
      return {};
    const std::string sum = sha256sumOf(raw);
    fs::remove(raw);
    return sum;
  }
  /// The contents that are nowhere whole any more.
  std::string lost() const {
    std::set<std::string> there;
    bool guestThere = false;
    for (const std::string& root : {drive, other})
      for (const auto& e : fs::recursive_directory_iterator(root)) {
        if (!e.is_regular_file()) continue;
        there.insert(sha256sumOf(e.path()));
        std::ifstream in(e.path(), std::ios::binary);
        std::string head(4, '\0');
        in.read(head.data(), 4);
        guestThere = guestThere || (head == "QFI\xfb" && guestOf(e.path()) == guest);
      }
    std::string all = guestThere ? "" : "the guest's disk ";
    for (const auto& [sum, path] : sums)
      if (!there.contains(sum)) all += path + " ";
    return all;
  }
  std::string guest;
};

std::unique_ptr<Job> planned(const Goods& goods, const Workshop& w, const PathBytes& file) {
  auto job = Job::create(w, goods.drive, false, {file, true}).value();
  EXPECT_TRUE(job->measurer().measure({}, {}, nullptr));
  MatchBook::Options how;
  how.least = 1;
  EXPECT_TRUE(job->contents().match(how, nullptr));
  StepParameters told;
  told.set("to", StepParameters::Place{goods.other});
  EXPECT_TRUE(job->planBook().addPaths({"moves"}, "transfer", told));
  EXPECT_TRUE(job->planBook().addPaths({"holds"}, "hold"));
  for (const Find& f : *job->surveys().finds()) {
    if (f.kind == "duplicates") {
      EXPECT_TRUE(job->planBook().add({f.id}, "link"));
    }
    if (f.kind == "images") {
      EXPECT_TRUE(job->planBook().add({f.id}, "shrink"));
    }
  }
  return job;
}

TEST(StepsUnderFaults, EveryChangingCallThatFailsLosesNothing) {
  const LoopDrive drive("ext4", 64u << 20), other("ext4", 64u << 20);
  ZT_NEEDS(drive);
  ZT_NEEDS(other);
  static constexpr std::array<Errc, 10> ways{
      Errc::notPermitted, Errc::busy,        Errc::io,       Errc::noSpace,     Errc::notThere,
      Errc::otherDevice,  Errc::outsideRoot, Errc::badInput, Errc::tooManyOpen, Errc::unsupported};
  const auto seed = drawSeed();
  std::mt19937 random(seed);
  Goods goods(drive.path(), other.path());
  int hits = 0;
  const int apart = std::max(1, 11 - soaked(1));
  for (int at = static_cast<int>(random() % static_cast<unsigned>(apart)), over = 0; over < 1; at += apart) {
    SCOPED_TRACE("seed " + std::to_string(seed) + " call " + std::to_string(at));
    goods.make();
    Workshop w = realWorkshop();
    int seen = 0;
    bool armed = false, hit = false;
    w.files =
        std::make_shared<FaultFileSystem>(w.files, [&](std::string_view, std::string_view) -> Result<void> {
          if (!armed || seen++ != at) return {};
          hit = true;
          return fail(ways[static_cast<std::size_t>(at) % ways.size()], "planted");
        });
    auto job = planned(goods, w, {});
    armed = true;
    ASSERT_TRUE(job->reclaim(job->consent().token, {}));
    armed = false;
    ASSERT_EQ(goods.lost(), "");
    ASSERT_TRUE(job->undo(0, {}));
    ASSERT_EQ(goods.lost(), "");
    ASSERT_TRUE(fs::exists(drive / "holds/kept"));
    hits += hit;
    over = hit ? 0 : 1;
  }
  EXPECT_GT(hits, 5);
}

TEST(StepsUnderFaults, AKillAtAnyInstantLosesNothingAndIsSettled) {
  const LoopDrive drive("ext4", 64u << 20), other("ext4", 64u << 20);
  ZT_NEEDS(drive);
  ZT_NEEDS(other);
  const auto seed = drawSeed();
  std::mt19937 random(seed);
  Goods goods(drive.path(), other.path());
  const TempFolder t;
  int killed = 0;
  for (int round = 0, kills = soaked(10); killed < kills && round < kills * 4; ++round) {
    SCOPED_TRACE("seed " + std::to_string(seed) + " round " + std::to_string(round));
    goods.make();
    const std::string file = t / ("job" + std::to_string(round) + ".ztjob");
    const Workshop real = realWorkshop();
    std::string token;
    {
      auto job = planned(goods, real, file);
      token = job->consent().token;
    }
    const auto instant = 2'000 + static_cast<long>(random() % 250'000);
    killed += runProgram({ZTALLY, "reclaim", "--job", file, "--consent", token}, instant).status == 137;
    ASSERT_EQ(goods.lost(), "");
    // The next verb that changes settles what is open.
    runProgram({ZTALLY, "undo", "--job", file});
    auto job = Job::open(real, file);
    ASSERT_TRUE(job);
    if (!(*job)->cutShort().empty()) {
      ASSERT_TRUE((*job)->planBook().set({}));
      ASSERT_TRUE((*job)->reclaim((*job)->consent().token, {}));
    }
    ASSERT_TRUE((*job)->cutShort().empty());
    ASSERT_EQ(goods.lost(), "");
    // A second attempt goes through, whatever the first one left on the other drive.
    auto again = planned(goods, real, {});
    ASSERT_TRUE(again->reclaim(again->consent().token, {}));
    ASSERT_EQ(goods.lost(), "");
  }
  std::printf("%d kills in flight, seed %u\n", killed, seed);
  EXPECT_GT(killed, 3);
}

}  // namespace
}  // namespace zt::test
