// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/watch.h"

#include <gtest/gtest.h>

#include <atomic>
#include <condition_variable>

#include "core/job/run_ledger.h"
#include "core/reclaim/run.h"
#include "support/code_of.h"
#include "support/planned.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

/// Holds back whoever comes, until it is opened; then tells when the last has gone through.
class Barrier {
public:
  void pass() {
    std::unique_lock lock(mutex_);
    ++inside_;
    changed_.notify_all();
    changed_.wait(lock, [&] { return open_; });
  }
  void left() {
    const std::scoped_lock lock(mutex_);
    --inside_;
    changed_.notify_all();
  }
  /// Lets everybody go on, and waits until they have.
  void open() {
    std::unique_lock lock(mutex_);
    open_ = true;
    changed_.notify_all();
    changed_.wait(lock, [&] { return inside_ == 0; });
  }

private:
  std::mutex mutex_;
  std::condition_variable changed_;
  int inside_ = 0;
  bool open_ = false;
};

/// A step that never comes back from `apply`, and would do harm if it did.
class Hangs final : public StepExecutor {
public:
  explicit Hangs(std::shared_ptr<Barrier> barrier) : barrier_(std::move(barrier)) {}
  Result<void> check(StepSite&, const JournalRecord&) const override { return {}; }
  Result<void> prepare(StepSite&, JournalRecord&) const override { return {}; }
  Result<void> apply(StepSite& site, JournalRecord& r) const override {
    const std::shared_ptr<Barrier> barrier = barrier_;
    barrier->pass();
    const auto gone = site.drive.files->unlink(*site.drive.root, r.path);
    barrier->left();
    return gone;
  }
  Result<void> verify(StepSite&, JournalRecord&) const override { return {}; }
  Result<void> undo(StepSite&, JournalRecord& r) const override {
    return r.state = ItemState::returned, Result<void>{};
  }
  Result<void> recover(StepSite&, JournalRecord& r) const override {
    return r.state = ItemState::returned, Result<void>{};
  }

private:
  std::shared_ptr<Barrier> barrier_;
};

/// A drive that goes away in the middle of unlinking the file "stuck".
class GoesAway final : public ForwardingFileSystem {
public:
  GoesAway(FileSystemPtr below, Barrier& barrier)
      : ForwardingFileSystem(std::move(below)), barrier_(barrier) {}
  Result<void> unlink(const Folder& at, std::string_view name) override {
    if (name != "stuck") return inner_.unlink(at, name);
    barrier_.pass();
    auto gone = inner_.unlink(at, name);
    barrier_.left();
    return gone;
  }

private:
  Barrier& barrier_;
};

struct Worked {
  explicit Worked(FileSystemPtr shown) : m(std::move(shown)) {}
  GuardedDrive guarded() {
    GuardedDrive drive = m.guarded(open);
    drive.answersWithin = std::chrono::milliseconds(30);
    return drive;
  }
  Result<RunReport> run(const Plan& plan) {
    return Runner(guarded(), journal, 1).carryOut(plan, consentFor(plan).token, {});
  }
  Measured m;
  FakeOpenFiles open;
  MemoryJournal journal;
};

TEST(Watch, AStepThatHangsIsTheProblemOfItsLineAndTheEndOfTheRun) {
  MemoryFileSystem files;
  files.add("a", std::string(9000, 'a'));
  files.add("b", std::string(9000, 'b'));
  Worked drive(borrowed(files));
  const auto barrier = std::make_shared<Barrier>();
  StepKind kind = *drive.m.craft->steps.find("discard");
  kind.id = "hangs";
  kind.executor = std::make_shared<Hangs>(barrier);
  Plan plan;
  plan.lines.push_back(drive.m.line("a"));
  plan.lines.back().step = std::make_shared<StepKind>(kind);
  plan.lines.push_back(drive.m.line("b"));
  const auto report = drive.run(plan);
  ASSERT_TRUE(report);
  EXPECT_TRUE(report->unanswered);
  ASSERT_EQ(report->lines.size(), 2);
  EXPECT_EQ(report->lines[0].state, LineOutcome::State::refused);
  ASSERT_EQ(report->lines[0].problems.size(), 1);
  EXPECT_EQ(report->lines[0].problems[0].problem, Errc::unanswered);
  EXPECT_EQ(report->lines[1].state, LineOutcome::State::notReached);
  EXPECT_EQ(drive.journal.in(ItemState::intended).size(), 1) << "told as open, to be settled by a person";
  barrier->open();
  EXPECT_TRUE(files.has("a")) << "what was given up changes nothing when it wakes up";
  EXPECT_TRUE(files.has("b"));
}

