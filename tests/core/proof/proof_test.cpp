// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proof/proof.h"

#include <gtest/gtest.h>

#include "support/code_of.h"
#include "support/planned.h"

namespace zt::test {
namespace {

struct Case {
  Case() {
    files.add("d/a", std::string(9000, 'x'));
    m = std::make_unique<Measured>(borrowed(files));
    const PlanLine planned = m->line("d/a");
    run.planned.push_back({planned.id, planned.kind, "d/a"});
    run.freeBefore = files.usage(*m->root)->available;
    outcome.line = planned.id;
    outcome.action = "discard";
    outcome.items = 1;
    outcome.promised = {12288, 12288};
    record.path = "d/a";
    record.line = outcome.line;
    record.action = "discard";
    record.identity = m->survey->tree.identity(*m->survey->tree.find("d/a"));
    record.promised = {12288, 12288};
  }
  ProofLine prove() {
    run.lines = {outcome};
    run.records = {record};
    return zt::prove(m->guarded(open), std::span(&run, 1), {}, 1).value().lines[0];
  }
  void gone() {
    ASSERT_TRUE(files.unlink(*files.openBeneath(*m->root, "d").value(), "a"));
    record.state = ItemState::gone;
    record.freed = {12288, 12288};
    outcome.rose = 12288;
    outcome.state = LineOutcome::State::done;
  }
  MemoryFileSystem files;
  FakeOpenFiles open;
  std::unique_ptr<Measured> m;
  ProvedRun run;
  LineOutcome outcome;
  JournalRecord record;
};

using Kind = ProofReason::Kind;

TEST(Proof, HasNothingToExplainWhereAllWentAsPromised) {
  Case c;
  c.gone();
  const ProofLine line = c.prove();
  EXPECT_EQ(line.actual, static_cast<SignedBytes>(line.promised.sure));
  EXPECT_TRUE(line.reasons.empty());
}

TEST(Proof, SaysWhyAnItemWasRefused) {
  Case c;
  c.record.state = ItemState::refused;
  c.record.problem = Errc::inUse;
  c.record.detail = "editor (7)";
  c.outcome.state = LineOutcome::State::refused;
  const ProofLine line = c.prove();
  ASSERT_EQ(line.reasons.size(), 1u);
  EXPECT_EQ(line.reasons[0].kind, Kind::notDone);
  EXPECT_EQ(line.reasons[0].code, Errc::inUse);
  EXPECT_EQ(line.reasons[0].bytes, -12288);
  EXPECT_EQ(line.actual, 0);
}

TEST(Proof, SeesThatSomethingCameBack) {
  Case c;
  c.gone();
  c.files.add("d/a", "again");
  EXPECT_EQ(c.prove().reasons.at(0).kind, Kind::cameBack);
}

TEST(Proof, SeesThatItIsStillOpen) {
  Case c;
  c.gone();
  c.outcome.rose = 0;
  c.open.files.push_back({5, "player", 0, c.record.identity.inode, true, 12288});
  const ProofLine line = c.prove();
  ASSERT_EQ(line.reasons.size(), 1u);
  EXPECT_EQ(line.reasons[0].kind, Kind::stillOpen);
  EXPECT_NE(line.reasons[0].detail.find("player"), std::string::npos);
}

TEST(Proof, SaysThatOtherNamesKeepIt) {
  Case c;
  c.gone();
  c.record.freed = {};
  c.outcome.rose = 0;
  c.record.linksRemain = 12288;
  const ProofLine line = c.prove();
  EXPECT_EQ(line.reasons.at(0).kind, Kind::linksRemain);
  EXPECT_EQ(line.reasons.at(0).bytes, -12288);
}

/// Other names went later in the same line: the last of them gave the bytes.
TEST(Proof, SaysNothingOfOtherNamesWhereTheLastOneWent) {
  Case c;
  c.gone();
  c.record.linksRemain = 12288;
  EXPECT_TRUE(c.prove().reasons.empty());
}

TEST(Proof, NamesADifferenceThatNothingElseExplains) {
  Case c;
  c.gone();
  c.record.freed = {4096, 4096};
  c.outcome.rose = 4096;
  EXPECT_EQ(c.prove().reasons.at(0).kind, Kind::lessOccupied);
}

TEST(Proof, SaysWhatWasDoneOtherwiseThanMeant) {
  Case c;
  c.record.state = ItemState::done;
  c.record.freed = {4096, 4096};
  c.record.detail = noRoomBeside;
  c.outcome.rose = 4096;
  c.outcome.state = LineOutcome::State::done;
  const ProofLine line = c.prove();
  ASSERT_EQ(line.reasons.size(), 1u);
  EXPECT_EQ(line.reasons[0].kind, Kind::otherwise);
  EXPECT_EQ(line.reasons[0].bytes, 4096 - 12288);
  EXPECT_EQ(line.reasons[0].detail, noRoomBeside);
  c.record.freed = {12288, 12288};
  c.outcome.rose = 12288;
  EXPECT_TRUE(c.prove().reasons.empty()) << "nothing is less than promised";
}

TEST(Proof, SaysWhatWasNotReached) {
  Case c;
  c.outcome.state = LineOutcome::State::notReached;
  c.run.lines = {c.outcome};
  const auto proof = prove(c.m->guarded(c.open), std::span(&c.run, 1), {}, 1).value();
  EXPECT_EQ(proof.lines[0].reasons.at(0).kind, Kind::notReached);
}

TEST(Proof, SaysThatOthersChangedTheDrive) {
  Case c;
  c.gone();
  c.files.add("elsewhere/new", std::string(50'000, 'x'));
  c.run.lines = {c.outcome};
  c.run.records = {c.record};
  const auto proof = prove(c.m->guarded(c.open), std::span(&c.run, 1), {}, 1).value();
  EXPECT_EQ(proof.byOthers, -static_cast<SignedBytes>(53'248 + 4096));
  EXPECT_EQ(static_cast<SignedBytes>(proof.freeAfter) - static_cast<SignedBytes>(proof.freeBefore),
            static_cast<SignedBytes>(proof.actual) + proof.byOthers);
}

TEST(Proof, WorksOutTheLinesOfARunThatWasCutShort) {
  Case c;
  c.gone();
  const auto lines = outcomesOfRecords(std::span(&c.record, 1));
  ASSERT_EQ(lines.size(), 1u);
  EXPECT_EQ(lines[0].state, LineOutcome::State::done);
  EXPECT_EQ(lines[0].freed.sure, 12288u);
  EXPECT_TRUE(outcomesOfRecords({}).empty());
}

TEST(Proof, TellsPeopleOfNoDifferenceThatAFileSystemsOwnStructuresMake) {
  ProofReason reason;
  reason.kind = ProofReason::Kind::driveDiffers;
  reason.bytes = -65'535;
  EXPECT_FALSE(worthSaying(reason));
  reason.bytes = -65'536;
  EXPECT_TRUE(worthSaying(reason));
  reason = {ProofReason::Kind::held, 10, {}, 1, {}};
  EXPECT_TRUE(worthSaying(reason));
}

TEST(Proof, WithoutRunsReadsTheDriveOnly) {
  Case c;
  const auto proof = prove(c.m->guarded(c.open), {}, {{TargetOrigin::task, "t", "", 1, true}}, 9).value();
  EXPECT_EQ(proof.freeBefore, proof.freeAfter);
  EXPECT_EQ(proof.byOthers, 0);
  EXPECT_TRUE(proof.targets.at(0).met);
  EXPECT_EQ(proof.when, 9);
}

/// What the journal says of the hold is a claim: the drive is asked.
TEST(Proof, LooksWhetherWhatIsHeldLiesThere) {
  Case c;
  c.record.state = ItemState::held;
  c.record.seq = 1;
  c.record.holdFolder = ".zip-tally-hold/0123456789abcdef/run-1";
  c.record.occupied = 12288;
  const ProofLine line = c.prove();
  ASSERT_EQ(line.reasons.size(), 1u);
  EXPECT_EQ(line.reasons[0].kind, Kind::putBack) << "it stands at its old place";
}

TEST(Proof, CountsWhatIsHeld) {
  Case c;
  c.record.state = ItemState::held;
  c.record.occupied = 12288;
  c.run.lines = {c.outcome};
  c.run.records = {c.record};
  EXPECT_EQ(prove(c.m->guarded(c.open), std::span(&c.run, 1), {}, 1)->held, 12288u);
}

/// What waits in memory is written out first; where that fails the counter says nothing.
TEST(Proof, FailsWhereTheDriveCannotBeWrittenOut) {
  class NoSync final : public ForwardingFileSystem {
  public:
    using ForwardingFileSystem::ForwardingFileSystem;
    Result<void> syncAll(const Folder&) override { return fail(Errc::io, "sync"); }
  };
  Case c;
  c.gone();
  GuardedDrive drive = c.m->guarded(c.open);
  drive.files = std::make_shared<NoSync>(borrowed(c.files));
  c.run.lines = {c.outcome};
  c.run.records = {c.record};
  EXPECT_EQ(codeOf(prove(drive, std::span(&c.run, 1), {}, 1)), Errc::io);
}

}  // namespace
}  // namespace zt::test
