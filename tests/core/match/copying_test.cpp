// SPDX-License-Identifier: GPL-3.0-or-later
// What is found equal, from comparing to the run: what goes, what stays, what is said before.
#include <gtest/gtest.h>
#include <unistd.h>

#include <filesystem>
#include <set>

#include "core/job/job.h"
#include "core/match/duplicates.h"
#include "core/os/forwarding_file_system.h"
#include "core/os/linux/linux_file_system.h"
#include "support/code_of.h"
#include "support/fakes.h"
#include "support/noise.h"
#include "support/planned.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace fs = std::filesystem;
namespace {

/// All digests are the same: only bytes tell, and they are asked before anything goes.
class Colliding final : public ContentHash {
public:
  void add(std::span<const char>) override {}
  Digest finish() override { return {1, 1}; }
};

struct Copying : ::testing::Test {
  void SetUp() override {
    t.file("drive/a/one.wav", noise(2'000'000, 1));
    t.file("drive/b/two.wav", noise(2'000'000, 2));
    t.file("drive/c/one.wav", noise(2'000'000, 1));
    job = Job::create(real, t / "drive", false, {t / "a.ztjob", true}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  }
  Result<MatchResult> match(HashMaker hash = xxh3Hash) {
    MatchBook::Options options;
    options.least = 1;
    options.hash = std::move(hash);
    return job->contents().match(options, nullptr);
  }
  const Find* duplicates() {
    for (const Find& f : *job->surveys().finds())
      if (f.kind == "duplicates") return &f;
    return nullptr;
  }
  RunReport run() { return job->reclaim(job->planBook().consent().token, {}).value(); }
  TempFolder t;
  Workshop real = realWorkshop();
  std::unique_ptr<Job> job;
};

TEST_F(Copying, TheCopyGoesAndTheKeeperStays) {
  ASSERT_TRUE(match());
  const Find* f = duplicates();
  ASSERT_NE(f, nullptr);
  ASSERT_EQ(f->items.size(), 1u);
  const PathBytes copy = f->items[0].path;
  EXPECT_EQ(f->standing, Standing::ownersCall);
  EXPECT_FALSE(mayPropose(*f, {})) << "whether the second place was meant is its owner's to say";
  const std::string id = f->id;
  job.reset();
  job = Job::open(real, t / "a.ztjob").value();
  ASSERT_NE(duplicates(), nullptr) << "kept in the job";
  ASSERT_TRUE(job->planBook().add({id}, ""));
  const RunReport report = run();
  EXPECT_EQ(report.lines.at(0).state, LineOutcome::State::done);
  EXPECT_FALSE(t.has("drive/" + copy));
  EXPECT_TRUE(t.has("drive/a/one.wav") || t.has("drive/c/one.wav"));
  EXPECT_TRUE(t.has("drive/b/two.wav"));
}

TEST_F(Copying, TheLastCopyCannotBePlanned) {
  ASSERT_TRUE(match());
  EXPECT_EQ(codeOf(job->planBook().addPaths({"a/one.wav", "c/one.wav"}, "discard")), Errc::lastCopy);
  EXPECT_EQ(codeOf(job->planBook().addPaths({"a", "c"}, "discard")), Errc::lastCopy);
  ASSERT_TRUE(job->planBook().mark({"a", "c"}, Mark::mayGo));
  ASSERT_TRUE(job->planBook().addPaths({"a/one.wav"}, "discard"));
  EXPECT_EQ(codeOf(job->planBook().addPaths({"c"}, "hold")), Errc::lastCopy) << "whatever marks say";
  EXPECT_TRUE(job->planBook().addPaths({"b/two.wav"}, "discard"));
}

TEST_F(Copying, WithoutItsKeeperACopyStays) {
  ASSERT_TRUE(match());
  ASSERT_TRUE(job->planBook().add({duplicates()->id}, ""));
  const PathBytes copy = duplicates()->items[0].path;
  const PathBytes keeper = copy == "a/one.wav" ? "c/one.wav" : "a/one.wav";
  ASSERT_EQ(::unlink((t / ("drive/" + keeper)).c_str()), 0);
  const RunReport report = run();
  EXPECT_NE(report.lines.at(0).state, LineOutcome::State::done);
  EXPECT_EQ(report.lines.at(0).problems.at(0).problem, Errc::lastCopy);
  EXPECT_TRUE(t.has("drive/" + copy)) << "it is the last one now";
}

TEST_F(Copying, ACollisionIsFoundOutBeforeAnythingGoes) {
  ASSERT_TRUE(match([] { return std::make_unique<Colliding>(); }));
  const Find* f = duplicates();
  ASSERT_NE(f, nullptr);
  EXPECT_EQ(f->items.size(), 2u) << "all three look equal";
  ASSERT_TRUE(job->planBook().add({f->id}, ""));
  run();
  EXPECT_TRUE(t.has("drive/b/two.wav")) << "only bytes tell";
  EXPECT_EQ(t.has("drive/a/one.wav") + t.has("drive/c/one.wav"), 1) << "the true copy went, one stayed";
}

/// Asks to stop while two files are compared.
class StopsInside final : public ForwardingFileSystem {
public:
  StopsInside(FileSystemPtr inner, std::stop_source stop)
      : ForwardingFileSystem(std::move(inner)), stop_(std::move(stop)) {}
  Result<OpenedFilePtr> openFile(const Folder& at, std::string_view name) override {
    auto file = ForwardingFileSystem::openFile(at, name);
    if (!file) return file;
    return OpenedFilePtr(std::make_unique<File>(std::move(*file), *this));
  }
  bool armed = false;

private:
  class File final : public OpenedFile {
  public:
    File(OpenedFilePtr inner, StopsInside& owner) : inner_(std::move(inner)), owner_(owner) {}
    Result<EntryStat> stat() override { return inner_->stat(); }
    Result<std::size_t> read(Bytes offset, std::span<char> into) override {
      if (owner_.armed) owner_.stop_.request_stop();
      return inner_->read(offset, into);
    }
    Result<Stretch> nextData(Bytes offset) override { return inner_->nextData(offset); }