/// A rehearsal asks the drive as the run does: what hangs there is told, and what comes after it was not
/// looked at.
TEST(Watch, ARehearsalThatHangsIsToldToo) {
  class HangsAtOnce final : public StepExecutor {
  public:
    explicit HangsAtOnce(std::shared_ptr<Barrier> barrier) : barrier_(std::move(barrier)) {}
    Result<void> check(StepSite&, const JournalRecord&) const override {
      const std::shared_ptr<Barrier> barrier = barrier_;
      barrier->pass();
      barrier->left();
      return {};
    }
    Result<void> prepare(StepSite&, JournalRecord&) const override { return {}; }
    Result<void> apply(StepSite&, JournalRecord&) const override { return {}; }
    Result<void> verify(StepSite&, JournalRecord&) const override { return {}; }
    Result<void> undo(StepSite&, JournalRecord&) const override { return {}; }
    Result<void> recover(StepSite&, JournalRecord&) const override { return {}; }

  private:
    std::shared_ptr<Barrier> barrier_;
  };
  MemoryFileSystem files;
  files.add("a", std::string(9000, 'a'));
  files.add("b", std::string(9000, 'b'));
  Worked drive(borrowed(files));
  const auto barrier = std::make_shared<Barrier>();
  StepKind kind = *drive.m.craft->steps.find("discard");
  kind.id = "hangs";
  kind.executor = std::make_shared<HangsAtOnce>(barrier);
  Plan plan;
  for (const char* path : {"a", "b"}) {
    plan.lines.push_back(drive.m.line(path));
    if (plan.lines.size() == 1) plan.lines.back().step = std::make_shared<StepKind>(kind);
  }
  const auto said = Runner(drive.guarded(), drive.journal, 1).rehearse(plan);
  ASSERT_EQ(said.size(), 2u);
  for (const JournalRecord& r : said) {
    EXPECT_EQ(r.state, ItemState::refused);
    EXPECT_EQ(r.problem, Errc::unanswered);
  }
  barrier->open();
}

TEST(Watch, ADriveThatGoesAwayInTheMiddleLeavesWhatItHadInHandOpen) {
  MemoryFileSystem files;
  for (const char* name : {"d/a", "d/stuck", "d/z"}) files.add(name, std::string(9000, 'x'));
  Barrier barrier;
  Worked drive(std::make_shared<GoesAway>(borrowed(files), barrier));
  Plan plan;
  plan.lines.push_back(drive.m.line("d"));
  const auto report = drive.run(plan);
  ASSERT_TRUE(report);
  EXPECT_TRUE(report->unanswered);
  EXPECT_EQ(report->lines[0].problems[0].problem, Errc::unanswered);
  auto open = drive.journal.in(ItemState::discarding);
  ASSERT_EQ(open.size(), 1);
  // It comes back: the call under way ends, and nothing follows it.
  barrier.open();
  const auto settled = recover(drive.guarded(), drive.m.craft->steps, drive.journal, open, true);
  ASSERT_TRUE(settled);
  EXPECT_EQ((*settled)[0].state, ItemState::gone);
  EXPECT_FALSE(files.has("d/z"));
}

TEST(Watch, PuttingBackEndsTooWhereNothingAnswers) {
  MemoryFileSystem files;
  files.add("a", std::string(9000, 'a'));
  Worked drive(borrowed(files));
  const auto barrier = std::make_shared<Barrier>();
  class NeverReturns final : public StepExecutor {
  public:
    explicit NeverReturns(std::shared_ptr<Barrier> barrier) : barrier_(std::move(barrier)) {}
    Result<void> check(StepSite&, const JournalRecord&) const override { return {}; }
    Result<void> prepare(StepSite&, JournalRecord&) const override { return {}; }
    Result<void> apply(StepSite&, JournalRecord&) const override { return {}; }
    Result<void> verify(StepSite&, JournalRecord&) const override { return {}; }
    Result<void> undo(StepSite&, JournalRecord&) const override {
      const std::shared_ptr<Barrier> barrier = barrier_;
      barrier->pass();
      barrier->left();
      return {};
    }
    Result<void> recover(StepSite&, JournalRecord&) const override { return {}; }

  private:
    std::shared_ptr<Barrier> barrier_;
  };
  StepKind kind = *drive.m.craft->steps.find("hold");
  kind.executor = std::make_shared<NeverReturns>(barrier);
  StepTable steps;
  steps.add(kind);
  Plan plan;
  plan.lines.push_back(drive.m.line("a", "hold"));
  ASSERT_TRUE(drive.run(plan));
  const auto held = drive.journal.in(ItemState::held);
  ASSERT_EQ(held.size(), 1);
  const auto back = undoRun(drive.guarded(), steps, drive.journal, held, {});
  ASSERT_TRUE(back);
  EXPECT_EQ((*back)[0].problem, Errc::unanswered);
  EXPECT_EQ(drive.journal.in(ItemState::returning).size(), 1);
  barrier->open();
}

