// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/steps/hold_place.h"

#include <gtest/gtest.h>

#include "core/reclaim/held_things.h"
#include "core/reclaim/run.h"
#include "support/code_of.h"
#include "support/fault_file_system.h"
#include "support/planned.h"

namespace zt::test {
namespace {

struct Fixture {
  Fixture() {
    files.add("a/b/item", std::string(5000, 'x'));
    files.add("a/b/folder/f1", std::string(100, 'x'));
    files.add("a/b/folder/sub/f2", std::string(100, 'x'));
    m = std::make_unique<Measured>(borrowed(files));
    drive = std::make_unique<GuardedDrive>(m->guarded(open));
  }
  JournalRecord record(const PathBytes& path, std::int64_t seq = 1) const {
    JournalRecord r;
    r.run = 4;
    r.seq = seq;
    r.path = path;
    r.identity = m->survey->tree.identity(*m->survey->tree.find(path));
    const Bytes weight = m->survey->tree.weight(*m->survey->tree.find(path));
    r.promised = {weight, weight};
    r.action = "hold";
    return r;
  }
  MemoryFileSystem files;
  FakeOpenFiles open;
  std::unique_ptr<Measured> m;
  std::unique_ptr<GuardedDrive> drive;
};

TEST(Hold, ChoosesTheTopOfTheDrive) {
  Fixture f;
  HoldPlace hold(*f.drive, 4);
  auto r = f.record("a/b/item");
  ASSERT_TRUE(hold.choose(r));
  EXPECT_EQ(r.holdFolder, ".zip-tally-hold/0123456789abcdef/run-4");
  EXPECT_TRUE(f.files.has(".zip-tally-hold/0123456789abcdef/run-4"));
}

TEST(Hold, GoesDownWhereTheTopMayNotBeWritten) {
  Fixture f;
  FaultFileSystem guarded(borrowed(f.files),
                          [&](std::string_view call, std::string_view name) -> Result<void> {
                            static int refused = 0;
                            if (call == "make-folder" && name == holdName && refused++ < 2)
                              return fail(Errc::notPermitted, call, std::string(name));
                            return {};
                          });
  GuardedDrive drive = f.m->guarded(f.open);
  drive.files = borrowed(guarded);
  HoldPlace hold(drive, 4);
  auto r = f.record("a/b/item");
  ASSERT_TRUE(hold.choose(r));
  EXPECT_EQ(r.holdFolder, "a/b/.zip-tally-hold/0123456789abcdef/run-4");
}

TEST(Hold, LiesInTheSubvolumeOfTheItem) {
  Fixture f;
  f.files.add("a/b/")->stat.device = 9;
  f.files.add("a/b/item")->stat.device = 9;
  HoldPlace hold(*f.drive, 4);
  auto r = f.record("a/b/item");
  const auto made = hold.choose(r);
  ASSERT_TRUE(made);
  EXPECT_EQ(r.holdFolder, "a/b/.zip-tally-hold/0123456789abcdef/run-4");
}

TEST(Hold, TakesOnlyWhatWasMeasured) {
  Fixture f;
  HoldPlace hold(*f.drive, 4);
  auto r = f.record("a/b/item");
  ASSERT_TRUE(hold.choose(r));
  auto other = r;
  other.identity.modified += 1;
  EXPECT_EQ(codeOf(hold.take(other, {})), Errc::changed);
  other = r;
  other.identity.changedMark += 1;
  EXPECT_EQ(codeOf(hold.take(other, {})), Errc::changed);
  ASSERT_TRUE(hold.take(r, {}));
  EXPECT_TRUE(hold.holds(r).value());
  EXPECT_FALSE(f.files.has("a/b/item"));
  EXPECT_EQ(codeOf(hold.take(r, {})), Errc::notThere);
}

TEST(Hold, LooksThroughAWholeFolder) {
  Fixture f;
  HoldPlace hold(*f.drive, 4);
  auto r = f.record("a/b/folder");
  ASSERT_TRUE(hold.choose(r));
  ASSERT_TRUE(hold.take(r, {}));
  EXPECT_TRUE(hold.lookAt(r, {}));
  f.files.add(r.holdFolder + "/1/sub/f2", "other content, other time")->stat.modified += 1;
  EXPECT_EQ(codeOf(hold.lookAt(r, {})), Errc::changed);
}

TEST(Hold, SeesWhatIsMissingAndWhatIsNew) {
  for (const bool missing : {true, false}) {
    Fixture f;
    HoldPlace hold(*f.drive, 4);
    auto r = f.record("a/b/folder");
    ASSERT_TRUE(hold.choose(r));
    if (missing) {
      const auto sub = f.files.openBeneath(*f.m->root, "a/b/folder/sub").value();
      ASSERT_TRUE(f.files.unlink(*sub, "f2"));
    } else {
      f.files.add("a/b/folder/sub/new", "n");
    }
    ASSERT_TRUE(hold.take(r, {}));
    EXPECT_EQ(codeOf(hold.lookAt(r, {})), Errc::changed) << missing;
    ASSERT_TRUE(hold.putBack(r));
    EXPECT_TRUE(f.files.has("a/b/folder/f1"));
  }
}

TEST(Hold, PutsBackIntoAFolderThatWasRemovedMeanwhile) {
  Fixture f;
  HoldPlace hold(*f.drive, 4);
  auto r = f.record("a/b/folder");
  ASSERT_TRUE(hold.choose(r));
  ASSERT_TRUE(hold.take(r, {}));
  const auto b = f.files.openBeneath(*f.m->root, "a/b").value();
  ASSERT_TRUE(f.files.unlink(*b, "item"));
  ASSERT_TRUE(f.files.removeFolder(*f.files.openBeneath(*f.m->root, "a").value(), "b"));
  ASSERT_TRUE(hold.putBack(r));
  EXPECT_TRUE(f.files.has("a/b/folder/sub/f2"));
}

TEST(Hold, StopsUnlinkingAtWhatWasNotMeasured) {
  Fixture f;
  HoldPlace hold(*f.drive, 4);
  auto r = f.record("a/b/folder");
  ASSERT_TRUE(hold.choose(r));
  ASSERT_TRUE(hold.take(r, {}));
  f.files.add(r.holdFolder + "/1/stranger", "not ours");
  EXPECT_EQ(codeOf(hold.unlinkHeld(r)), Errc::changed);
  EXPECT_TRUE(f.files.has(r.holdFolder + "/1/stranger"));
}

TEST(Hold, FinishesARemovalThatWasCutShort) {
  Fixture f;
  HoldPlace hold(*f.drive, 4);
  auto r = f.record("a/b/folder");
  ASSERT_TRUE(hold.choose(r));
  ASSERT_TRUE(hold.take(r, {}));
  const auto held = f.files.openBeneath(*f.m->root, r.holdFolder + "/1").value();
  ASSERT_TRUE(f.files.unlink(*held, "f1"));
  ASSERT_TRUE(hold.unlinkHeld(r));
  EXPECT_FALSE(f.files.has(r.holdFolder + "/1"));
}

TEST(Hold, CountsBytesWhereTheLastNameGoes) {
  Fixture f;
  HoldPlace hold(*f.drive, 4);
  auto r = f.record("a/b/folder");
  ASSERT_TRUE(hold.choose(r));
  ASSERT_TRUE(hold.take(r, {}));
  ASSERT_TRUE(hold.unlinkHeld(r));
  EXPECT_EQ(r.freed, r.promised);
  EXPECT_EQ(r.linksRemain, 0u);
}

TEST(Hold, NamesWhatItPutsBesideWithinTheLimitOfNames) {
  EXPECT_EQ(HoldPlace::besideName("film.mp4", 2), "film.mp4.put-back-2");
  EXPECT_EQ(HoldPlace::besideName(std::string(255, 'n'), 12).size(), 255u);
}

TEST(CheckOnPaper, KnowsEveryReasonToRefuse) {
  MemoryFileSystem files;
  files.add("usr/lib/x", "x");
  files.add("home/w/doc", "x");
  files.add(".zip-tally-hold/run-1/1", "x");
  FakeOpenFiles open;
  const Measured m(borrowed(files), "/", true);
  const GuardedDrive drive = m.guarded(open);
  const auto code = [&](const PathBytes& path) {
    Subject item;
    item.path = path;
    if (const auto node = m.survey->tree.find(path)) item.identity = m.survey->tree.identity(*node);
    const auto checked = checkOnPaper(drive, item);
    return checked ? Errc::io : checked.error().code;
  };
  EXPECT_EQ(code("home/w/doc"), Errc::io) << "nothing to refuse";
  EXPECT_EQ(code("usr/lib/x"), Errc::bedrock);
  EXPECT_EQ(code("home"), Errc::bedrock);
  EXPECT_EQ(code(".zip-tally-hold"), Errc::bedrock);
  EXPECT_EQ(code(".zip-tally-hold/run-1/1"), Errc::bedrock);
  EXPECT_EQ(code(""), Errc::outsideRoot);
  EXPECT_EQ(code("/home/w/doc"), Errc::outsideRoot);
  EXPECT_EQ(code("home/../home/w/doc"), Errc::outsideRoot);
  EXPECT_EQ(code("home/w/none"), Errc::notThere);
}

TEST(CheckOnPaper, RefusesFoldersThatCouldNotBeLookedInto) {
  MemoryFileSystem files;
  files.add("data/closed/x", "x");
  FakeOpenFiles open;
  const Measured m(borrowed(files));
  m.survey->exceptions.push_back(
      {SurveyException::Kind::unreadable, 13, *m.survey->tree.find("data/closed")});
  Subject item;
  item.path = "data";
  item.identity = m.survey->tree.identity(*m.survey->tree.find("data"));
  const auto refused = [&] {
    GuardedDrive drive = m.guarded(open);
    drive.context = contextOf(m.survey);
    return codeOf(checkOnPaper(drive, item));
  };
  EXPECT_EQ(refused(), Errc::notPermitted);
  m.survey->exceptions[0].kind = SurveyException::Kind::mountedOver;
  EXPECT_EQ(refused(), Errc::inUse);
}

/// Every open state and every place the item can be in: recovery ends in a state that is true.
TEST(Recover, EndsInATrueStateWhateverTheCrashLeft) {
  for (const ItemState state : {ItemState::intended, ItemState::discarding, ItemState::returning})
    for (const int place : {0, 1, 2}) {  // at its old place, in the hold, in neither
      Fixture f;
      MemoryJournal journal;
      HoldPlace hold(*f.drive, 4);
      auto r = f.record("a/b/item");
      ASSERT_TRUE(hold.choose(r));
      if (place > 0) {
        ASSERT_TRUE(hold.take(r, {}));
      }
      if (place == 2) {
        ASSERT_TRUE(f.files.unlink(*f.files.openBeneath(*f.m->root, r.holdFolder).value(), "1"));
      }
      r.state = state;
      const auto settled = recover(*f.drive, f.m->craft->steps, journal, {r}).value();
      const bool there = f.files.has("a/b/item");
      switch (settled[0].state) {
        case ItemState::returned:
          EXPECT_TRUE(there);
          break;
        case ItemState::gone:
          EXPECT_EQ(state, ItemState::discarding);
          break;
        case ItemState::missing:
          EXPECT_FALSE(there);
          break;
        default:
          ADD_FAILURE() << name(settled[0].state);
      }
      EXPECT_EQ(journal.last.size(), 1u);
    }
}

TEST(Undo, StopsBetweenItemsAndLeavesTheRestHeld) {
  Fixture f;
  MemoryJournal journal;
  HoldPlace hold(*f.drive, 4);
  auto r = f.record("a/b/item");
  ASSERT_TRUE(hold.choose(r));
  ASSERT_TRUE(hold.take(r, {}));
  r.state = ItemState::held;
  std::stop_source stop;
  stop.request_stop();
  EXPECT_EQ(undoRun(*f.drive, f.m->craft->steps, journal, {r}, stop.get_token()).value()[0].state,
            ItemState::held);
  EXPECT_TRUE(hold.holds(r).value());
}

TEST(Release, KeepsWhatIsOpen) {
  Fixture f;
  MemoryJournal journal;
  HoldPlace hold(*f.drive, 4);
  auto r = f.record("a/b/item");
  ASSERT_TRUE(hold.choose(r));
  ASSERT_TRUE(hold.take(r, {}));
  r.state = ItemState::held;
  f.open.files.push_back({9, "player", 0, r.identity.inode, false, 0});
  const auto released = releaseRun(*f.drive, f.m->craft->steps, journal, {r}, {}).value();
  EXPECT_EQ(released[0].state, ItemState::held);
  EXPECT_EQ(released[0].problem, Errc::inUse);
  f.open.files.clear();
  EXPECT_EQ(releaseRun(*f.drive, f.m->craft->steps, journal, {r}, {}).value()[0].state, ItemState::gone);
}

TEST(Consent, FitsExactlyOnePlan) {
  Fixture f;
  Plan plan;
  plan.lines.push_back(f.m->line("a/b/item"));
  const std::string token = consentFor(plan).token;
  EXPECT_EQ(token.size(), 32u);
  EXPECT_EQ(consentFor(plan).token, token);
  Plan other = plan;
  other.lines[0].items[0].identity.inode += 1;
  EXPECT_NE(consentFor(other).token, token);
  other = plan;
  other.lines[0].items[0].path += "x";
  EXPECT_NE(consentFor(other).token, token);
  other = plan;
  other.lines.push_back(f.m->line("a/b/folder"));
  EXPECT_NE(consentFor(other).token, token);
  other = plan;
  other.lines[0].enabled = false;
  EXPECT_TRUE(consentFor(other).token.empty()) << "nothing irreversible is left";
}

TEST(Conflicts, HoldingAndDiscardingTheSameThingIsRefused) {
  Fixture f;
  const auto clash = [&](const char* held, const char* discarded) {
    Plan plan;
    plan.lines.push_back(f.m->line(held, "hold"));
    plan.lines.push_back(f.m->line(discarded, "discard"));
    return !checkConflicts(plan, *f.m->context);
  };
  EXPECT_TRUE(clash("a/b/folder", "a/b/folder/sub"));
  EXPECT_TRUE(clash("a/b/folder/sub", "a/b/folder"));
  EXPECT_TRUE(clash("a/b/item", "a/b/item"));
  EXPECT_FALSE(clash("a/b/item", "a/b/folder"));
}

}  // namespace
}  // namespace zt::test
