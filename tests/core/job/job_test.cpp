// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/job.h"

#include <gtest/gtest.h>

#include "core/job/outcome_json.h"
#include "core/os/forwarding_file_system.h"
#include "support/code_of.h"
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
    job = Job::create(real, t / "drive", false, {}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  }
  void plan(const PathBytes& path, std::string_view action) {
    ASSERT_TRUE(job->planBook().addPaths({path}, action));
  }
  RunReport run() { return job->reclaim(job->planBook().consent().token, {}).value(); }
  PlanBook& book() { return job->planBook(); }
  const Find* find(std::string_view id) { return job->surveys().find(id); }

  TempFolder t;
  const Workshop real = realWorkshop();
  std::unique_ptr<Job> job;
};

TEST_F(JobTest, PlansByPathAndGivesTheExactGain) {
  plan("a", "discard");
  EXPECT_EQ(book().planned().sure,
            job->surveys().survey()->tree.totals(*job->surveys().survey()->tree.find("a")).exclusive);
  EXPECT_EQ(codeOf(job->planBook().addPaths({"none"}, "hold")), Errc::notThere);
  EXPECT_EQ(codeOf(job->planBook().addPaths({"../drive"}, "hold")), Errc::outsideRoot);
  EXPECT_EQ(codeOf(book().drop("no-such-line")), Errc::notThere);
}

TEST_F(JobTest, RefusesToHoldAndDiscardTheSameThing) {
  plan("a", "hold");
  EXPECT_EQ(codeOf(job->planBook().addPaths({"a/big"}, "discard")), Errc::conflict);
  EXPECT_EQ(book().plan().lines.size(), 1u);
}

