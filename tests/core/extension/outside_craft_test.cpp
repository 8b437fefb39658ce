// SPDX-License-Identifier: GPL-3.0-or-later
// A step with parameters and a second drive, and contents that are compared in a new way, are each one value
// in a table: from the plan to the proof everything works with them, and no file of the program is touched.
#include <gtest/gtest.h>

#include "core/job/job.h"
#include "core/job/outcome_json.h"
#include "support/code_of.h"
#include "support/outside_craft.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

StepParameters toPlace(const PathBytes& path) {
  StepParameters told;
  told.set("to", StepParameters::Place{path});
  return told;
}

struct Quay : ::testing::Test {
  void SetUp() override {
    t.file("drive/hull/crate-1", 300'000);
    t.file("drive/hull/crate-2", 200'000);
    t.file("drive/hull/mast", 9'000);
    t.folder("quay");
    job = Job::create(w, t / "drive", false, {t / "a.ztjob", true}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  }
  std::string idOf(std::string_view path) const {
    for (const Find& f : *job->surveys().finds())
      if (f.kind == "ferry-goods" && f.items[0].path == path) return f.id;
    return {};
  }
  TempFolder t;
  Workshop w = workshopWithOutsideCraft();
  std::unique_ptr<Job> job;
};

TEST_F(Quay, APlanWithoutWhatItsStepTakesIsRefused) {
  const std::string id = idOf("hull/crate-1");
  EXPECT_EQ(codeOf(job->planBook().add({id}, "ferry")), Errc::badInput) << "where to?";
  StepParameters wrong = toPlace(t / "quay");
  wrong.set("flag", std::string("blue"));
  EXPECT_EQ(codeOf(job->planBook().add({id}, "ferry", {}, wrong)), Errc::badInput)
      << "it takes no such thing";
  StepParameters kind;
  kind.set("to", std::uint64_t{7});
  EXPECT_EQ(codeOf(job->planBook().add({id}, "ferry", {}, kind)), Errc::badInput) << "a number is no place";
  EXPECT_EQ(codeOf(job->planBook().add({id}, "hold", {}, toPlace(t / "quay"))), Errc::unknownStep);
  EXPECT_TRUE(job->planBook().plan().lines.empty());
}

TEST_F(Quay, WhatALineSaysIsKeptConsentedToAndWrittenDown) {
  const PathBytes quay = t / "quay";
  ASSERT_TRUE(job->planBook().add({idOf("hull/crate-1")}, "ferry", {}, toPlace(quay)));
  const Consent first = job->planBook().consent();
  ASSERT_EQ(first.lines.size(), 1u);
  EXPECT_EQ(first.lines[0].parameters.place("to"), quay);
  const Json plan = toJson(job->planBook().plan());
  EXPECT_EQ(plan["lines"][0]["parameters"][0]["path"], quay);
  ASSERT_TRUE(job->planBook().add({idOf("hull/crate-1")}, "ferry", {}, toPlace(t / "elsewhere")));
  EXPECT_NE(job->planBook().consent().token, first.token) << "where to is part of what is agreed to";
  job.reset();
  job = Job::open(w, t / "a.ztjob").value();
  ASSERT_EQ(job->planBook().plan().lines.size(), 1u);
  EXPECT_EQ(job->planBook().plan().lines[0].parameters, toPlace(t / "elsewhere"));
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  ASSERT_EQ(job->planBook().plan().lines.size(), 1u);
  EXPECT_EQ(job->planBook().plan().lines[0].parameters, toPlace(t / "elsewhere")) << "measuring again";
  Json forged = toJson(job->planBook().plan());
  forged["lines"][0].erase("parameters");
  EXPECT_EQ(codeOf(planFromJson(forged, knownKinds(*w.craft))), Errc::badInput) << "from outside, too";
}

/// The run of a step itself: what `GuardedDrive` opens is what the step is given.
struct Crossing : Quay {
  RunReport cross(const StepParameters& told, const RunControl& control = {}) {
    return cross(told, told, control);
  }
  RunReport cross(const StepParameters& first, const StepParameters& second, const RunControl& control = {}) {
    Plan plan;
    for (const char* path : {"hull/crate-1", "hull/crate-2"}) {
      const Find* find = job->surveys().find(idOf(path));
      const StepParameters& told = plan.lines.empty() ? first : second;
      plan.lines.push_back(lineFor(*find, w.craft->steps, "ferry", {}, told).value());
    }
    GuardedDrive drive;
    drive.files = w.files;
    drive.openFiles = w.openFiles;
    drive.context = job->surveys().context();
    drive.root = w.files->openRoot(t / "drive").value();
    drive.job = "job";
    drive.openOther = [this](const PathBytes& path) -> Result<OtherDrive> {
      opened.push_back(path);
      auto root = w.files->openRoot(path);
      if (!root) return tl::unexpected(root.error());
      return OtherDrive{w.files, std::move(*root), path};
    };
    Runner runner(std::move(drive), journal, 7);
    return runner.carryOut(plan, consentFor(plan).token, control).value();
  }
  struct Lines final : Journal {
    Result<void> write(std::span<const JournalRecord> records) override {
      for (const JournalRecord& r : records) {
        phases[r.path].push_back(r.payload + ":" + std::string(name(r.state)));
        parameters[r.path] = r.parameters;
      }
      return {};
    }
    std::map<PathBytes, std::vector<std::string>> phases;
    std::map<PathBytes, StepParameters> parameters;
  } journal;
  std::vector<PathBytes> opened;
};

TEST_F(Crossing, GoesItemByItemWithItsPhasesWrittenAsTheyCome) {
  StepParameters told = toPlace(t / "quay");
  told.set("pieces", std::uint64_t{3});
  std::vector<Bytes> went;
  RunControl control;
  control.progress = [&](const RunProgress& p) {
    if (p.wentOfItem == 0) return;
    went.push_back(p.wentOfItem);
    EXPECT_GE(p.ofItem, p.wentOfItem);
  };
  const RunReport report = cross(told, control);
  ASSERT_EQ(report.lines.size(), 2u);
  for (const LineOutcome& line : report.lines) EXPECT_EQ(line.state, LineOutcome::State::done);
  EXPECT_FALSE(t.has("drive/hull/crate-1"));
  EXPECT_EQ(t.read("quay/crate-1").size(), 300'000u);
  EXPECT_FALSE(went.empty()) << "a long copy tells how it gets on";
  const std::vector<std::string> way{"chosen:intended", "copying:intended", "copied:intended",
                                     "copied:discarding", "copied:gone"};
  EXPECT_EQ(journal.phases["hull/crate-1"], way);
  EXPECT_EQ(journal.phases["hull/crate-2"], way);
  EXPECT_EQ(journal.parameters["hull/crate-2"], told);
}

/// Of one kind of step, each line goes where it says, whatever goes together with it.
TEST_F(Crossing, LinesThatAreToldDifferentThingsGoEachItsOwnWay) {
  t.folder("pier");
  StepKind together = ferryStep();
  together.together = 256;
  auto craft = std::make_shared<Craft>(*w.craft);
  craft->steps.add(together);
  w.craft = craft;
  const RunReport report = cross(toPlace(t / "quay"), toPlace(t / "pier"));
  for (const LineOutcome& line : report.lines) EXPECT_EQ(line.state, LineOutcome::State::done);
  EXPECT_TRUE(t.has("quay/crate-1"));
  EXPECT_TRUE(t.has("pier/crate-2"));
  EXPECT_FALSE(t.has("quay/crate-2"));
  EXPECT_EQ(opened.size(), 2u);
}

TEST_F(Crossing, AnotherDriveThatIsNotThereIsTheProblemOfItsLinesAlone) {
  const RunReport report = cross(toPlace(t / "no-such-quay"));
  ASSERT_EQ(report.lines.size(), 2u);
  for (const LineOutcome& line : report.lines) {
    EXPECT_EQ(line.state, LineOutcome::State::refused);
    ASSERT_EQ(line.problems.size(), 1u);
    EXPECT_EQ(line.problems[0].problem, Errc::notThere);
  }
  EXPECT_TRUE(t.has("drive/hull/crate-1"));
}

TEST_F(Crossing, StopsInsideALongItemAndTheItemIsWhole) {
  StepParameters told = toPlace(t / "quay");
  told.set("pieces", std::uint64_t{100});
  std::stop_source stop;
  RunControl control;
  control.stop = stop.get_token();
  control.progress = [&](const RunProgress& p) {
    if (p.wentOfItem > 0) stop.request_stop();
  };
  const RunReport report = cross(told, control);
  EXPECT_TRUE(report.stopped || report.lines[0].state != LineOutcome::State::done);
  EXPECT_TRUE(t.has("drive/hull/crate-1"));
  EXPECT_TRUE(t.has("drive/hull/crate-2"));
  EXPECT_FALSE(t.has("quay/crate-1")) << "what was begun is taken back";
}

/// A job knows its own drive: a folder of it is no other drive.
TEST_F(Quay, AFolderOfTheSameDriveIsNoOtherDrive) {
  ASSERT_TRUE(job->planBook().add({idOf("hull/crate-1")}, "ferry", {}, toPlace(t / "quay")));
  const auto report = job->reclaim(job->consent().token, {});
  ASSERT_TRUE(report);
  ASSERT_EQ(report->lines.at(0).problems.size(), 1u);
  EXPECT_EQ(report->lines[0].problems[0].problem, Errc::onDrive);
  EXPECT_TRUE(t.has("drive/hull/crate-1"));
  EXPECT_EQ(job->planBook().plan().lines.size(), 1u) << "it stays on the plan";
}

struct Lots : ::testing::Test {
  void SetUp() override {
    t.file("drive/north/one", "cargo:rope");
    t.file("drive/south/two", "cargo:rope");
    t.file("drive/south/three", "cargo:tar");
    t.file("drive/south/four", "no such thing");
  }
  static const Find* lot(const Job& job, std::string_view place) {
    for (const Find& f : *job.surveys().finds())
      if (f.kind == "cargo" && f.place == place) return &f;
    return nullptr;
  }
  TempFolder t;
};

TEST_F(Lots, ContentsComparedInANewWayAreFoundKeptAndCarriedOver) {
  const Workshop w = workshopWithOutsideCraft();
  std::string id;
  {
    auto job = Job::create(w, t / "drive", false, {t / "a.ztjob", true}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    EXPECT_EQ(lot(*job, "lot rope"), nullptr) << "nothing was read yet";
    ASSERT_TRUE(job->contents().match({}, nullptr));
    const Find* rope = lot(*job, "lot rope");
    ASSERT_NE(rope, nullptr);
    EXPECT_EQ(rope->items.size(), 2u);
    EXPECT_EQ(lot(*job, "lot tar"), nullptr);
    EXPECT_FALSE(rope->offers.empty());
    EXPECT_TRUE(rope->offers[0].canReturn) << "priced as all offers are";
    id = rope->id;
    ASSERT_TRUE(job->planBook().add({id}, {}));
  }
  auto job = Job::open(w, t / "a.ztjob").value();
  ASSERT_NE(lot(*job, "lot rope"), nullptr) << "it is kept with the job";
  EXPECT_EQ(job->planBook().plan().lines.at(0).kind, "cargo");
  t.file("drive/south/two", "cargo:tar");
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  EXPECT_EQ(lot(*job, "lot rope"), nullptr) << "carried over without what has changed";
  ASSERT_TRUE(job->contents().match({}, nullptr));
  ASSERT_NE(lot(*job, "lot tar"), nullptr);
  ASSERT_TRUE(job->planBook().mark({"south/two"}, Mark::keep));
  EXPECT_EQ(lot(*job, "lot tar"), nullptr) << "what is kept is no cargo";
}

}  // namespace
}  // namespace zt::test
