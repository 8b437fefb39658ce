// SPDX-License-Identifier: GPL-3.0-or-later
// Measuring one folder again, and watching a survey grow.
#include <gtest/gtest.h>

#include <random>
#include <thread>

#include "core/survey/files/survey_codec.h"
#include "core/survey/measure/measure.h"
#include "core/survey/tree/gain_model.h"
#include "support/code_of.h"
#include "support/fakes.h"
#include "support/memory_file_system.h"
#include "support/seed.h"
#include "support/stuck_file_system.h"

namespace zt::test {
namespace {

struct Place {
  MemoryFileSystem files;
  FakeOpenFiles open;
  FakeClock clock;
  LinuxDriveInsides insides;
  Drive drive;
  MeasurePorts ports{borrowed(files), borrowed(open), borrowed(insides), borrowed(clock), KnownBytes{}};
  Place() { drive.target = "/"; }
  SurveyPtr measure() { return zt::measure(ports, drive, "/", {}, {}, nullptr).value(); }
  Result<SurveyPtr> again(const SurveyPtr& before, const PathBytes& path) {
    return measureAgain(ports, drive, before, *before->tree.find(path), {}, {}, nullptr);
  }
};

/// Everything one can ask a tree, by path.
std::map<PathBytes, std::string> facts(const SurveyTree& t) {
  std::map<PathBytes, std::string> all;
  const GainModel gain(t);
  for (NodeId id = 0; id < t.size(); ++id) {
    if (t.isGone(id)) continue;
    std::string text = std::to_string(t.inode(id)) + " " + std::to_string(t.length(id)) + " " +
                       std::to_string(t.occupied(id)) + " " + std::to_string(t.modified(id)) + " " +
                       std::to_string(t.owner(id)) + (t.isLinked(id) ? " linked" : "");
    if (t.isFolder(id)) {
      const FolderTotals& f = t.totals(id);
      const NodeId one[] = {id};
      text += " [" + std::to_string(f.children) + " " + std::to_string(f.occupied) + " " +
              std::to_string(f.length) + " " + std::to_string(f.exclusive) + " " + std::to_string(f.entries) +
              " " + std::to_string(f.files) + " " + std::to_string(f.newest) + " " +
              std::to_string(gain.of(one).atMost) + "]";
    }
    EXPECT_EQ(t.find(t.path(id)), id);
    all[t.path(id)] = text;
  }
  EXPECT_EQ(all.size(), t.entries());
  return all;
}

TEST(MeasureAgain, SeesWhatChangedInTheFolderAndKeepsTheRest) {
  Place p;
  p.files.add("a/one", std::string(10'000, 'x'));
  p.files.add("a/deep/two", "2");
  p.files.add("b/three", "3");
  const auto before = p.measure();
  const auto was = facts(before->tree);
  p.files.add("a/four", std::string(50'000, 'x'));
  p.files.add("a/new/five", "5");
  ASSERT_TRUE(p.files.unlink(*p.files.openRoot("/a/deep").value(), "two"));
  const auto after = p.again(before, "a");
  ASSERT_TRUE(after);
  EXPECT_EQ(facts((*after)->tree), facts(p.measure()->tree));
  EXPECT_EQ(facts(before->tree), was) << "the survey before is a value; nobody changes it";
  EXPECT_FALSE((*after)->tree.find("a/deep/two"));
  const auto again = decodeSurvey(encodeSurvey(**after));
  ASSERT_TRUE(again);
  EXPECT_EQ(facts((*again)->tree), facts((*after)->tree)) << "what is gone is not saved";
  EXPECT_EQ((*again)->tree.size(), (*again)->tree.entries());
}

TEST(MeasureAgain, FindsWhatIsNewInAWideFolder) {
  Place p;
  for (int i = 0; i < 600; ++i) p.files.add("wide/f" + std::to_string(i), "x");
  const auto before = p.measure();
  ASSERT_TRUE(before->tree.find("wide/f7"));
  ASSERT_TRUE(p.files.unlink(*p.files.openRoot("/wide").value(), "f7"));
  p.files.add("wide/fresh", "y");
  const auto after = p.again(before, "wide");
  ASSERT_TRUE(after);
  EXPECT_TRUE((*after)->tree.find("wide/fresh"));
  EXPECT_FALSE((*after)->tree.find("wide/f7"));
  EXPECT_TRUE(before->tree.find("wide/f7"));
  EXPECT_FALSE(before->tree.find("wide/fresh"));
}

TEST(MeasureAgain, SaysWhenTheFolderHasGone) {
  Place p;
  p.files.add("a/one", "1");
  p.files.add("b/one", "1");
  const auto before = p.measure();
  ASSERT_TRUE(p.files.unlink(*p.files.openRoot("/a").value(), "one"));
  ASSERT_TRUE(p.files.removeFolder(*p.files.openRoot("/").value(), "a"));
  const auto after = p.again(before, "a");
  ASSERT_FALSE(after);
  EXPECT_EQ(codeOf(after), Errc::notThere);
}

/// Random changes in random folders, measured again one by one: always what a whole measurement says.
TEST(MeasureAgain, AgreesWithAWholeMeasurementOnRandomChanges) {
  const auto seed = drawSeed();
  SCOPED_TRACE("seed " + std::to_string(seed));
  std::mt19937 random(seed);
  for (int round = 0; round < 15; ++round) {
    Place p;
    std::vector<std::string> folders{"top/"};
    p.files.add("top/");
    for (int i = 0; i < 25; ++i) {
      folders.push_back(folders[random() % folders.size()] + "d" + std::to_string(i) + "/");
      p.files.add(folders.back());
      for (auto n = random() % 5; n-- > 0;)
        p.files.add(folders.back() + "f" + std::to_string(n), std::string(random() % 9000, 'x'));
    }
    p.files.add("top/source", "many names");
    SurveyPtr survey = p.measure();
    for (int step = 0; step < 8; ++step) {
      const std::string in = folders[random() % folders.size()];
      for (auto n = random() % 4; n-- > 0;) {
        const std::string name = in + "n" + std::to_string(random() % 6);
        if (p.files.has(name)) continue;
        if (random() % 3 == 0)
          p.files.link("top/source", name);
        else
          p.files.add(name, std::string(random() % 70'000, 'y'));
      }
      // A new name of an inode shows in the names elsewhere only when they are looked at too.
      auto next = p.again(survey, "top");
      ASSERT_TRUE(next);
      survey = *next;
      auto inner = p.again(survey, in.substr(0, in.size() - 1));
      ASSERT_TRUE(inner);
      survey = *inner;
      ASSERT_EQ(facts(survey->tree), facts(p.measure()->tree)) << "round " << round << " step " << step;
    }
  }
}

TEST(LiveSurvey, GrowsToWhatTheSurveySays) {
  MemoryFileSystem files;
  for (int i = 0; i < 300; ++i)
    files.add("d" + std::to_string(i % 20) + "/e" + std::to_string(i % 7) + "/f" + std::to_string(i),
              std::string(static_cast<std::size_t>(i) * 10, 'x'));
  const auto survey = std::make_shared<Survey>();
  std::shared_ptr<const LiveSurvey> live;
  WalkOptions options;
  options.threads = 3;
  options.now = 1'800'000'000 * nsPerSecond;
  options.watch = [&](auto l) { live = std::move(l); };
  ASSERT_TRUE(walk(borrowed(files), files.openRoot("/").value(), options, {}, nullptr, survey));
  ASSERT_TRUE(live);
  EXPECT_EQ(live->field().cells[6][0].files, 300u);
  for (NodeId id = 0; id < survey->tree.size(); ++id)
    if (survey->tree.isFolder(id)) {
      EXPECT_EQ(live->occupied(id), survey->tree.totals(id).occupied) << survey->tree.path(id);
    }
}

TEST(Walk, GoesOnWithoutAFolderThatDoesNotAnswer) {
  const auto inner = std::make_shared<MemoryFileSystem>();
  inner->add("stuck/never", "seen");
  for (int i = 0; i < 40; ++i) inner->add("d" + std::to_string(i) + "/f", "x");
  const auto slow = std::make_shared<StuckFileSystem>(inner);
  const auto survey = std::make_shared<Survey>();
  WalkOptions options;
  options.threads = 1;
  options.patience = std::chrono::milliseconds(400);
  ASSERT_TRUE(walk(slow, slow->openRoot("/").value(), options, {}, nullptr, survey));
  EXPECT_FALSE(survey->partial);
  EXPECT_EQ(survey->tree.totals(0).files, 40u);
  ASSERT_EQ(survey->exceptions.size(), 1u);
  EXPECT_EQ(survey->exceptions[0].kind, SurveyException::Kind::unanswered);
  EXPECT_EQ(survey->tree.path(survey->exceptions[0].node), "stuck");
  const auto entries = survey->tree.size();
  slow->letGo();
  EXPECT_EQ(survey->tree.size(), entries) << "what comes back late changes nothing";
}

TEST(Walk, StopsWhileTheSystemHangs) {
  const auto inner = std::make_shared<MemoryFileSystem>();
  inner->add("stuck/never", "seen");
  const auto slow = std::make_shared<StuckFileSystem>(inner);
  const auto survey = std::make_shared<Survey>();
  std::stop_source stop;
  WalkOptions options;
  options.threads = 2;
  std::thread stopper([&] {
    std::unique_lock lock(slow->mutex);
    slow->changed.wait(lock, [&] { return slow->waiting > 0; });
    stop.request_stop();
  });
  ASSERT_TRUE(walk(slow, slow->openRoot("/").value(), options, stop.get_token(), nullptr, survey));
  stopper.join();
  EXPECT_TRUE(survey->partial);
  EXPECT_TRUE(survey->tree.find("stuck"));
  slow->letGo();
}

TEST(Walk, WaitsWhilePausedAndGoesOn) {
  MemoryFileSystem files;
  for (int i = 0; i < 20; ++i) files.add("d" + std::to_string(i) + "/f", "x");
  const auto gate = std::make_shared<PauseGate>();
  gate->setPaused(true);
  WalkOptions options;
  options.pause = gate;
  const auto survey = std::make_shared<Survey>();
  std::atomic<bool> done = false;
  std::thread walking([&] {
    EXPECT_TRUE(walk(borrowed(files), files.openRoot("/").value(), options, {}, nullptr, survey));
    done = true;
  });
  EXPECT_FALSE(done);
  EXPECT_TRUE(gate->paused());
  gate->setPaused(false);
  walking.join();
  EXPECT_EQ(survey->tree.totals(0).files, 20u);
}

TEST(SurveyTree, BearsLengthsThatDoNotFitTogether) {
  MemoryFileSystem files;
  for (const char* name : {"a/one", "a/two", "a/three"}) {
    const auto node = files.add(name, "x");
    node->stat.length = Bytes{INT64_MAX};
    node->stat.occupied = 4096;
  }
  files.link("a/one", "b/one");
  const auto survey = surveyOf(borrowed(files), "/", 2);
  EXPECT_EQ(survey->tree.length(*survey->tree.find("a/two")), Bytes{INT64_MAX});
  EXPECT_EQ(survey->tree.totals(*survey->tree.find("a")).length, ~Bytes{0})
      << "it stays at the largest number";
  EXPECT_EQ(survey->tree.totals(*survey->tree.find("b")).length, Bytes{INT64_MAX});
  EXPECT_EQ(survey->tree.totals(0).occupied, 3 * 4096 + 3 * survey->tree.occupied(0));
}

TEST(AgeBand, BearsEveryTime) {
  EXPECT_EQ(ageBand(INT64_MIN, 1'800'000'000 * nsPerSecond), AgeBand::older);
  EXPECT_EQ(ageBand(INT64_MAX, INT64_MIN), AgeBand::today);
  EXPECT_EQ(ageBand(-2'000'000'000 * nsPerSecond, 0), AgeBand::older) << "before 1970";
}

}  // namespace
}  // namespace zt::test
