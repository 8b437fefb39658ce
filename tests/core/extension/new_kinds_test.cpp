// SPDX-License-Identifier: GPL-3.0-or-later
// A detector and a kind of step that the program does not know are each one value in a table: from finding to
// proof and JSON everything works with them, and no file of the core is touched.
#include <gtest/gtest.h>

#include "core/job/job.h"
#include "core/job/outcome_json.h"
#include "core/reclaim/step_executor.h"
#include "support/code_of.h"
#include "support/fakes.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

/// Finds files whose names begin with "ballast".
class Ballast final : public Detector {
public:
  std::string_view id() const override { return "ballast"; }
  Result<void> detect(const DetectInput& input, const FindSink& sink, const std::stop_token&) const override {
    const FindContext& c = *input.context;
    for (NodeId id = 1; id < c.tree.size(); ++id) {
      if (!c.tree.name(id).starts_with("ballast")) continue;
      Find find;
      find.kind = "ballast";
      find.items.push_back(c.subject(id));
      find.offers.push_back({"crush", {}, {}, {"needs-a-press"}});
      find.facts.push_back({"weight", std::uint64_t{7}});
      c.complete(find);
      find.id = FindContext::findId(id_, find.items[0].path, AgeBand::today);
      if (!sink(std::move(find))) return {};
    }
    return {};
  }

private:
  static constexpr std::string_view id_ = "ballast";
};

/// Renames a file to "NAME.crushed"; undone by renaming it back. What it did stands in its own payload.
class Crush final : public StepExecutor {
public:
  Result<void> check(StepSite& site, const JournalRecord& r) const override {
    Subject item;
    item.path = r.path;
    item.identity = r.identity;
    const auto checked = checkOnPaper(site.drive, item);
    return checked ? Result<void>{} : Result<void>(tl::unexpected(checked.error()));
  }
  Result<void> prepare(StepSite& site, JournalRecord& r) const override {
    r.payload = r.path + ".crushed";
    return check(site, r);
  }
  Result<void> apply(StepSite& site, JournalRecord& r) const override {
    return move(site, r.path, r.payload);
  }
  Result<void> verify(StepSite& site, JournalRecord& r) const override {
    const auto looked = look(site.drive, r.payload);
    if (!looked) return tl::unexpected(looked.error());
    return sameContent(identityOf(looked->stat), r.identity) ? Result<void>{}
                                                             : fail(Errc::changed, "crush", r.path);
  }
  Result<void> undo(StepSite& site, JournalRecord& r) const override {
    auto moved = move(site, r.payload, r.path);
    if (moved) r.state = ItemState::returned;
    return moved;
  }
  Result<void> recover(StepSite& site, JournalRecord& r) const override {
    if (look(site.drive, r.payload)) return undo(site, r);
    r.state = ItemState::returned;
    return {};
  }

private:
  static Result<void> move(StepSite& site, const PathBytes& from, const PathBytes& to) {
    const auto looked = look(site.drive, from);
    if (!looked) return tl::unexpected(looked.error());
    return site.drive.files->rename(*looked->parent, baseName(from), *looked->parent, baseName(to));
  }
};

Workshop withOurCraft() {
  Workshop w = realWorkshop();
  auto craft = std::make_shared<Craft>(*builtInCraft());
  craft->detectors.add(std::make_shared<Ballast>());
  StepKind crush;
  crush.id = "crush";
  crush.regret = RegretRule::moved;
  crush.when = GainTime::onRelease;
  crush.undo = UndoRule::putBack;
  crush.consent = ConsentRule::asked;
  crush.executor = std::make_shared<Crush>();
  craft->steps.add(crush);
  w.craft = craft;
  return w;
}

