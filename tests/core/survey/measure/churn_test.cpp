// SPDX-License-Identifier: GPL-3.0-or-later
// Trees that change while they are measured. `ZT_SOAK=10` goes on ten times as long.
#include <gtest/gtest.h>
#include <unistd.h>

#include <atomic>
#include <filesystem>
#include <fstream>
#include <random>
#include <thread>

#include "support/code_of.h"
#include "support/fakes.h"
#include "support/seed.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;

/// Makes, moves, fills and removes what it can, as fast as it can. `outside` is where links lead.
void churn(const std::string& top, const std::string& outside, unsigned seed, const std::atomic<bool>& end) {
  std::mt19937 random(seed);
  const auto place = [&] {
    return top + "/d" + std::to_string(random() % 12) + "/e" + std::to_string(random() % 6);
  };
  while (!end) {
    std::error_code ignored;
    const std::string at = place();
    switch (random() % 6) {
      case 0:
        fs::create_directories(at, ignored);
        break;
      case 1:
        std::ofstream(at + "/f" + std::to_string(random() % 20)) << std::string(random() % 5000, 'x');
        break;
      case 2:
        fs::rename(at, place() + "x" + std::to_string(random() % 4), ignored);
        break;
      case 3:
        fs::remove_all(at, ignored);
        break;
      case 4:
        fs::create_hard_link(at + "/f1", place() + "/link", ignored);
        break;
      default:
        // A folder gives way to a link that leads outside.
        fs::rename(at, at + "-away", ignored);
        fs::create_directory_symlink(outside, at, ignored);
    }
  }
}

/// Whatever happens meanwhile, a survey is sound: every node is found by its path, totals agree with their
/// parts, and nothing outside the root was walked.
TEST(Churn, LeavesEverySurveySound) {
  const auto seed = drawSeed();
  SCOPED_TRACE("seed " + std::to_string(seed));
  const char* soak = std::getenv("ZT_SOAK");
  const int rounds = 40 * (soak != nullptr ? std::max(1, std::atoi(soak)) : 1);
  TempFolder t;
  t.folder("tree");
  t.file("outside/share/doc/much", "x");
  for (int i = 0; i < 12; ++i) fs::create_directories(t / "tree/d" + std::to_string(i) + "/e0");
  LinuxFileSystem files;
  std::atomic<bool> end = false;
  std::vector<std::thread> hands;
  for (unsigned i = 0; i < 2; ++i)
    hands.emplace_back(churn, t / "tree", t / "outside", static_cast<unsigned>(seed + i), std::cref(end));
  std::uint64_t vanished = 0;
  for (int round = 0; round < rounds; ++round) {
    const auto survey = surveyOf(borrowed(files), t / "tree", 2);
    const SurveyTree& tree = survey->tree;
    vanished += survey->vanished;
    Bytes sum = 0;
    std::uint32_t group = ~0u;
    for (NodeId id = 0; id < tree.size(); ++id) {
      const PathBytes path = tree.path(id);
      ASSERT_EQ(path.find("share/doc"), std::string::npos) << "outside: " << path;
      if (!tree.isLinked(id)) sum += tree.occupied(id);
    }
    for (const LinkedNode& link : tree.linked())
      if (link.group != group) group = link.group, sum += tree.occupied(link.node);
    ASSERT_EQ(tree.totals(0).occupied, sum) << "round " << round;
    ASSERT_EQ(tree.entries(), tree.size());
  }
  end = true;
  for (auto& hand : hands) hand.join();
  std::printf("%d surveys under churn, %llu entries vanished meanwhile\n", rounds,
              static_cast<unsigned long long>(vanished));
}

TEST(Walk, SaysThatTheRootHasGone) {
  TempFolder t;
  for (int i = 0; i < 50; ++i) t.file("tree/d" + std::to_string(i) + "/f", "x");
  LinuxFileSystem files;
  const auto root = files.openRoot(t / "tree").value();
  fs::rename(t / "tree", t / "elsewhere");
  fs::remove_all(t / "elsewhere");
  const auto survey = std::make_shared<Survey>();
  const auto walked = walk(borrowed(files), root, {}, {}, nullptr, survey);
  ASSERT_FALSE(walked);
  EXPECT_EQ(codeOf(walked), Errc::notThere);
}

}  // namespace
}  // namespace zt::test
