// SPDX-License-Identifier: GPL-3.0-or-later
// Rights for steps on the running system: asked for once, whatever kinds of step a plan has.
#include <gtest/gtest.h>

#include "core/reclaim/run.h"
#include "core/reclaim/steps/with_rights.h"
#include "core/reclaim/told_record.h"
#include "support/planned.h"

namespace zt::test {
namespace {

/// Fails by itself: nobody here has the rights.
class Powerless final : public StepExecutor {
public:
  Result<void> check(StepSite&, const JournalRecord&) const override { return {}; }
  Result<void> prepare(StepSite&, JournalRecord&) const override { return {}; }
  Result<void> apply(StepSite&, JournalRecord& r) const override {
    return fail(Errc::notPermitted, "apply", r.path);
  }
  Result<void> verify(StepSite&, JournalRecord&) const override { return {}; }
  bool finishes() const override { return true; }
  Result<void> finish(StepSite&, JournalRecord& r) const override {
    return fail(Errc::notPermitted, "finish", r.path);
  }
  Result<void> undo(StepSite&, JournalRecord& r) const override {
    r.state = ItemState::returned;
    return {};
  }
  Result<void> recover(StepSite& site, JournalRecord& r) const override { return undo(site, r); }
};

/// Somebody who is asked for rights, and gives them or not.
class Asked final : public Privileged {
public:
  bool worthAsking() override { return true; }
  Result<std::unique_ptr<PrivilegedAccess>> start(const PathBytes& root) override {
    return fail(Errc::unsupported, "start", root);
  }
  Result<std::shared_ptr<LiveSession>> startLive(const PathBytes& root, const RightsOrder& order) override {
    orders.push_back(order);
    if (refuses) return fail(Errc::notPermitted, "helper", root);
    return std::shared_ptr<LiveSession>(std::make_shared<Session>(*this));
  }
  class Session final : public LiveSession {
  public:
    explicit Session(Asked& asked) : asked_(asked) {}
    Result<std::string> carryOut(const std::string& phase, const std::string& text,
                                 const std::function<void()>&) override {
      JournalRecord record = recordFromTold(parseJson(text)).value();
      if (!asked_.orders.back().names(record.action, record.path, toJson(record.parameters).dump()))
        return fail(Errc::notPermitted, "step", record.path);
      if (phase == "finish") record.state = ItemState::done;
      if (phase == "undo") record.state = ItemState::returned;
      return toTold(record, {}).dump();
    }

  private:
    Asked& asked_;
  };
  std::vector<RightsOrder> orders;
  bool refuses = false;
};

struct TwoKinds {
  TwoKinds() {
    files.add("a", "x");
    files.add("b", "y");
    measured.emplace(borrowed(files));
    for (const char* name : {"a", "b"}) {
      StepKind kind;
      kind.id = std::string("live-") + name;
      kind.rights = RightsRule::live;
      kind.undo = UndoRule::payBack;
      kind.executor = withRights(std::make_shared<Powerless>());
      steps.add(kind);
      PlanLine line = measured->line(name);
      line.step = steps.find(kind.id);
      plan.lines.push_back(line);
    }
  }
  GuardedDrive drive() {
    GuardedDrive d = measured->guarded(open);
    d.liveRights = std::make_shared<LiveRights>(asked);
    return d;
  }
  RunReport run() { return Runner(drive(), journal, 1).carryOut(plan, consentFor(plan).token, {}).value(); }
  MemoryFileSystem files;
  FakeOpenFiles open;
  std::optional<Measured> measured;
  std::shared_ptr<Asked> asked = std::make_shared<Asked>();
  MemoryJournal journal;
  StepTable steps;
  Plan plan;
};

TEST(LiveRights, AreAskedForOnceForAllKindsOfStepAndOnceMoreToSetBack) {
  TwoKinds t;
  const RunReport report = t.run();
  for (const LineOutcome& line : report.lines) EXPECT_EQ(line.state, LineOutcome::State::done) << line.action;
  ASSERT_EQ(t.asked->orders.size(), 1u);
  EXPECT_EQ(t.asked->orders[0].things.size(), 2u);
  EXPECT_EQ(t.asked->orders[0].consent, consentFor(t.plan).token);
  std::vector<JournalRecord> lent;
  for (const PlanLine& line : t.plan.lines) {
    JournalRecord& r = lent.emplace_back();
    r.action = line.step->id;
    r.path = line.items[0].path;
    r.identity = line.items[0].identity;
    r.state = ItemState::done;
  }
  const auto back = undoRun(t.drive(), t.steps, t.journal, lent, {});
  ASSERT_TRUE(back);
  for (const JournalRecord& r : *back) EXPECT_EQ(r.state, ItemState::returned) << r.path;
  ASSERT_EQ(t.asked->orders.size(), 2u);
  EXPECT_TRUE(t.asked->orders[1].consent.empty()) << "it can only set back";
}

TEST(LiveRights, RefusedOnceAreNotAskedForAgain) {
  TwoKinds t;
  t.asked->refuses = true;
  for (const LineOutcome& line : t.run().lines) {
    ASSERT_EQ(line.problems.size(), 1u);
    EXPECT_EQ(line.problems[0].problem, Errc::notPermitted);
  }
  EXPECT_EQ(t.asked->orders.size(), 1u);
}

}  // namespace
}  // namespace zt::test
