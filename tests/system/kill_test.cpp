// SPDX-License-Identifier: GPL-3.0-or-later
// Kills at random instants, and folders swapped under our hands. `ZT_SOAK=10` runs ten times as many.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <random>
#include <set>
#include <thread>

#include "core/job/job.h"
#include "support/drive_files.h"
#include "support/fakes.h"
#include "support/run_program.h"
#include "support/seed.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

/// A drive of marked items, each a folder of a few files; knows for every item where its parts may be.
class Shelf {
public:
  explicit Shelf(int items) : items_(items) {
    for (int i = 0; i < items; ++i)
      for (int f = 0; f < 4; ++f)
        t.file(itemName(i) + "/part" + std::to_string(f), std::string(3000, 'x') + itemName(i));
  }
  static std::string itemName(int i) {
    return "drive/box" + std::to_string(i % 3) + "/item" + std::to_string(i);
  }

  /// Whole copies of an item anywhere below the drive; −1 if a partial one is there.
  int wholeCopies(int i) const {
    int whole = 0;
    for (const auto& e : std::filesystem::recursive_directory_iterator(t / "drive")) {
      if (!e.is_directory()) continue;
      int parts = 0;
      for (int f = 0; f < 4; ++f) {
        std::ifstream in(e.path() / ("part" + std::to_string(f)));
        std::string content((std::istreambuf_iterator<char>(in)), {});
        parts += content.size() > 3000 && content.substr(3000) == itemName(i);
      }
      if (parts == 4) ++whole;
      if (parts > 0 && parts < 4) return -1;
    }
    return whole;
  }
  /// Every name below the drive.
  std::set<std::string> listing() const {
    std::set<std::string> names;
    for (const auto& e : std::filesystem::recursive_directory_iterator(t / "drive")) names.insert(e.path());
    return names;
  }
  TempFolder t;

private:
  int items_;
};

std::string tokenOf(const std::string& verb, const std::string& job) {
  const auto j = runProgram({ZTALLY, verb, "--job", job, "--json"}).json();
  return j.contains("consent") ? j["consent"]["token"].get<std::string>() : std::string();
}

