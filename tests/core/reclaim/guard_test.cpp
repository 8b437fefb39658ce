// SPDX-License-Identifier: GPL-3.0-or-later
// The guard and the hold by themselves, not behind what a plan already refuses.
#include "core/reclaim/guard.h"

#include <gtest/gtest.h>

#include "core/reclaim/run.h"
#include "core/reclaim/steps/hold_place.h"
#include "support/code_of.h"
#include "support/fault_file_system.h"
#include "support/planned.h"

namespace zt::test {
namespace {

struct Guarded {
  Guarded() {
    files.add("home/w/doc", std::string(5000, 'd'));
    files.add("home/w/box/one", std::string(100, '1'));
    files.add("home/w/box/in/two", std::string(100, '2'));
    files.add("home/w/.zip-tally-hold/1", "held by somebody");
    m = std::make_unique<Measured>(borrowed(files));
    drive = std::make_unique<GuardedDrive>(m->guarded(open));
  }
  Subject item(const PathBytes& path) const {
    Subject s;
    s.path = path;
    s.identity = m->survey->tree.identity(*m->survey->tree.find(path));
    return s;
  }
  JournalRecord record(const PathBytes& path) const {
    JournalRecord r;
    r.run = 4;
    r.seq = 1;
    r.action = "hold";
    r.path = path;
    r.identity = item(path).identity;
    return r;
  }
  Result<void> content(const PathBytes& path, const Holders& holders = {}) const {
    const auto parent = files_().openBeneath(*m->root, parentPath(path)).value();
    return checkContent(*drive, *parent, baseName(path), *m->survey->tree.find(path), holders);
  }
  FileSystem& files_() const { return *m->files; }
  std::uint64_t inodeOf(const PathBytes& path) const { return item(path).identity.inode; }
  MemoryFileSystem files;
  FakeOpenFiles open;
  std::unique_ptr<Measured> m;
  std::unique_ptr<GuardedDrive> drive;
};

TEST(Guard, KeepsWhatSomebodyKeepsAtAboveAndBeneath) {
  for (const char* kept : {"home/w/box", "home", "home/w/box/in/two"}) {
    Guarded w;
    w.drive->marks.set(kept, Mark::keep);
    EXPECT_EQ(codeOf(checkOnPaper(*w.drive, w.item("home/w/box"))), Errc::kept) << kept;
  }
  Guarded w;
  w.drive->marks.set("home/w/doc", Mark::keep);
  EXPECT_TRUE(checkOnPaper(*w.drive, w.item("home/w/box")));
}

TEST(Guard, LetsNoHoldGoWhereverItLies) {
  Guarded w;
  EXPECT_EQ(codeOf(checkOnPaper(*w.drive, w.item("home/w/.zip-tally-hold"))), Errc::bedrock);
  EXPECT_EQ(codeOf(checkOnPaper(*w.drive, w.item("home/w/.zip-tally-hold/1"))), Errc::bedrock);
}

TEST(Guard, LetsNothingGoByThePlanOfAnotherThing) {
  Guarded w;
  Subject item = w.item("home/w/doc");
  item.identity.inode += 1;
  EXPECT_EQ(codeOf(checkOnPaper(*w.drive, item)), Errc::changed);
  item = w.item("home/w/doc");
  item.identity.modified += 1;
  EXPECT_EQ(codeOf(checkOnPaper(*w.drive, item)), Errc::changed);
}

TEST(Guard, AFolderIsWhatWasMeasuredDownToItsLastEntry) {
  {
    Guarded w;
    EXPECT_EQ(codeOf(w.content("home/w/box")), std::nullopt);
  }
  {
    Guarded w;
    w.files.add("home/w/box/in/came", "x");
    EXPECT_EQ(codeOf(w.content("home/w/box")), Errc::changed) << "one more";
  }
  {
    Guarded w;
    const auto in = w.files.openBeneath(*w.m->root, "home/w/box/in").value();
    ASSERT_TRUE(w.files.unlink(*in, "two"));
    EXPECT_EQ(codeOf(w.content("home/w/box")), Errc::changed) << "one less";
  }
  {
    Guarded w;
    w.files.add("home/w/box/in/two", "other words");
    EXPECT_EQ(codeOf(w.content("home/w/box")), Errc::changed) << "another content";
  }
  {
    Guarded w;
    w.open.files.push_back({9, "player", 0, w.inodeOf("home/w/box/in/two"), false, 0});
    EXPECT_EQ(codeOf(w.content("home/w/box", Holders::read(w.open))), Errc::inUse);
  }
}

TEST(Guard, WhatIsOpenOrChangedIsNotTaken) {
  Guarded w;
  HoldPlace hold(*w.drive, 4);
  JournalRecord r = w.record("home/w/doc");
  ASSERT_TRUE(hold.choose(r));
  w.open.files.push_back({9, "player", 0, r.identity.inode, false, 0});
  EXPECT_EQ(codeOf(hold.take(r, Holders::read(w.open))), Errc::inUse);
  EXPECT_TRUE(w.files.has("home/w/doc"));
  w.open.files.clear();
  w.files.add("home/w/doc", "edited");
  EXPECT_EQ(codeOf(hold.take(r, {})), Errc::changed);
  EXPECT_TRUE(w.files.has("home/w/doc"));
}

TEST(Guard, WhatWasTakenIsLookedAtOnceMore) {
  Guarded w;
  HoldPlace hold(*w.drive, 4);
  JournalRecord r = w.record("home/w/doc");
  ASSERT_TRUE(hold.choose(r));
  ASSERT_TRUE(hold.take(r, {}));
  EXPECT_TRUE(hold.lookAt(r, {}));
  w.open.files.push_back({9, "player", 0, r.identity.inode, false, 0});
  EXPECT_EQ(codeOf(hold.lookAt(r, Holders::read(w.open))), Errc::inUse);
  w.files.add(r.holdFolder + "/1", "written to meanwhile");
  EXPECT_EQ(codeOf(hold.lookAt(r, {})), Errc::changed);
  EXPECT_EQ(codeOf(hold.unlinkHeld(r)), Errc::changed);
  EXPECT_TRUE(w.files.has(r.holdFolder + "/1"));
}

TEST(Guard, AHoldThatOthersMayWriteToIsNotUsed) {
  Guarded w;
  JournalRecord r = w.record("home/w/doc");
  HoldPlace hold(*w.drive, 4);
  ASSERT_TRUE(hold.choose(r));
  w.files.add(std::string(holdName) + "/0123456789abcdef/")->stat.mode = 0777;
  JournalRecord next = w.record("home/w/box");
  ASSERT_TRUE(hold.choose(next));
  EXPECT_TRUE(next.holdFolder.starts_with("home/")) << next.holdFolder << ": further down, in one of our own";
}

/// Whatever is not the thing that was measured stays, down to the last entry of a folder that is being let
/// go.
TEST(Guard, WhatWasNotMeasuredIsNotUnlinkedEvenInTheHold) {
  Guarded w;
  HoldPlace hold(*w.drive, 4);
  JournalRecord r = w.record("home/w/box");
  ASSERT_TRUE(hold.choose(r));
  ASSERT_TRUE(hold.take(r, {}));
  w.files.add(r.holdFolder + "/1/one", "saved a moment ago");
  EXPECT_EQ(codeOf(hold.unlinkHeld(r)), Errc::changed);
  EXPECT_TRUE(w.files.has(r.holdFolder + "/1/one"));
  EXPECT_EQ(w.files.content(r.holdFolder + "/1/one"), "saved a moment ago");
}

struct OneRun : ::testing::Test {
  OneRun() {
    for (const char* path : {"a", "b", "c"}) files.add(path, std::string(9000, path[0]));
    m = std::make_unique<Measured>(borrowed(files));
    for (const char* path : {"a", "b", "c"}) plan.lines.push_back(m->line(path));
  }
  RunReport run(GuardedDrive drive, std::stop_token stop = {}) {
    RunControl control;
    control.stop = std::move(stop);
    return Runner(std::move(drive), journal, 1).carryOut(plan, consentFor(plan).token, control).value();
  }
  MemoryFileSystem files;
  FakeOpenFiles open;
  MemoryJournal journal;
  std::unique_ptr<Measured> m;
  Plan plan;
};

/// Somebody says keep while the run goes on, in a job of his own.
TEST_F(OneRun, WhatIsKeptMeanwhileStays) {
  GuardedDrive drive = m->guarded(open);
  drive.keptNow = [] {
    Marks said;
    said.set("b", Mark::keep);
    return said;
  };
  const RunReport report = run(drive);
  EXPECT_TRUE(files.has("b"));
  EXPECT_FALSE(files.has("a"));
  ASSERT_EQ(report.lines[1].problems.size(), 1u);
  EXPECT_EQ(report.lines[1].problems[0].problem, Errc::kept);
}

/// Stopped in the middle of a batch: what was not reached is as it was.
TEST_F(OneRun, AStopIsObeyedBetweenTwoItemsOfABatch) {
  std::stop_source stop;
  FaultFileSystem stopping(borrowed(files),
                           [&](std::string_view call, std::string_view name) -> Result<void> {
                             if (call == "rename" && name == "a") stop.request_stop();
                             return {};
                           });
  GuardedDrive drive = m->guarded(open);
  drive.files = borrowed(stopping);
  const RunReport report = run(drive, stop.get_token());
  EXPECT_TRUE(report.stopped);
  for (const char* path : {"a", "b", "c"}) EXPECT_TRUE(files.has(path)) << path;
  EXPECT_EQ(report.lines[2].state, LineOutcome::State::notReached);
}

TEST_F(OneRun, WhatTwoLinesNameGoesOnceAndIsNoProblemOfTheSecond) {
  plan.lines[1] = plan.lines[0];
  plan.lines[1].id = "again";
  const RunReport report = run(m->guarded(open));
  EXPECT_FALSE(files.has("a"));
  EXPECT_TRUE(report.lines[1].problems.empty());
  EXPECT_EQ(report.lines[1].items, 0u);
  EXPECT_EQ(plannedGain(plan, *m->context).sure, 2 * m->survey->tree.weight(*m->survey->tree.find("a")));
}

/// On a full drive things go where they stand; what cannot go is not called held, and no half of a hold is
/// left.
TEST_F(OneRun, WhatCannotGoInPlaceIsWhereItWas) {
  FaultFileSystem full(borrowed(files), [](std::string_view call, std::string_view name) -> Result<void> {
    if (call == "make-folder" && name != holdName) return fail(Errc::noSpace, call);
    if (call == "unlink" && name == "b") return fail(Errc::notPermitted, call);
    return {};
  });
  GuardedDrive drive = m->guarded(open);
  drive.files = borrowed(full);
  const RunReport report = run(drive);
  EXPECT_FALSE(files.has("a"));
  EXPECT_TRUE(files.has("b"));
  EXPECT_FALSE(files.has(std::string(holdName)));
  EXPECT_EQ(report.lines[0].state, LineOutcome::State::done);
  EXPECT_EQ(report.lines[1].held, 0u);
  ASSERT_EQ(report.lines[1].problems.size(), 1u);
  EXPECT_EQ(report.lines[1].problems[0].state, ItemState::returned);
  EXPECT_EQ(report.lines[1].problems[0].problem, Errc::notPermitted);
  EXPECT_TRUE(journal.in(ItemState::held).empty());
}

}  // namespace
}  // namespace zt::test