struct Yard : ::testing::Test {
  void SetUp() override {
    t.file("drive/hull/ballast-1", 60'000);
    t.file("drive/hull/ballast-2", 30'000);
    t.file("drive/hull/mast", 9'000);
  }
  const Find* ballast(const Job& job, std::string_view path) {
    for (const Find& f : *job.surveys().finds())
      if (f.kind == "ballast" && f.items[0].path == path) return &f;
    return nullptr;
  }
  TempFolder t;
};

TEST_F(Yard, GoesFromFindingToProofWithoutTheCoreKnowingIt) {
  const Workshop w = withOurCraft();
  std::string id;
  {
    auto job = Job::create(w, t / "drive", false, {t / "a.ztjob", true}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    const Find* find = ballast(*job, "hull/ballast-1");
    ASSERT_NE(find, nullptr);
    id = find->id;
    EXPECT_EQ(find->offers[0].regret, Regret::personalMoved) << "as the kind of step says";
    EXPECT_EQ(find->gain.when, GainTime::onRelease);
    EXPECT_EQ(toJson(*find)["offers"][0]["conditions"][0], "needs-a-press");
    ASSERT_TRUE(job->planBook().add({id}, {}));
    ASSERT_TRUE(job->planBook().add({ballast(*job, "hull/ballast-2")->id}, "crush"));
  }
  auto job = Job::open(w, t / "a.ztjob").value();
  ASSERT_EQ(job->planBook().plan().lines.size(), 2u);
  EXPECT_EQ(numberIn(*job->surveys().find(id), "weight"), 7u) << "facts are kept";
  const Consent consent = job->planBook().consent();
  ASSERT_EQ(consent.lines.size(), 2u) << "this kind of step asks";
  EXPECT_EQ(codeOf(job->reclaim("", {})), Errc::noConsent);
  const auto report = job->reclaim(consent.token, {}).value();
  EXPECT_EQ(report.lines[0].state, LineOutcome::State::done);
  EXPECT_EQ(report.lines[0].action, "crush");
  EXPECT_TRUE(t.has("drive/hull/ballast-1.crushed"));
  EXPECT_FALSE(t.has("drive/hull/ballast-1"));
  const auto records = job->store().records(0, {}).value();
  EXPECT_EQ(records.at(0).payload, "hull/ballast-1.crushed");
  EXPECT_EQ(toJson(records.at(0))["action"], "crush");
  const auto proof = toJson(job->prove().value());
  EXPECT_EQ(proof["lines"][0]["action"], "crush");
  EXPECT_EQ(proof["lines"][0]["kind"], "ballast");
  const auto back = job->undo(0, {}).value();
  ASSERT_EQ(back.size(), 2u);
  for (const auto& r : back) EXPECT_EQ(r.state, ItemState::returned);
  EXPECT_TRUE(t.has("drive/hull/ballast-1"));
  EXPECT_TRUE(t.has("drive/hull/ballast-2"));
}

TEST_F(Yard, IsRefusedWithItsPlaceByAProgramThatDoesNotKnowIt) {
  {
    auto job = Job::create(withOurCraft(), t / "drive", false, {t / "a.ztjob", true}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    ASSERT_TRUE(job->planBook().add({ballast(*job, "hull/ballast-1")->id}, "crush"));
  }
  const auto job = Job::open(realWorkshop(), t / "a.ztjob");
  ASSERT_FALSE(job);
  EXPECT_EQ(codeOf(job), Errc::corrupt);
  EXPECT_FALSE(job.error().detail.empty()) << "it says where";
  EXPECT_TRUE(t.has("drive/hull/ballast-1"));
}

/// Crashes of an unknown kind of step stay open, and are said; nothing of it is touched.
TEST_F(Yard, LeavesOpenRecordsOfAnUnknownStepAlone) {
  auto job = Job::create(realWorkshop(), t / "drive", false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  JournalRecord r;
  r.run = 1;
  r.seq = 1;
  r.line = "x";
  r.action = "crush";
  r.path = "hull/ballast-1";
  r.state = ItemState::intended;
  ASSERT_TRUE(job->store().beginRun(1, 1, "{}"));
  ASSERT_TRUE(job->store().write(std::span(&r, 1)));
  const auto back = job->undo(0, {});
  EXPECT_TRUE(!back || back->empty());
  EXPECT_TRUE(t.has("drive/hull/ballast-1"));
  const ItemState open[] = {ItemState::intended};
  EXPECT_EQ(job->store().records(0, open)->size(), 1u);
}

/// A detector that fails, and one that throws: both are said, and the others go on.
TEST_F(Yard, FailingDetectorsAreSaidAndTheOthersGoOn) {
  class Failing final : public Detector {
  public:
    explicit Failing(bool throws) : throws_(throws) {}
    std::string_view id() const override { return throws_ ? "throwing" : "failing"; }
    Result<void> detect(const DetectInput&, const FindSink&, const std::stop_token&) const override {
      if (throws_) throw std::runtime_error("out of rope");
      return fail(Errc::corrupt, "failing", "hull");
    }

  private:
    bool throws_;
  };
  Workshop w = withOurCraft();
  auto craft = std::make_shared<Craft>(*w.craft);
  craft->detectors.add(std::make_shared<Failing>(false));
  craft->detectors.add(std::make_shared<Failing>(true));
  w.craft = craft;
  auto job = Job::create(w, t / "drive", false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  ASSERT_EQ(job->surveys().problems().size(), 2u);
  std::set<std::string> who;
  for (const auto& p : job->surveys().problems()) who.insert(p.detector);
  EXPECT_EQ(who, (std::set<std::string>{"failing", "throwing"}));
  EXPECT_NE(ballast(*job, "hull/ballast-2"), nullptr);
}

/// An executor that throws in any of its phases stops its own item and nothing else; the item is whole at its
/// place.
TEST_F(Yard, AnExecutorThatThrowsStopsItsOwnItemAlone) {
  class Throwing final : public StepExecutor {
  public:
    explicit Throwing(int phase) : phase_(phase) {}
    Result<void> check(StepSite&, const JournalRecord&) const override { return at(0); }
    Result<void> prepare(StepSite&, JournalRecord&) const override { return at(1); }
    Result<void> apply(StepSite&, JournalRecord&) const override { return at(2); }
    Result<void> verify(StepSite&, JournalRecord&) const override { return at(3); }
    Result<void> undo(StepSite&, JournalRecord& r) const override {
      r.state = ItemState::returned;
      return {};
    }
    Result<void> recover(StepSite&, JournalRecord& r) const override {
      r.state = ItemState::returned;
      return {};
    }

  private:
    Result<void> at(int phase) const {
      if (phase == phase_) throw std::runtime_error("the press jams");
      return {};
    }
    int phase_;
  };
  for (int phase = 1; phase < 4; ++phase) {
    Workshop w = withOurCraft();
    auto craft = std::make_shared<Craft>(*w.craft);
    StepKind jam;
    jam.id = "jam";
    jam.executor = std::make_shared<Throwing>(phase);
    craft->steps.add(jam);
    w.craft = craft;
    auto job = Job::create(w, t / "drive", false, {}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    Plan plan;
    for (const char* path : {"hull/ballast-1", "hull/ballast-2"}) {
      Find find = pickedFind(*job->surveys().context(), *job->surveys().survey()->tree.find(path));
      find.offers = {{path == std::string("hull/ballast-1") ? "jam" : "crush", {}, {}, {}}};
      priceOffers(find, craft->steps);
      plan.lines.push_back(lineFor(find, craft->steps, find.offers[0].action, {}).value());
    }
    ASSERT_TRUE(job->planBook().set(plan)) << phase;
    const auto report = job->reclaim(job->planBook().consent().token, {});
    ASSERT_TRUE(report) << phase;
    EXPECT_NE(report->lines[0].state, LineOutcome::State::done) << phase;
    ASSERT_FALSE(report->lines[0].problems.empty()) << phase;
    EXPECT_TRUE(report->lines[0].problems[0].problem) << phase;
    EXPECT_EQ(report->lines[1].state, LineOutcome::State::done) << phase;
    EXPECT_TRUE(t.has("drive/hull/ballast-1")) << phase;
    const auto back = job->undo(0, {});
    ASSERT_TRUE(back) << name(back.error().code) << back.error().path;
    ASSERT_EQ(back->size(), 1u) << phase;
    EXPECT_TRUE(t.has("drive/hull/ballast-2")) << phase;
  }
}

}  // namespace
}  // namespace zt::test
