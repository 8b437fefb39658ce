// SPDX-License-Identifier: GPL-3.0-or-later
// Jobs, holds and plans that the first version left: tests/data/v1 holds what its binary wrote.
#include <SQLiteCpp/SQLiteCpp.h>
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <sstream>

#include "core/job/drive_holds.h"
#include "core/job/job.h"
#include "core/plan/plan_json.h"
#include "core/survey/files/survey_codec.h"
#include "support/code_of.h"
#include "support/fakes.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

std::string dataFile(const std::string& name) {
  std::ifstream in(std::string(ZT_TEST_DATA) + "/v1/" + name, std::ios::binary);
  std::ostringstream text;
  text << in.rdbuf();
  must(!text.str().empty(), name);
  return text.str();
}

/// Says of a folder's inode what another machine's file system said: a drive keeps its numbers when it is
/// moved, a copy of a stand-in does not.
class SameRoot final : public ForwardingFileSystem {
public:
  SameRoot(FileSystemPtr inner, std::uint64_t here, std::uint64_t there)
      : ForwardingFileSystem(std::move(inner)), here_(here), there_(there) {}
  Result<EntryStat> stat(const Folder& at, std::string_view name) override {
    auto stat = inner_.stat(at, name);
    if (stat && stat->inode == here_) stat->inode = there_;
    return stat;
  }

private:
  std::uint64_t here_;
  std::uint64_t there_;
};

/// The drive as the first version left it, at a place of its own: the job's file is told where, and what
/// inode the held file has here.
struct Left {
  Left() {
    t.file("si/manifest.json",
           std::string(R"({"format":"zip-tally-stand-in","version":1,"id":"v1-jetty","role":"data",)") +
               R"("kind":"rotating","capacity_bytes":50000000})");
    t.file("si/drive/old/tape-2.wav", 2'000'000);
    t.file("si/drive/.zip-tally-hold/run-1/1", 3'000'000);
    t.folder("si/drive/home/warden");
    t.file("a.ztjob", dataFile("job-v1.ztjob"));
    SQLite::Database db(t / "a.ztjob", SQLite::OPEN_READWRITE);
    SQLite::Statement site(db,
                           "UPDATE document SET value = replace(value, '/tmp/v1/si', ?) WHERE key = 'site'");
    site.bind(1, t / "si");
    must(site.exec() == 1, "site");
    const auto root = real.files->openRoot(t / "si/drive/.zip-tally-hold/run-1").value();
    SQLite::Statement held(db, "UPDATE journal SET identity = ? WHERE seq = 1");
    held.bind(1, toJson(identityOf(real.files->stat(*root, "1").value())).dump());
    must(held.exec() == 1, "journal");
    SQLite::Statement survey(db, "SELECT data FROM survey_piece ORDER BY seq");
    std::vector<std::string> pieces;
    while (survey.executeStep()) pieces.push_back(survey.getColumn(0).getString());
    const auto drive = real.files->openRoot(t / "si/drive").value();
    real.files = std::make_shared<SameRoot>(real.files, real.files->stat(*drive, {}).value().inode,
                                            decodeSurvey(pieces).value()->tree.inode(0));
  }
  TempFolder t;
  Workshop real = realWorkshop();
};

TEST(Version1, JobOpensWithAllThatItHeld) {
  Left left;
  const auto job = Job::open(left.real, left.t / "a.ztjob");
  ASSERT_TRUE(job) << job.error().detail << name(job.error().code);
  EXPECT_EQ((*job)->planBook().targets().at(0).amount, "40MB");
  EXPECT_FALSE((*job)->planBook().targets().at(1).chosen);
  ASSERT_EQ((*job)->planBook().plan().lines.size(), 1u);
  EXPECT_EQ((*job)->planBook().plan().lines[0].step->id, "discard");
  EXPECT_EQ((*job)->planBook().plan().lines[0].items[0].path, "old/tape-2.wav");
  ASSERT_NE((*job)->surveys().survey(), nullptr);
  EXPECT_TRUE((*job)->surveys().survey()->tree.find("old/tape-2.wav"));
  ASSERT_EQ((*job)->runs().held()->size(), 1u);
  EXPECT_EQ((*job)->runs().held()->at(0).path, "old/tape-1.wav");
  ASSERT_TRUE((*job)->runs().proof());
  EXPECT_EQ((*job)->runs().proof()->held, 3'000'000u);
  EXPECT_EQ((*job)->identity().size(), 16u) << "it gets an identity of its own";
}