  private:
    OpenedFilePtr inner_;
    StopsInside& owner_;
  };
  std::stop_source stop_;
};

/// Minutes of reading are not waited for: what was taken goes back, whole, and is still on the plan.
TEST_F(Copying, AStopIsObeyedInsideTheComparison) {
  std::stop_source stop;
  const auto files = std::make_shared<StopsInside>(real.files, stop);
  real.files = files;
  job = Job::create(real, t / "drive", false, {t / "b.ztjob", true}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  ASSERT_TRUE(match());
  ASSERT_TRUE(job->planBook().add({duplicates()->id}, ""));
  const PathBytes copy = duplicates()->items[0].path;
  files->armed = true;
  RunControl control;
  control.stop = stop.get_token();
  const auto report = job->reclaim(job->planBook().consent().token, control);
  ASSERT_TRUE(report);
  EXPECT_TRUE(report->stopped);
  EXPECT_TRUE(report->lines.at(0).problems.empty()) << "nothing is wrong with it";
  EXPECT_TRUE(t.has("drive/" + copy));
  EXPECT_FALSE(job->planBook().plan().lines.empty());
}

/// What this program holds is on its way out: it is no copy that would stay.
TEST_F(Copying, AHeldCopyIsNone) {
  ASSERT_TRUE(job->planBook().addPaths({"a/one.wav"}, "hold"));
  ASSERT_EQ(run().lines.at(0).state, LineOutcome::State::done);
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  ASSERT_TRUE(match());
  EXPECT_EQ(duplicates(), nullptr);
}

/// Equal files in one thing that goes as a whole were never judged as copies of each other.
TEST_F(Copying, AFolderMayGoWithAllItsCopies) {
  t.file("drive/trip/one.jpg", noise(900'000, 5));
  t.file("drive/trip/again.jpg", noise(900'000, 5));
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  ASSERT_TRUE(match());
  EXPECT_EQ(codeOf(job->planBook().addPaths({"trip/one.jpg", "trip/again.jpg"}, "discard")), Errc::lastCopy);
  ASSERT_TRUE(job->planBook().addPaths({"trip"}, "discard"));
  EXPECT_EQ(run().lines.at(0).state, LineOutcome::State::done);
  EXPECT_FALSE(t.has("drive/trip"));
}

/// What lies nowhere else is said before it goes, though nothing forbids it.
TEST_F(Copying, TheConsentNamesLastCopies) {
  t.file("drive/trip/one.jpg", noise(900'000, 5));
  t.file("drive/trip/again.jpg", noise(900'000, 5));
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  ASSERT_TRUE(match());
  ASSERT_TRUE(job->planBook().addPaths({"trip"}, "discard"));
  const Consent consent = job->planBook().toldConsent();
  ASSERT_EQ(consent.lines.size(), 1u);
  EXPECT_EQ(consent.lines[0].lost.lastCopies, 1u);
  EXPECT_TRUE(consent.lines[0].lost.lastCopy.starts_with("trip/"));
  t.file("drive/other/one.jpg", noise(900'000, 5));
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  ASSERT_TRUE(match());
  EXPECT_EQ(job->planBook().toldConsent().lines.at(0).lost.lastCopies, 0u);
}

/// A copy of two names goes with both; of what stays, one name may go: the file does not.
TEST_F(Copying, NamesAreNotFiles) {
  fs::create_hard_link(t / "drive/c/one.wav", t / "drive/b/again.wav");
  t.age("drive/a/one.wav", 9);
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  ASSERT_TRUE(match());
  ASSERT_EQ(duplicates()->items.size(), 2u);
  EXPECT_GE(duplicates()->gain.sure, 2'000'000u);
  // All names of the copy, and with the original that would be the last.
  EXPECT_EQ(codeOf(job->planBook().addPaths({"a/one.wav", "b/again.wav", "c/one.wav"}, "discard")),
            Errc::lastCopy);
  // By whichever name its group knows it.
  ASSERT_TRUE(job->planBook().addPaths({"a/one.wav", "b/again.wav"}, "discard"));
  ASSERT_TRUE(job->planBook().set(Plan{}));
  ASSERT_TRUE(job->planBook().addPaths({"a/one.wav", "c/one.wav"}, "discard"));
  EXPECT_EQ(run().lines.at(0).state, LineOutcome::State::done);
  EXPECT_EQ(t.read("drive/b/again.wav"), noise(2'000'000, 1));
}

/// The newest of one name stays, however they are planned; equal ones are no namesakes, however short.
TEST_F(Copying, OfNamesakesTheNewestStays) {
  for (int i = 0; i < 3; ++i) {
    const std::string path = "drive/v" + std::to_string(i) + "/trip.mkv";
    t.file(path, noise(1'500'000, 20 + static_cast<unsigned>(i)));
    t.age(path, 30 - i);
  }
  t.file("drive/v3/trip.mkv", noise(1'500'000, 22));
  t.age("drive/v3/trip.mkv", 40);
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  MatchBook::Options options;
  options.least = 5'000'000;
  ASSERT_TRUE(job->contents().match(options, nullptr));
  const Find* namesakes = nullptr;
  for (const Find& f : *job->surveys().finds())
    if (f.kind == "namesakes" && f.place == "trip.mkv") namesakes = &f;
  ASSERT_NE(namesakes, nullptr);
  EXPECT_EQ(namesakes->items.size(), 3u) << "of equal ones one stands for both";
  const PathBytes newest = namesakes->items.front().path;
  ASSERT_TRUE(job->planBook().add({namesakes->id}, ""));
  ASSERT_EQ(job->planBook().plan().lines.size(), 1u);
  EXPECT_EQ(job->planBook().plan().lines[0].items.size(), 2u);
  for (const Subject& item : job->planBook().plan().lines[0].items) EXPECT_NE(item.path, newest);
  ASSERT_TRUE(job->planBook().add({namesakes->id}, "hold"));
  EXPECT_EQ(job->planBook().plan().lines[0].items.size(), 2u) << "said twice it is the same";
  Narrowing by;
  by.only = {newest};
  const auto refused = job->planBook().add({namesakes->id}, "", by);
  ASSERT_EQ(codeOf(refused), Errc::lastCopy);
  EXPECT_EQ(refused.error().detail, "newest");
}

/// A proposal of what may go leaves one of equal files, and says no more than that it does not reach.
TEST_F(Copying, AProposalLeavesOneOfEqualFiles) {
  ASSERT_TRUE(match());
  ASSERT_TRUE(job->planBook().mark({"a", "b", "c"}, Mark::mayGo));
  ASSERT_TRUE(job->planBook().addTarget("", "4096"));
  std::vector<Target> targets = job->planBook().targets();
  targets[0].bytes = job->reading().free + 50'000'000;
  ASSERT_TRUE(job->planBook().setTargets(targets));
  const auto proposal = job->planBook().propose({});
  ASSERT_TRUE(proposal);
  ASSERT_TRUE(job->planBook().set(proposal->plan)) << "what is proposed can be put on the plan";
  const auto planned = [&](const char* path) {
    for (const PlanLine& line : job->planBook().plan().lines)
      for (const Subject& item : line.items)
        if (item.path == path || beneath(path, item.path)) return true;
    return false;
  };
  EXPECT_TRUE(planned("b/two.wav"));
  EXPECT_EQ(planned("a/one.wav") + planned("c/one.wav"), 1);
}

/// What was found stays known when less is asked for later, or the asking is stopped.
TEST_F(Copying, KnowsWhatWasFoundBefore) {
  ASSERT_TRUE(match());
  MatchBook::Options options;
  options.least = 900'000'000;
  ASSERT_TRUE(job->contents().match(options, nullptr));
  EXPECT_NE(duplicates(), nullptr);
  EXPECT_EQ(codeOf(job->planBook().addPaths({"a/one.wav", "c/one.wav"}, "discard")), Errc::lastCopy);
}

TEST_F(Copying, KeepThisOneInstead) {
  ASSERT_TRUE(match());
  const PathBytes copy = duplicates()->items[0].path;
  ASSERT_TRUE(job->planBook().mark({copy}, Mark::keep));
  ASSERT_NE(duplicates(), nullptr);
  EXPECT_NE(duplicates()->items[0].path, copy);
  EXPECT_EQ(textIn(*duplicates(), "keeper"), copy);
  EXPECT_EQ(textIn(*duplicates(), "keeper-rule"), "said-keep");
}

}  // namespace
}  // namespace zt::test