TEST(Kill, LeavesEveryItemWholeInOneKnownPlace) {
  const auto seed = drawSeed();
  std::mt19937 random(seed);
  const int kills = soaked(20);
  constexpr int items = 12;
  int killed = 0;
  for (int round = 0; killed < kills && round < kills * 4; ++round) {
    SCOPED_TRACE("seed " + std::to_string(seed) + " round " + std::to_string(round));
    Shelf shelf(items);
    const std::string job = shelf.t / "a.ztjob";
    ASSERT_EQ(runProgram({ZTALLY, "measure", shelf.t / "drive", "--job", job, "--job-on-drive"}).status, 0);
    std::vector<std::string> holds{ZTALLY, "plan", "--job", job, "add", "--action", "hold"};
    std::vector<std::string> discards{ZTALLY, "plan", "--job", job, "add"};
    for (int i = 0; i < items; ++i) (i % 2 == 0 ? holds : discards).push_back(Shelf::itemName(i).substr(6));
    ASSERT_EQ(runProgram(holds).status, 0);
    ASSERT_EQ(runProgram(discards).status, 0);
    // Which verb is killed: reclaim, undo, or release.
    const auto which = random() % 3;
    std::vector<std::string> verb{ZTALLY, "reclaim", "--job", job, "--consent", tokenOf("reclaim", job)};
    if (which > 0) {
      ASSERT_EQ(runProgram(verb).status, 0);
      verb = {ZTALLY, "undo", "--job", job};
      if (which == 2) verb = {ZTALLY, "release", "--job", job, "--consent", tokenOf("release", job)};
    }
    const auto instant = 500 + static_cast<long>(random() % 90'000);
    killed += runProgram(verb, instant).status == 137;
    // Reading changes nothing; the next verb that does settles everything: undo takes back what is whole, and
    // reclaim, with consent, finishes what is not.
    const auto before = shelf.listing();
    for (const char* reading : {"prove", "plan", "finds"}) {
      std::vector<std::string> ask{ZTALLY, reading, "--job", job, "--json"};
      if (ask[1] == "plan") ask.insert(ask.begin() + 2, "show");
      ASSERT_EQ(runProgram(ask).status, 0) << reading;
    }
    ASSERT_EQ(shelf.listing(), before) << "a reading verb changed the drive";
    if (which != 2) runProgram({ZTALLY, "undo", "--job", job});
    const Workshop real = realWorkshop();
    {
      auto open = Job::open(real, job);
      ASSERT_TRUE(open);
      if (!(*open)->cutShort().empty()) {
        ASSERT_TRUE((*open)->planBook().set({}));
        const auto report = (*open)->reclaim((*open)->consent().token, {});
        ASSERT_TRUE(report);
      }
    }
    auto opened = Job::open(real, job);
    ASSERT_TRUE(opened);
    const auto records = (*opened)->store().records(0, {}).value();
    for (int i = 0; i < items; ++i) {
      ItemState state = ItemState::refused;
      for (const auto& r : records)
        if (r.path == Shelf::itemName(i).substr(6)) state = r.state;
      ASSERT_TRUE(state != ItemState::intended && state != ItemState::discarding &&
                  state != ItemState::returning && state != ItemState::missing)
          << name(state);
      ASSERT_EQ(shelf.wholeCopies(i), state == ItemState::gone ? 0 : 1)
          << Shelf::itemName(i) << " " << name(state);
    }
  }
  std::printf("%d kills in flight, seed %u\n", killed, seed);
  EXPECT_EQ(killed, kills) << "the instants missed the runs";
}

/// Somebody swaps the parent folder for a link to a folder outside, all the time; nothing outside is ever
/// touched.
TEST(Swap, NeverLeadsOutOfTheRoot) {
  TempFolder t;
  const int wanted = soaked(500);
  std::atomic<bool> over{false};
  std::atomic<int> swaps{0};
  t.folder("outside/box");
  t.folder("drive/box");
  for (int i = 0; i < 40; ++i) {
    t.file("outside/box/item" + std::to_string(i), std::string("precious"));
    t.file("drive/box/item" + std::to_string(i), std::string("going"));
  }
  // The folder itself, wherever it is moved to: new files never go through a path.
  const int box = ::open((t / "drive/box").c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  const auto refill = [box] {
    for (int i = 0; i < 40; ++i) {
      const int fd =
          ::openat(box, ("item" + std::to_string(i)).c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0644);
      if (fd >= 0) must(::write(fd, "going", 5) == 5, "refill"), ::close(fd);
    }
  };
  const Workshop real = realWorkshop();
  auto job = Job::create(real, t / "drive", false, {{}, false}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  std::thread swapper([&] {
    const std::string path = t / "drive/box";
    const std::string aside = t / "drive/aside";
    while (!over) {
      if (::rename(path.c_str(), aside.c_str()) != 0) continue;
      if (::symlink((t / "outside/box").c_str(), path.c_str()) == 0) ++swaps;
      std::this_thread::yield();
      ::unlink(path.c_str());
      ::rename(aside.c_str(), path.c_str());
    }
  });
  while (swaps < wanted) {
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    std::vector<PathBytes> paths;
    const SurveyTree& tree = job->surveys().survey()->tree;
    for (NodeId id = 1; id < tree.size(); ++id)
      if (tree.kind(id) == EntryKind::file) paths.push_back(tree.path(id));
    for (const auto& path : paths)
      (void)job->planBook().addPaths({path}, paths.size() % 2 == 0 ? "discard" : "hold");
    (void)job->reclaim(job->planBook().consent().token, {});
    (void)job->undo(0, {});
    refill();
    for (int i = 0; i < 40; ++i) {
      const std::string name = "outside/box/item" + std::to_string(i);
      if (t.read(name) != "precious") {
        over = true;
        swapper.join();
        FAIL() << name << " was touched";
      }
    }
  }
  over = true;
  swapper.join();
  ::close(box);
  std::printf("%d swaps\n", swaps.load());
  for (int i = 0; i < 40; ++i) EXPECT_EQ(t.read("outside/box/item" + std::to_string(i)), "precious");
}

}  // namespace
}  // namespace zt::test
