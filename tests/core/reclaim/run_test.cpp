// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/run.h"

#include <gtest/gtest.h>

#include "core/proof/proof.h"
#include "support/code_of.h"
#include "support/fault_file_system.h"
#include "support/planned.h"

namespace zt::test {
namespace {

/// A small drive with a plan, and one run of it.
struct Work {
  void measure() { m = std::make_unique<Measured>(borrowed(files)); }
  void plan(const PathBytes& path, std::string_view action = "discard") {
    steps.lines.push_back(m->line(path, action));
  }
  Result<RunReport> run(std::stop_token stop = {}) {
    Runner runner(m->guarded(open), journal, 1);
    RunControl control;
    control.stop = std::move(stop);
    control.readingsApart = readingsApart;
    return runner.carryOut(steps, consentFor(steps).token, control);
  }
  std::vector<JournalRecord> openRecords() const {
    std::vector<JournalRecord> all;
    for (const auto state : {ItemState::intended, ItemState::discarding, ItemState::returning})
      for (auto& r : journal.in(state)) all.push_back(r);
    return all;
  }

  MemoryFileSystem files;
  FakeOpenFiles open;
  MemoryJournal journal;
  std::unique_ptr<Measured> m;
  Plan steps;
  std::chrono::milliseconds readingsApart{500};
};

void furnish(MemoryFileSystem& files) {
  files.add("d/a", std::string(9000, 'x'));
  files.add("d/sub/b", std::string(9000, 'x'));
  files.add("d/sub/c", std::string(9000, 'x'));
  files.add("keep/me", "k");
}

TEST(Run, DiscardsExactlyThePlan) {
  Work w;
  furnish(w.files);
  w.measure();
  w.plan("d");
  const auto report = w.run();
  ASSERT_TRUE(report);
  EXPECT_EQ(report->lines[0].state, LineOutcome::State::done);
  EXPECT_EQ(report->lines[0].freed, report->lines[0].promised);
  EXPECT_FALSE(w.files.has("d"));
  EXPECT_TRUE(w.files.has("keep/me"));
  EXPECT_FALSE(w.files.has(".zip-tally-hold")) << "empty hold folders are tidied away";
}

/// Many lines share a batch, and one line fills several: each is told its own bytes, whenever the counter is
/// read meanwhile.
TEST(Run, TellsEveryLineItsOwnRiseHoweverOftenTheCounterIsRead) {
  for (const auto apart : {std::chrono::milliseconds(0), std::chrono::milliseconds(60'000)}) {
    Work w;
    w.readingsApart = apart;
    for (int i = 0; i < 700; ++i)
      w.files.add("d/f" + std::to_string(i), std::string(static_cast<std::size_t>(4096 * (1 + i % 5)), 'x'));
    w.files.add("first", std::string(90'000, 'x'));
    w.files.add("last", std::string(50'000, 'x'));
    w.measure();
    w.plan("first");
    PlanLine many = w.m->line("d/f0", "discard");
    for (int i = 1; i < 400; ++i)
      many.items.push_back(w.m->line("d/f" + std::to_string(i), "discard").items.front());
    w.steps.lines.push_back(many);
    for (int i = 400; i < 700; ++i) w.plan("d/f" + std::to_string(i));
    w.plan("last");
    const auto report = w.run();
    ASSERT_TRUE(report);
    ASSERT_EQ(report->lines.size(), 303u);
    for (const LineOutcome& line : report->lines) {
      EXPECT_EQ(line.state, LineOutcome::State::done);
      EXPECT_EQ(line.rose, static_cast<SignedBytes>(line.promised.sure)) << line.line;
    }
  }
}

TEST(Run, HoldsPutsBackAndReleases) {
  Work w;
  furnish(w.files);
  w.measure();
  w.plan("d", "hold");
  w.plan("keep/me", "hold");
  ASSERT_TRUE(w.run());
  EXPECT_FALSE(w.files.has("d"));
  auto held = w.journal.in(ItemState::held);
  ASSERT_EQ(held.size(), 2u);
  const auto back = undoRun(w.m->guarded(w.open), w.m->craft->steps, w.journal, {held[0]}, {});
  ASSERT_TRUE(back);
  EXPECT_EQ((*back)[0].state, ItemState::returned);
  EXPECT_TRUE(w.files.has("d/sub/c"));
  const auto gone = releaseRun(w.m->guarded(w.open), w.m->craft->steps, w.journal, {held[1]}, {});
  EXPECT_EQ((*gone)[0].state, ItemState::gone);
  EXPECT_FALSE(w.files.has("keep/me"));
}

TEST(Run, NeverPutsBackOverSomething) {
  Work w;
  furnish(w.files);
  w.measure();
  w.plan("keep/me", "hold");
  ASSERT_TRUE(w.run());
  w.files.add("keep/me", "somebody else's");
  const auto back =
      undoRun(w.m->guarded(w.open), w.m->craft->steps, w.journal, w.journal.in(ItemState::held), {});
  EXPECT_EQ((*back)[0].putAt, "keep/me.put-back-1");
  EXPECT_TRUE(w.files.has("keep/me.put-back-1"));
}

TEST(Run, RefusesWithoutTheConsentOfThisVeryPlan) {
  Work w;
  furnish(w.files);
  w.measure();
  w.plan("d/a");
  const auto token = consentFor(w.steps).token;
  w.plan("d/sub");
  Runner runner(w.m->guarded(w.open), w.journal, 1);
  EXPECT_EQ(codeOf(runner.carryOut(w.steps, token, {})), Errc::noConsent);
  EXPECT_EQ(codeOf(runner.carryOut(w.steps, "", {})), Errc::noConsent);
  EXPECT_TRUE(w.files.has("d/a"));
  EXPECT_TRUE(w.journal.history.empty());
}

TEST(Run, StopsTheLineOfAChangedItem) {
  Work w;
  furnish(w.files);
  w.measure();
  w.plan("d/a");
  w.plan("keep/me");
  w.files.add("d/a", "changed")->stat.modified += 1;
  const auto report = w.run();
  EXPECT_EQ(report->lines[0].state, LineOutcome::State::refused);
  EXPECT_EQ(report->lines[0].problems[0].problem, Errc::changed);
  EXPECT_TRUE(w.files.has("d/a"));
  EXPECT_EQ(report->lines[1].state, LineOutcome::State::done);
}

TEST(Run, PutsAFolderBackWhoseContentHasGrown) {
  Work w;
  furnish(w.files);
  w.measure();
  w.plan("d");
  w.files.add("d/sub/new", "just saved");
  const auto report = w.run();
  EXPECT_EQ(report->lines[0].problems[0].problem, Errc::changed);
  EXPECT_EQ(report->lines[0].problems[0].state, ItemState::returned);
  EXPECT_TRUE(w.files.has("d/sub/new"));
  EXPECT_TRUE(w.files.has("d/sub/b"));
}

TEST(Run, RefusesWhatIsOpenAndSaysWhoHoldsIt) {
  Work w;
  furnish(w.files);
  w.measure();
  w.plan("d");
  w.open.files.push_back(
      {77, "editor", 0, w.m->survey->tree.inode(*w.m->survey->tree.find("d/sub/b")), false, 0});
  const auto report = w.run();
  EXPECT_EQ(report->lines[0].problems[0].problem, Errc::inUse);
  EXPECT_NE(report->lines[0].problems[0].detail.find("editor"), std::string::npos);
  EXPECT_TRUE(w.files.has("d/sub/b"));
}

TEST(Run, RefusesBedrockWhoeverWroteThePlan) {
  MemoryFileSystem files;
  files.add("usr/lib/x", std::string(9000, 'x'));
  FakeOpenFiles open;
  MemoryJournal journal;
  const Measured m(borrowed(files), "/", true);
  Plan plan;
  PlanLine line;
  line.id = "evil";
  line.step = m.craft->steps.find("discard");
  for (const char* path : {"usr/lib/x", "usr"}) {
    const auto node = *m.survey->tree.find(path);
    line.items.push_back(m.context->subject(node));
  }
  plan.lines.push_back(line);
  Runner runner(m.guarded(open), journal, 1);
  const auto report = runner.carryOut(plan, consentFor(plan).token, {});
  ASSERT_TRUE(report);
  for (const auto& p : report->lines[0].problems) EXPECT_EQ(p.problem, Errc::bedrock);
  EXPECT_TRUE(files.has("usr/lib/x"));
}

TEST(Run, ChangesNothingThatTheJournalCouldNotRecord) {
  Work w;
  furnish(w.files);
  w.measure();
  w.plan("d");
  w.journal.failAt = 1;
  const auto report = w.run();
  EXPECT_TRUE(report->journalFailed);
  EXPECT_TRUE(w.files.has("d/sub/b"));
  EXPECT_EQ(report->lines[0].problems[0].problem, Errc::noSpace);
}

TEST(Run, TakesBackWhenTheJournalFillsUpMidway) {
  Work w;
  furnish(w.files);
  w.measure();
  w.plan("d");
  w.journal.failAt = 2;
  EXPECT_TRUE(w.run()->journalFailed);
  EXPECT_TRUE(w.files.has("d/sub/b"));
}

TEST(Run, StopsBetweenItems) {
  Work w;
  furnish(w.files);
  w.measure();
  w.plan("d");
  std::stop_source stop;
  stop.request_stop();
  const auto report = w.run(stop.get_token());
  EXPECT_TRUE(report->stopped);
  EXPECT_EQ(report->lines[0].state, LineOutcome::State::notReached);
  EXPECT_TRUE(w.files.has("d/a"));
}

TEST(Run, SaysWhichBytesOtherNamesKeep) {
  Work w;
  furnish(w.files);
  w.files.link("d/a", "keep/again");
  w.measure();
  w.plan("d/a");
  const auto report = w.run();
  EXPECT_EQ(report->lines[0].freed.atMost, 0u);
  EXPECT_GT(report->lines[0].linksRemain, 0u);
  EXPECT_TRUE(w.files.has("keep/again"));
}

TEST(Run, LetsBothNamesOfAnInodeGo) {
  Work w;
  furnish(w.files);
  w.files.link("d/a", "keep/again");
  w.measure();
  w.plan("d/a");
  w.plan("keep/again");
  const auto report = w.run();
  EXPECT_EQ(report->lines[1].state, LineOutcome::State::done);
  EXPECT_GT(report->lines[1].freed.sure, 0u);
}

/// Every single call on the file system fails once, in turn: afterwards every item is whole in exactly one
/// known place.
TEST(Run, LosesNothingWhateverCallFails) {
  for (std::size_t number = 1;; ++number) {
    Work w;
    furnish(w.files);
    w.measure();
    w.plan("d");
    w.plan("keep/me", "hold");
    const std::size_t before = w.files.calls().size();
    w.files.failCall(before + number, Errc::io);
    const auto report = w.run();
    const bool reached = w.files.calls().size() >= before + number;
    w.files.failCall(0, Errc::io);
    const auto settled = recover(w.m->guarded(w.open), w.m->craft->steps, w.journal, w.openRecords());
    ASSERT_TRUE(settled) << number;
    ASSERT_TRUE(w.openRecords().empty()) << number;
    const auto places = [&](const char* path, const char* inside) {
      int count = w.files.has(std::string(path) + inside);
      for (const auto& r : w.journal.in(ItemState::held))
        if (r.path == path) count += w.files.has(joinPath(r.holdFolder, std::to_string(r.seq)) + inside);
      return count;
    };
    const bool discarded = w.journal.in(ItemState::gone).size() == 1;
    // A removal that failed midway is held with what is left of it; otherwise the folder is whole.
    bool begun = false;
    for (const auto& r : w.journal.history)
      begun = begun || (r.path == "d" && r.state == ItemState::discarding);
    if (!begun) {
      ASSERT_EQ(places("d", "/a") + places("d", "/sub/b"), 2) << number;
    }
    if (discarded) {
      ASSERT_EQ(places("d", ""), 0) << number;
    }
    ASSERT_EQ(places("keep/me", ""), 1) << number;
    if (!reached) break;
  }
}

TEST(Prove, NamesEveryDifference) {
  Work w;
  furnish(w.files);
  w.measure();
  w.plan("d");
  w.plan("keep/me", "hold");
  const Bytes freeBefore = w.files.usage(*w.m->root)->available;
  const auto report = w.run();
  ProvedRun run;
  run.freeBefore = freeBefore;
  run.lines = report->lines;
  for (const auto& [key, r] : w.journal.last) run.records.push_back(r);
  const auto proof = prove(w.m->guarded(w.open), std::span(&run, 1),
                           {{TargetOrigin::task, "t", "", freeBefore + 1, true}}, 5);
  ASSERT_TRUE(proof);
  for (const auto& reason : proof->lines[0].reasons) {
    EXPECT_EQ(reason.kind, ProofReason::Kind::driveDiffers) << "the hold's own folders and its list";
    EXPECT_LE(std::abs(reason.bytes), 65'536);
  }
  ASSERT_EQ(proof->lines[1].reasons.size(), 1u);
  EXPECT_EQ(proof->lines[1].reasons[0].kind, ProofReason::Kind::held);
  EXPECT_TRUE(proof->targets[0].met);
  EXPECT_EQ(static_cast<SignedBytes>(proof->freeAfter - proof->freeBefore), proof->actual + proof->byOthers);
  EXPECT_EQ(proof->byOthers, 0);
}

}  // namespace
}  // namespace zt::test
