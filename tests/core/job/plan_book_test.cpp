// SPDX-License-Identifier: GPL-3.0-or-later
// The plan of a job through its whole life: all or nothing, marks, and what leaves it by itself.
#include <gtest/gtest.h>

#include <algorithm>
#include <filesystem>
#include <fstream>

#include "core/job/drive_holds.h"
#include "core/job/job.h"
#include "core/job/register.h"
#include "support/code_of.h"
#include "support/fakes.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

struct Book : ::testing::Test {
  void SetUp() override {
    real.visits = Register::open(t / "register.sqlite").value();
    t.file("drive/tapes/one.wav", 300'000);
    t.file("drive/tapes/two.wav", 200'000);
    t.file("drive/notes/todo.txt", 5'000);
    job = Job::create(real, t / "drive", false, {t / "a.ztjob", true}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  }
  PlanBook& book() { return job->planBook(); }
  void reopen() {
    job.reset();
    job = Job::open(real, t / "a.ztjob").value();
  }
  TempFolder t;
  Workshop real = realWorkshop();
  std::unique_ptr<Job> job;
};

TEST_F(Book, TakesAllOrNothing) {
  EXPECT_EQ(codeOf(job->planBook().addPaths({"tapes/one.wav", "tapes/none.wav"}, "discard")), Errc::notThere);
  EXPECT_TRUE(book().plan().lines.empty());
  EXPECT_EQ(codeOf(book().add({"no-such-find"}, "discard")), Errc::notThere);
  ASSERT_TRUE(job->planBook().addPaths({"tapes/one.wav"}, "hold"));
  EXPECT_EQ(codeOf(job->planBook().addPaths({"tapes/two.wav", "tapes"}, "discard")), Errc::conflict);
  EXPECT_EQ(book().plan().lines.size(), 1u);
  EXPECT_EQ(codeOf(job->planBook().addPaths({"tapes/one.wav"}, "dissolve")), Errc::unknownStep);
}

TEST_F(Book, GivesAThingAnotherStep) {
  ASSERT_TRUE(job->planBook().addPaths({"tapes/one.wav"}, "discard"));
  ASSERT_TRUE(job->planBook().addPaths({"tapes/one.wav"}, "hold"));
  ASSERT_EQ(book().plan().lines.size(), 1u);
  EXPECT_EQ(book().plan().lines[0].step->id, "hold");
}

/// What a person put on the plan stays on it, counts, and is not asked for again.
TEST_F(Book, AProposalKeepsWhatAPersonDecided) {
  ASSERT_TRUE(job->planBook().addPaths({"tapes/one.wav"}, "discard"));
  Target target;
  target.bytes = job->reading().free + 400'000;
  ASSERT_TRUE(book().setTargets({target}));
  const auto proposal = book().propose({});
  ASSERT_TRUE(proposal);
  ASSERT_EQ(proposal->plan.lines.size(), 1u);
  EXPECT_EQ(proposal->plan.lines[0].items[0].path, "tapes/one.wav");
  EXPECT_FALSE(proposal->reached);
  EXPECT_LT(proposal->shortBy, 300'000u) << "what is planned counts";
  for (const Decision& d : proposal->decisions) EXPECT_NE(d.path, "tapes/one.wav");
}

/// What a proposal put on the plan the next one may take back; that it did is kept in the job.
TEST_F(Book, AProposalTakesItsOwnLinesBack) {
  ASSERT_TRUE(book().mark({"tapes/two.wav"}, Mark::mayGo));
  ASSERT_TRUE(job->planBook().addPaths({"notes"}, "hold"));
  Target target;
  target.bytes = job->reading().free + 100'000;
  ASSERT_TRUE(book().setTargets({target}));
  const auto proposal = book().propose({});
  ASSERT_TRUE(proposal);
  ASSERT_TRUE(book().set(proposal->plan));
  ASSERT_EQ(book().plan().lines.size(), 2u);
  reopen();
  ASSERT_EQ(book().plan().lines.size(), 2u);
  ASSERT_TRUE(book().mark({"tapes/two.wav"}, std::nullopt));
  const auto again = book().propose({});
  ASSERT_TRUE(again);
  ASSERT_EQ(again->plan.lines.size(), 1u);
  EXPECT_EQ(again->plan.lines[0].step->id, "hold") << "what a person put there stays";
}

/// A line of a person's beneath a folder that may go: the folder does not go as one, and nothing clashes.
TEST_F(Book, AMarkedFolderLeavesWhatIsPlanned) {
  ASSERT_TRUE(job->planBook().addPaths({"tapes/two.wav"}, "hold"));
  ASSERT_TRUE(book().mark({"tapes"}, Mark::mayGo));
  Target target;
  target.bytes = job->reading().free + 250'000;
  ASSERT_TRUE(book().setTargets({target}));
  const auto proposal = book().propose({});
  ASSERT_TRUE(proposal);
  EXPECT_TRUE(book().set(proposal->plan));
  EXPECT_EQ(book().plan().lines.size(), 2u);
}

/// A mark on a folder is one line, however much is found in it.
TEST_F(Book, AMarkOnAFolderIsOneLine) {
  ASSERT_TRUE(book().mark({"tapes"}, Mark::mayGo));
  Target target;
  target.bytes = job->reading().free + 350'000;
  ASSERT_TRUE(book().setTargets({target}));
  const auto whole = book().propose({});
  ASSERT_TRUE(whole);
  ASSERT_EQ(whole->plan.lines.size(), 1u);
  EXPECT_EQ(whole->plan.lines[0].items[0].path, "tapes");
  ASSERT_TRUE(book().mark({"tapes/two.wav"}, Mark::notNow));
  const auto parts = book().propose({});
  ASSERT_TRUE(parts);
  for (const PlanLine& line : parts->plan.lines)
    for (const Subject& item : line.items) EXPECT_EQ(item.path, "tapes/one.wav");
}

TEST_F(Book, MarksLockLikeBedrockAndSurviveEverything) {
  ASSERT_TRUE(job->planBook().addPaths({"tapes"}, "discard"));
  ASSERT_TRUE(book().mark({"tapes/one.wav"}, Mark::keep));
  ASSERT_EQ(book().left().size(), 1u) << "the folder would take the kept file along";
  EXPECT_EQ(book().left()[0].why, Errc::kept);
  EXPECT_EQ(codeOf(job->planBook().addPaths({"tapes"}, "hold")), Errc::kept);
  EXPECT_EQ(codeOf(job->planBook().addPaths({"tapes/one.wav"}, "hold")), Errc::kept);
  EXPECT_TRUE(job->planBook().addPaths({"tapes/two.wav"}, "discard"));
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  reopen();
  EXPECT_EQ(book().marks().of("tapes/one.wav"), Mark::keep);
  EXPECT_EQ(codeOf(job->planBook().addPaths({"tapes/one.wav"}, "discard")), Errc::kept);
  ASSERT_TRUE(book().mark({"tapes/one.wav"}, std::nullopt));
  EXPECT_TRUE(job->planBook().addPaths({"tapes/one.wav"}, "discard"));
}

TEST_F(Book, APlanFromOutsideCannotTakeWhatIsKept) {
  ASSERT_TRUE(job->planBook().addPaths({"tapes/one.wav"}, "discard"));
  const Plan outside = book().plan();
  ASSERT_TRUE(book().mark({"tapes"}, Mark::keep));
  EXPECT_EQ(codeOf(book().set(outside)), Errc::kept);
  EXPECT_TRUE(book().plan().lines.empty());
}

/// What a person said on an earlier visit holds on the next, in a job of its own, and from another folder of
/// the same drive.
TEST_F(Book, KnowsWhatWasSaidOnEarlierVisits) {
  ASSERT_TRUE(book().mark({"tapes/one.wav", "notes"}, Mark::keep));
  ASSERT_TRUE(book().mark({"tapes/two.wav"}, Mark::mayGo));
  std::filesystem::remove(t / "drive/tapes/two.wav");
  t.file("drive/other", 1);  // takes the number
  t.file("drive/tapes/two.wav", 100);
  std::filesystem::remove_all(t / "drive/notes");
  const auto next = Job::create(real, t / "drive", false, {t / "b.ztjob", true}).value();
  ASSERT_TRUE(next->measurer().measure({}, {}, nullptr));
  EXPECT_EQ(codeOf(next->planBook().addPaths({"tapes/one.wav"}, "hold")), Errc::kept);
  EXPECT_FALSE(next->planBook().marks().of("tapes/two.wav")) << "that is another file";
  EXPECT_FALSE(next->planBook().marks().all().contains("notes")) << "nothing is there any more";
  const auto inside = Job::create(real, t / "drive/tapes", false, {t / "c.ztjob", true}).value();
  ASSERT_TRUE(inside->measurer().measure({}, {}, nullptr));
  EXPECT_EQ(inside->planBook().marks().of("one.wav"), Mark::keep);
  ASSERT_TRUE(book().mark({"tapes/one.wav"}, std::nullopt));
  const auto last = Job::create(real, t / "drive", false, {t / "d.ztjob", true}).value();
  ASSERT_TRUE(last->measurer().measure({}, {}, nullptr));
  EXPECT_FALSE(last->planBook().marks().of("tapes/one.wav")) << "taken back is taken back";
}

/// A find of several things: a folder of a known cache, emptied.
struct Several : Book {
  void SetUp() override {
    Book::SetUp();
    t.file("drive/etc/os-release", 10);
    t.file("drive/usr/lib/os-release", 10);
    t.file("drive/usr/bin/sh", 10);
    for (const char* name : {"a.deb", "b.deb", "c.deb"})
      t.file(std::string("drive/var/cache/apt/archives/") + name, 400'000);
    std::ofstream(t / "drive/etc/os-release") << "ID=demo\nNAME=Demo\n";
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    for (const Find& find : *job->surveys().finds())
      if (find.items.size() == 3) id = find.id;
    ASSERT_FALSE(id.empty());
  }
  std::vector<PathBytes> planned() {
    std::vector<PathBytes> paths;
    for (const PlanLine& line : book().plan().lines)
      for (const Subject& item : line.items) paths.emplace_back(baseName(item.path));
    std::sort(paths.begin(), paths.end());
    return paths;
  }
  using Paths = std::vector<PathBytes>;
  static PathBytes deb(const char* name) { return PathBytes("var/cache/apt/archives/") + name; }
  std::string id;
};

TEST_F(Several, ExemptsOneAndTheOthersGo) {
  ASSERT_TRUE(book().add({id}, ""));
  EXPECT_EQ(planned(), (Paths{"a.deb", "b.deb", "c.deb"}));
  const Bytes all = book().planned().sure;
  ASSERT_TRUE(book().mark({deb("b.deb")}, Mark::keep));
  EXPECT_EQ(planned(), (Paths{"a.deb", "c.deb"}));
  EXPECT_TRUE(book().left().empty());
  EXPECT_NEAR(static_cast<double>(book().planned().sure), static_cast<double>(all) * 2 / 3, 8192.0);
  const Find* left = job->surveys().find(id);
  EXPECT_EQ(left->items.size(), 2u);
  EXPECT_EQ(numberIn(*left, "kept-things"), 1u);
  EXPECT_NE(left->standing, Standing::kept);
  reopen();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  EXPECT_EQ(planned(), (Paths{"a.deb", "c.deb"})) << "through reopening and measuring";
  ASSERT_TRUE(book().mark({deb("b.deb")}, std::nullopt));
  EXPECT_EQ(job->surveys().find(id)->items.size(), 3u);
  EXPECT_EQ(planned(), (Paths{"a.deb", "c.deb"})) << "nothing comes onto a plan by itself";
  ASSERT_TRUE(book().mark({deb("a.deb"), deb("b.deb"), deb("c.deb")}, Mark::keep));
  EXPECT_TRUE(planned().empty());
  EXPECT_EQ(book().left().size(), 1u);
  EXPECT_EQ(job->surveys().find(id)->standing, Standing::kept);
}

TEST_F(Several, TakesWhatARuleMeans) {
  const auto age = [&](const char* name, int days) {
    std::filesystem::last_write_time(
        t / ("drive/" + deb(name)),
        std::filesystem::file_time_type::clock::now() - std::chrono::hours(24 * days));
  };
  age("a.deb", 100);
  age("b.deb", 50);
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  const TimeNs now = job->surveys().context()->options.now;
  ASSERT_TRUE(book().add({id}, "", {now - 90 * nsPerDay, 0, {}, {}}));
  EXPECT_EQ(planned(), (Paths{"a.deb"}));
  ASSERT_TRUE(book().add({id}, "", {0, 1, {}, {}}));
  EXPECT_EQ(planned(), (Paths{"a.deb", "b.deb"}));
  ASSERT_TRUE(book().add({id}, "", {0, 0, {deb("b.deb")}, {}}));
  EXPECT_EQ(planned(), (Paths{"a.deb", "c.deb"}));
  ASSERT_TRUE(book().add({id}, "hold"));
  EXPECT_EQ(planned(), (Paths{"a.deb", "c.deb"})) << "another step for what is on the line";
  EXPECT_EQ(codeOf(book().add({id}, "", {now - 900 * nsPerDay, 0, {}, {}})), Errc::notThere);
  EXPECT_EQ(planned(), (Paths{"a.deb", "c.deb"}));
  // A file that has come since, and one that is another now, do not come onto the line.
  t.file("drive/" + deb("d.deb"), 400'000);
  std::filesystem::remove(t / ("drive/" + deb("a.deb")));
  t.file("drive/taken", 1);
  t.file("drive/" + deb("a.deb"), 400'000);
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  EXPECT_EQ(planned(), (Paths{"c.deb"}));
}

TEST_F(Book, SaysWhichLinesANewSurveyTookOff) {
  ASSERT_TRUE(job->planBook().addPaths({"tapes/one.wav", "tapes/two.wav", "notes"}, "discard"));
  std::filesystem::remove(t / "drive/tapes/one.wav");
  t.file("drive/tapes/two.wav", 210'000);
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  std::map<PathBytes, Errc> why;
  for (const LeftLine& line : book().left()) why[line.path] = line.why;
  ASSERT_TRUE(why.contains("tapes/one.wav"));
  EXPECT_EQ(why["tapes/one.wav"], Errc::notThere);
  ASSERT_EQ(book().plan().lines.size() + why.size(), 3u) << "none goes without a word";
  bool notes = false;
  for (const auto& line : book().plan().lines) notes = notes || line.items[0].path == "notes";
  EXPECT_TRUE(notes);
}

TEST_F(Book, TargetsMayHoldOnlyWhileATaskRuns) {
  ASSERT_TRUE(job->planBook().addTarget("films", "20GB,while-it-runs"));
  EXPECT_TRUE(book().targets()[0].whileItRuns);
  EXPECT_EQ(book().targets()[0].bytes, 20'000'000'000u);
  reopen();
  EXPECT_TRUE(book().targets()[0].whileItRuns);
}

/// Two jobs hold things of one drive; the file of one is lost. What is found on the drive is put back, each
/// to its place, and nothing over anything.
TEST_F(Book, ALostJobsThingsAreFoundAmongThoseOfOthers) {
  ASSERT_TRUE(job->planBook().addPaths({"tapes/one.wav"}, "hold"));
  ASSERT_TRUE(job->reclaim(job->planBook().consent().token, {}));
  auto other = Job::create(real, t / "drive", false, {}).value();
  ASSERT_TRUE(other->measurer().measure({}, {}, nullptr));
  ASSERT_TRUE(other->planBook().addPaths({"tapes/two.wav"}, "hold"));
  ASSERT_TRUE(other->reclaim(other->planBook().consent().token, {}));
  job.reset();
  std::filesystem::remove(t / "a.ztjob");
  t.file("drive/tapes/one.wav", "somebody's new file");
  const auto holds = DriveHolds::open(real, t / "drive", false).value();
  std::set<PathBytes> found;
  for (const auto& thing : holds->things()) found.insert(thing.record.path);
  // A folder is measured here, not the top of its drive: the register knows where that is, paths are the
  // drive's.
  for (const char* name : {"tapes/one.wav", "tapes/two.wav"})
    EXPECT_TRUE(std::any_of(found.begin(), found.end(), [&](const auto& p) { return p.ends_with(name); }))
        << name;
  EXPECT_EQ(other->undo(0, {})->at(0).state, ItemState::returned);
  EXPECT_TRUE(t.has("drive/tapes/two.wav"));
  const auto again = DriveHolds::open(real, t / "drive", false).value();
  const auto back = again->putBack({}).value();
  ASSERT_GE(back.size(), 1u);
  EXPECT_EQ(t.read("drive/tapes/one.wav"), "somebody's new file") << "never over anything";
  EXPECT_EQ(t.read("drive/tapes/one.wav.put-back-1").size(), 300'000u)
      << "beside its old place, below what was measured";
  EXPECT_FALSE(t.has("drive/.zip-tally-hold"));
}

}  // namespace
}  // namespace zt::test