TEST_F(JobTest, DropsLinesThatAreDoneAndKeepsTheOthers) {
  plan("a/big", "discard");
  plan("b", "discard");
  t.file("drive/b", 9'001);
  const RunReport report = run();
  EXPECT_EQ(report.lines[0].state, LineOutcome::State::done);
  EXPECT_EQ(report.lines[1].state, LineOutcome::State::refused);
  ASSERT_EQ(book().plan().lines.size(), 1u);
  EXPECT_EQ(book().plan().lines[0].items[0].path, "b");
  EXPECT_TRUE(job->reading().stale);
}

TEST_F(JobTest, KeepsPlanLinesThroughAnotherMeasurement) {
  plan("a/big", "hold");
  plan("b", "discard");
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  // Picked finds are not detected again; what a detector finds again stays on the plan.
  for (const auto& line : book().plan().lines) EXPECT_NE(find(line.id), nullptr);
  EXPECT_FALSE(job->reading().stale);
}

TEST_F(JobTest, ReleasesHeldThingsAfterAnotherMeasurement) {
  plan("a", "hold");
  run();
  EXPECT_FALSE(t.has("drive/a"));
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  const Consent consent = job->runs().releaseConsent().value();
  ASSERT_EQ(consent.lines.size(), 1u);
  EXPECT_EQ(codeOf(job->release("no", {})), Errc::noConsent);
  const auto gone = job->release(consent.token, {}).value();
  EXPECT_EQ(gone[0].state, ItemState::gone);
  EXPECT_FALSE(t.has("drive/.zip-tally-hold"));
}

TEST_F(JobTest, PutsHeldThingsBackAfterAnotherMeasurement) {
  plan("a", "hold");
  run();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  EXPECT_EQ(job->undo(0, {}).value()[0].state, ItemState::returned);
  EXPECT_TRUE(t.has("drive/a/big"));
  EXPECT_TRUE(job->runs().held()->empty());
}

TEST_F(JobTest, MarksSetFindsApartAndTakeThemOffThePlan) {
  plan("a/big", "discard");
  const std::string id = book().plan().lines[0].id;
  ASSERT_TRUE(book().mark({"a/big"}, Mark::keep));
  EXPECT_TRUE(book().plan().lines.empty());
  EXPECT_EQ(find(id)->standing, Standing::kept);
  EXPECT_EQ(book().marks().of("a/big/inside"), Mark::keep);
  ASSERT_TRUE(book().mark({"a/big"}, std::nullopt));
  EXPECT_EQ(find(id)->standing, Standing::unjudged);
}

TEST_F(JobTest, ProposesAroundWhatIsMarked) {
  ASSERT_TRUE(job->planBook().addTarget("", "4096"));
  std::vector<Target> targets = book().targets();
  targets[0].bytes = job->reading().free + 1'000'000;
  ASSERT_TRUE(book().setTargets(targets));
  ASSERT_TRUE(book().mark({"a"}, Mark::mayGo));
  ASSERT_TRUE(book().mark({"a/big"}, Mark::keep));
  const Proposal p = job->planBook().propose({}).value();
  ASSERT_TRUE(p.reached);
  for (const auto& line : p.plan.lines) EXPECT_NE(line.items[0].path, "a/big");
}

TEST_F(JobTest, HasNothingToProposeWhenTheTargetIsMet) {
  ASSERT_TRUE(job->planBook().addTarget("", "4096"));
  const Proposal p = job->planBook().propose({}).value();
  EXPECT_TRUE(p.reached);
  EXPECT_TRUE(p.plan.lines.empty());
}

TEST_F(JobTest, RefusesTargetsThatAreNone) {
  for (const char* amount : {"", "-3GB", "120%", "x", "9999PB"})
    EXPECT_EQ(codeOf(job->planBook().addTarget("t", amount)), Errc::badInput) << amount;
}

TEST_F(JobTest, RehearsesWithoutTouching) {
  plan("a/big", "discard");
  plan("b", "discard");
  t.file("drive/b", 1);
  const auto checked = job->rehearse().value();
  ASSERT_EQ(checked.size(), 2u);
  EXPECT_EQ(checked[0].state, ItemState::intended);
  EXPECT_EQ(checked[1].problem, Errc::changed);
  EXPECT_TRUE(t.has("drive/a/big"));
  EXPECT_FALSE(t.has("drive/.zip-tally-hold"));
}

TEST_F(JobTest, ProvesWhatARunDid) {
  plan("a", "discard");
  const RunReport report = run();
  const Proof proof = job->prove().value();
  ASSERT_EQ(proof.lines.size(), 1u) << "a job in memory proves its runs too";
  EXPECT_EQ(proof.lines[0].promised.sure, report.lines[0].promised.sure);
  EXPECT_EQ(proof.promised, report.lines[0].promised.sure);
  const auto json = toJson(proof);
  EXPECT_EQ(json["lines"][0]["actual_bytes"], proof.actual);
  EXPECT_EQ(json["lines"][0]["example"], "a");
}

TEST(OutcomeJson, RoundTripsAndRefusesTheRest) {
  RunReport report;
  report.run = 3;
  LineOutcome o;
  o.line = "large-1";
  o.action = "hold";
  o.state = LineOutcome::State::partly;
  o.promised = {5, 7};
  o.items = 3;
  o.itemsDone = 2;
  report.lines.push_back(o);
  const auto back = reportFromJson(toJson(report)).value();
  EXPECT_EQ(back.run, 3);
  EXPECT_EQ(back.lines[0].state, LineOutcome::State::partly);
  EXPECT_EQ(back.lines[0].action, "hold");
  EXPECT_EQ(back.lines[0].promised, o.promised);
  EXPECT_EQ(back.lines[0].itemsDone, 2u);
  EXPECT_FALSE(reportFromJson(Json::object()));
  EXPECT_FALSE(reportFromJson({{"lines", {1}}}));
  EXPECT_FALSE(targetsFromJson({{"a", 1}}));
  Target target;
  target.origin = TargetOrigin::tenPercent;
  target.amount = "10%";
  target.bytes = 7;
  target.whileItRuns = true;
  const auto targets = targetsFromJson(Json::array({toJson(target)})).value();
  EXPECT_EQ(targets[0].origin, TargetOrigin::tenPercent);
  EXPECT_TRUE(targets[0].whileItRuns);
}

TEST(JobCreate, FailsOnWhatIsNotThere) {
  TempFolder t;
  t.file("file", 1);
  const Workshop real = realWorkshop();
  EXPECT_EQ(codeOf(Job::create(real, t / "none", false, {})), Errc::notThere);
  auto one = Job::create(real, t / "file", false, {}).value();
  ASSERT_TRUE(one->measurer().measure({}, {}, nullptr));
  EXPECT_TRUE(one->surveys().survey()->tree.find("file")) << "a single file is measured with its folder";
  EXPECT_EQ(codeOf(Job::create(real, t.path(), true, {})), Errc::notOurs);
}

/// The free bytes of before are only then of before when all that was written is counted.
TEST(JobReclaim, BeginsNothingWhereTheDriveCannotBeWrittenOut) {
  class NoSync final : public ForwardingFileSystem {
  public:
    using ForwardingFileSystem::ForwardingFileSystem;
    Result<void> syncAll(const Folder&) override { return fail(Errc::io, "sync"); }
  };
  TempFolder t;
  t.file("drive/a/big", 3'000'000);
  Workshop shop = realWorkshop();
  shop.files = std::make_shared<NoSync>(shop.files);
  auto job = Job::create(shop, t / "drive", false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  ASSERT_TRUE(job->planBook().addPaths({"a/big"}, "discard"));
  EXPECT_EQ(codeOf(job->reclaim(job->planBook().consent().token, {})), Errc::io);
  EXPECT_TRUE(t.has("drive/a/big"));
  EXPECT_FALSE(job->runs().lastReport()) << "a run that never began is none";
}

TEST(JobOpen, ReadsAJobWhoseDriveIsAnotherAndChangesNothingThere) {
  TempFolder t;
  t.file("si/drive/x", 1);
  const auto manifest = [](const char* id) {
    return std::string(
               R"({"format":"zip-tally-stand-in","version":1,"role":"data","kind":"rotating","capacity_bytes":1000000,"id":")") +
           id + "\"}";
  };
  t.file("si/manifest.json", manifest("one"));
  const Workshop real = realWorkshop();
  {
    auto job = Job::create(real, t / "si", true, {t / "a.ztjob", false}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    ASSERT_TRUE(job->planBook().addPaths({"x"}, "discard"));
  }
  EXPECT_FALSE(Job::open(real, t / "a.ztjob").value()->site().closed());
  t.file("si/manifest.json", manifest("two"));
  auto job = Job::open(real, t / "a.ztjob").value();
  EXPECT_EQ(job->site().closed(), Errc::changed);
  EXPECT_EQ(job->planBook().plan().lines.size(), 1u) << "it can be read";
  EXPECT_EQ(codeOf(job->reclaim(job->planBook().consent().token, {})), Errc::changed);
  EXPECT_EQ(codeOf(job->measurer().measure({}, {}, nullptr)), Errc::changed);
  EXPECT_TRUE(t.has("si/drive/x"));
}

}  // namespace
}  // namespace zt::test