TEST(Version1, HeldThingsArePutBack) {
  Left left;
  const auto job = Job::open(left.real, left.t / "a.ztjob").value();
  const auto back = job->undo(0, {}).value();
  ASSERT_EQ(back.size(), 1u);
  EXPECT_EQ(back[0].state, ItemState::returned) << (back[0].problem ? name(*back[0].problem) : "");
  EXPECT_TRUE(left.t.has("si/drive/old/tape-1.wav"));
  EXPECT_FALSE(left.t.has("si/drive/.zip-tally-hold"));
}

TEST(Version1, HeldThingsAreReleased) {
  Left left;
  const auto job = Job::open(left.real, left.t / "a.ztjob").value();
  const Consent consent = job->runs().releaseConsent().value();
  EXPECT_EQ(consent.lines.size(), 1u);
  const auto gone = job->release(consent.token, {}).value();
  EXPECT_EQ(gone.at(0).state, ItemState::gone);
  EXPECT_FALSE(left.t.has("si/drive/.zip-tally-hold/run-1/1"));
  EXPECT_TRUE(left.t.has("si/drive/old/tape-2.wav"));
}

/// The job's file is lost too: the hold of the first version names no places, so nothing is guessed.
TEST(Version1, HoldWithoutItsJobIsFoundAndNotGuessedAbout) {
  Left left;
  std::filesystem::remove(left.t / "a.ztjob");
  const auto holds = DriveHolds::open(left.real, left.t / "si", true).value();
  ASSERT_EQ(holds->things().size(), 1u);
  EXPECT_TRUE(holds->things()[0].record.path.empty());
  const auto back = holds->putBack({}).value();
  EXPECT_TRUE(
      std::none_of(back.begin(), back.end(), [](const auto& r) { return r.state == ItemState::returned; }));
  EXPECT_TRUE(left.t.has("si/drive/.zip-tally-hold/run-1/1"));
}

TEST(Version1, PlanFileIsRead) {
  const auto craft = builtInCraft();
  const auto plan = planFromJson(parseJson(dataFile("plan-v1.json")), knownKinds(*craft));
  ASSERT_TRUE(plan) << plan.error().detail;
  EXPECT_FALSE(plan->lines.empty());
  for (const auto& line : plan->lines) EXPECT_NE(line.step, nullptr);
}

/// What a newer or a broken file says is refused with its place, and changes nothing.
TEST(Version1, UnknownWordsInAJobAreSaidWithTheirPlace) {
  for (const auto& [from, to] : {std::pair("\"action\":\"discard\"", "\"action\":\"dissolve\""),
                                 std::pair("\"kind\":\"large\"", "\"kind\":\"ghosts\""),
                                 std::pair("\"standing\":\"unjudged\"", "\"standing\":\"well-liked\"")}) {
    Left left;
    {
      SQLite::Database db(left.t / "a.ztjob", SQLite::OPEN_READWRITE);
      SQLite::Statement spoil(db, "UPDATE document SET value = replace(value, ?, ?) WHERE key = 'plan'");
      spoil.bind(1, from);
      spoil.bind(2, to);
      spoil.exec();
    }
    const auto job = Job::open(left.real, left.t / "a.ztjob");
    ASSERT_FALSE(job) << to;
    EXPECT_EQ(codeOf(job), Errc::corrupt);
    EXPECT_NE(job.error().detail.find("lines[0]."), std::string::npos) << job.error().detail;
    EXPECT_TRUE(left.t.has("si/drive/.zip-tally-hold/run-1/1"));
  }
}

}  // namespace
}  // namespace zt::test
