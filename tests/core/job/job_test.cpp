// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/job.h"

#include <gtest/gtest.h>

#include "core/job/outcome_json.h"
#include "support/fakes.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

class JobTest : public ::testing::Test {
protected:
  void SetUp() override {
    t.file("drive/a/big", 3'000'000);
    t.file("drive/a/more", 2'000'000);
    t.file("drive/b", 9'000);
    job = Job::create(real.ports, t / "drive", false, {}).value();
    ASSERT_TRUE(job->measure({}, {}, nullptr));
  }
  void plan(const PathBytes& path, StepAction action) {
    const auto find = job->pick(path);
    ASSERT_TRUE(find);
    ASSERT_TRUE(job->addToPlan(**find, action));
  }
  RunReport run() { return job->reclaim(job->consent().token, {}, {}).value(); }

  TempFolder t;
  RealSystem real;
  std::unique_ptr<Job> job;
};

TEST_F(JobTest, PlansByPathAndGivesTheExactGain) {
  plan("a", StepAction::discard);
  EXPECT_EQ(job->planned().sure, job->survey()->tree.totals(*job->survey()->tree.find("a")).exclusive);
  EXPECT_EQ(job->pick("none").error().code, Errc::notThere);
  EXPECT_EQ(job->pick("../drive").error().code, Errc::outsideRoot);
  EXPECT_EQ(job->dropFromPlan("no-such-line").error().code, Errc::notThere);
}

TEST_F(JobTest, RefusesToHoldAndDiscardTheSameThing) {
  plan("a", StepAction::hold);
  const auto find = job->pick("a/big");
  EXPECT_EQ(job->addToPlan(**find, StepAction::discard).error().code, Errc::conflict);
  EXPECT_EQ(job->plan().lines.size(), 1u);
}

TEST_F(JobTest, DropsLinesThatAreDoneAndKeepsTheOthers) {
  plan("a/big", StepAction::discard);
  plan("b", StepAction::discard);
  t.file("drive/b", 9'001);
  const RunReport report = run();
  EXPECT_EQ(report.lines[0].state, LineOutcome::State::done);
  EXPECT_EQ(report.lines[1].state, LineOutcome::State::refused);
  ASSERT_EQ(job->plan().lines.size(), 1u);
  EXPECT_EQ(job->plan().lines[0].items[0].path, "b");
  EXPECT_TRUE(job->stale());
}

TEST_F(JobTest, KeepsPlanLinesThroughAnotherMeasurement) {
  plan("a/big", StepAction::hold);
  plan("b", StepAction::discard);
  ASSERT_TRUE(job->measure({}, {}, nullptr));
  // Picked finds are not detected again; what a detector finds again stays on the plan.
  for (const auto& line : job->plan().lines) EXPECT_NE(job->find(line.id), nullptr);
  EXPECT_FALSE(job->stale());
}

TEST_F(JobTest, ReleasesHeldThingsAfterAnotherMeasurement) {
  plan("a", StepAction::hold);
  run();
  EXPECT_FALSE(t.has("drive/a"));
  ASSERT_TRUE(job->measure({}, {}, nullptr));
  const Consent consent = job->releaseConsent().value();
  ASSERT_EQ(consent.lines.size(), 1u);
  EXPECT_EQ(job->release("no", {}).error().code, Errc::noConsent);
  const auto gone = job->release(consent.token, {}).value();
  EXPECT_EQ(gone[0].state, ItemState::gone);
  EXPECT_FALSE(t.has("drive/.zip-tally-hold"));
}

TEST_F(JobTest, PutsHeldThingsBackAfterAnotherMeasurement) {
  plan("a", StepAction::hold);
  run();
  ASSERT_TRUE(job->measure({}, {}, nullptr));
  EXPECT_EQ(job->undo(0, {}).value()[0].state, ItemState::returned);
  EXPECT_TRUE(t.has("drive/a/big"));
  EXPECT_TRUE(job->heldItems()->empty());
}

TEST_F(JobTest, MarksSetFindsApartAndTakeThemOffThePlan) {
  plan("a/big", StepAction::discard);
  const std::string id = job->plan().lines[0].id;
  ASSERT_TRUE(job->mark("a/big", Mark::kept));
  EXPECT_TRUE(job->plan().lines.empty());
  EXPECT_EQ(job->find(id)->standing, Standing::kept);
  EXPECT_EQ(job->markOf("a/big/inside"), Mark::kept);
  ASSERT_TRUE(job->mark("a/big", std::nullopt));
  EXPECT_EQ(job->find(id)->standing, Standing::unjudged);
}

TEST_F(JobTest, ProposesAroundWhatIsMarked) {
  ASSERT_TRUE(job->addTarget("", "4096"));
  std::vector<Target> targets = job->targets();
  targets[0].bytes = job->freeNow() + 1'000'000;
  ASSERT_TRUE(job->setTargets(targets));
  ASSERT_TRUE(job->pick("a/big"));
  ASSERT_TRUE(job->pick("a/more"));
  ASSERT_TRUE(job->mark("a/big", Mark::kept));
  const Proposal p = job->propose({}).value();
  ASSERT_TRUE(p.reached);
  for (const auto& line : p.plan.lines) EXPECT_NE(line.items[0].path, "a/big");
}

TEST_F(JobTest, HasNothingToProposeWhenTheTargetIsMet) {
  ASSERT_TRUE(job->addTarget("", "4096"));
  const Proposal p = job->propose({}).value();
  EXPECT_TRUE(p.reached);
  EXPECT_TRUE(p.plan.lines.empty());
}

TEST_F(JobTest, RefusesTargetsThatAreNone) {
  for (const char* amount : {"", "-3GB", "120%", "x", "9999PB"})
    EXPECT_EQ(job->addTarget("t", amount).error().code, Errc::badInput) << amount;
}

TEST_F(JobTest, RehearsesWithoutTouching) {
  plan("a/big", StepAction::discard);
  plan("b", StepAction::discard);
  t.file("drive/b", 1);
  const auto checked = job->rehearse().value();
  ASSERT_EQ(checked.size(), 2u);
  EXPECT_EQ(checked[0].state, ItemState::intended);
  EXPECT_EQ(checked[1].problem, Errc::changed);
  EXPECT_TRUE(t.has("drive/a/big"));
  EXPECT_FALSE(t.has("drive/.zip-tally-hold"));
}

TEST_F(JobTest, ProvesWhatARunDid) {
  plan("a", StepAction::discard);
  const RunReport report = run();
  const Proof proof = job->prove().value();
  ASSERT_EQ(proof.lines.size(), 1u) << "a job in memory proves its runs too";
  EXPECT_EQ(proof.lines[0].actual, report.lines[0].promised);
  EXPECT_EQ(proof.actual, proof.promised);
  const auto json = toJson(proof);
  EXPECT_EQ(json["lines"][0]["actual_bytes"], proof.actual);
  EXPECT_EQ(json["lines"][0]["example"], "a");
}

TEST(OutcomeJson, RoundTripsAndRefusesTheRest) {
  RunReport report;
  LineOutcome o;
  o.line = "large-1";
  o.action = StepAction::hold;
  o.state = LineOutcome::State::partly;
  o.promised = 5;
  o.items = 3;
  o.itemsDone = 2;
  report.lines.push_back(o);
  const auto back = outcomesFromJson(toJson(report)).value();
  EXPECT_EQ(back[0].state, LineOutcome::State::partly);
  EXPECT_EQ(back[0].action, StepAction::hold);
  EXPECT_EQ(back[0].itemsDone, 2u);
  EXPECT_FALSE(outcomesFromJson({}));
  EXPECT_FALSE(outcomesFromJson({{"lines", {1}}}));
  EXPECT_FALSE(targetsFromJson({{"a", 1}}));
  const Target target{TargetOrigin::tenPercent, "", "10%", 7, true};
  EXPECT_EQ(targetsFromJson(nlohmann::json::array({toJson(target)})).value()[0].origin,
            TargetOrigin::tenPercent);
}

TEST(JobCreate, FailsOnWhatIsNotThere) {
  TempFolder t;
  t.file("file", 1);
  RealSystem real;
  EXPECT_EQ(Job::create(real.ports, t / "none", false, {}).error().code, Errc::notThere);
  EXPECT_EQ(Job::create(real.ports, t / "file", false, {}).error().code, Errc::notAFolder);
  EXPECT_EQ(Job::create(real.ports, t.path(), true, {}).error().code, Errc::notOurs);
}

TEST(JobOpen, RefusesAJobWhoseDriveIsAnother) {
  TempFolder t;
  t.file("si/drive/x", 1);
  const auto manifest = [](const char* id) {
    return std::string(
               R"({"format":"zip-tally-stand-in","version":1,"role":"data","kind":"rotating","capacity_bytes":1000000,"id":")") +
           id + "\"}";
  };
  t.file("si/manifest.json", manifest("one"));
  RealSystem real;
  Job::create(real.ports, t / "si", true, {t / "a.ztjob", false}).value();
  EXPECT_TRUE(Job::open(real.ports, t / "a.ztjob"));
  t.file("si/manifest.json", manifest("two"));
  EXPECT_EQ(Job::open(real.ports, t / "a.ztjob").error().code, Errc::changed);
}

}  // namespace
}  // namespace zt::test