/// The free counter is asked before and after, and a drive that went away does not answer that either.
TEST(Watch, ACounterThatHangsIsNotWaitedFor) {
  class Counter final : public ForwardingFileSystem {
  public:
    Counter(FileSystemPtr below, std::shared_ptr<Barrier> barrier)
        : ForwardingFileSystem(std::move(below)), barrier_(std::move(barrier)) {}
    Result<void> syncAll(const Folder& at) override {
      if (!hangs || answers-- > 0) return inner_.syncAll(at);
      barrier_->pass();
      barrier_->left();
      return {};
    }
    std::atomic<bool> hangs{true};
    std::atomic<int> answers{0};  ///< so often before it hangs

  private:
    std::shared_ptr<Barrier> barrier_;
  };
  MemoryFileSystem files;
  files.add("a", std::string(9000, 'a'));
  const auto barrier = std::make_shared<Barrier>();
  const auto counter = std::make_shared<Counter>(borrowed(files), barrier);
  Worked drive(counter);
  const TempFolder t;
  auto file = JobFile::create(t / "a.ztjob").value();
  const Workshop shop = realWorkshop();
  RunLedger ledger(shop, *file);
  Plan plan;
  plan.lines.push_back(drive.m.line("a", "hold"));
  const auto carryOut = [&] { return ledger.carryOut(drive.guarded(), plan, consentFor(plan).token, {}); };
  EXPECT_EQ(codeOf(carryOut()), Errc::unanswered);
  EXPECT_TRUE(files.has("a"));
  counter->hangs = false;
  ASSERT_TRUE(carryOut());
  ASSERT_FALSE(files.has("a"));
  counter->hangs = true;
  EXPECT_EQ(codeOf(ledger.undo(drive.guarded(), 1, {})), Errc::unanswered);
  EXPECT_EQ(ledger.held().value().size(), 1u);
  // It hangs when all is done: what was done counts, and nobody waits.
  counter->answers = 1;
  const auto undone = ledger.undo(drive.guarded(), 1, {});
  ASSERT_TRUE(undone);
  EXPECT_EQ(undone->size(), 1u);
  EXPECT_TRUE(files.has("a"));
  barrier->open();
}

/// A drive that cannot be written out has no counter to go by: no run begins.
TEST(Watch, WithoutACounterNothingBegins) {
  class Failing final : public ForwardingFileSystem {
  public:
    explicit Failing(FileSystemPtr below) : ForwardingFileSystem(std::move(below)) {}
    Result<void> syncAll(const Folder& at) override {
      if (fails-- > 0) return fail(Errc::io, "sync");
      return inner_.syncAll(at);
    }
    std::atomic<int> fails{1};
  };
  MemoryFileSystem files;
  files.add("a", std::string(9000, 'a'));
  Worked drive(std::make_shared<Failing>(borrowed(files)));
  const TempFolder t;
  auto file = JobFile::create(t / "a.ztjob").value();
  const Workshop shop = realWorkshop();
  RunLedger ledger(shop, *file);
  Plan plan;
  plan.lines.push_back(drive.m.line("a", "discard"));
  EXPECT_EQ(codeOf(ledger.carryOut(drive.guarded(), plan, consentFor(plan).token, {})), Errc::io);
  EXPECT_TRUE(files.has("a"));
}

TEST(Watch, WhoTakesLongButAnswersIsNotGivenUp) {
  Watch watch(std::chrono::milliseconds(40));
  JournalRecord record;
  bool done = false;
  EXPECT_TRUE(watch.run([&] {
    done = watch
               .ask(record,
                    [&](JournalRecord&) -> Result<void> {
                      for (int i = 0; i < 20; ++i) {
                        std::this_thread::sleep_for(std::chrono::milliseconds(5));
                        watch.alive()();
                      }
                      return {};
                    })
               .has_value();
  }));
  EXPECT_TRUE(done);
}

}  // namespace
}  // namespace zt::test
