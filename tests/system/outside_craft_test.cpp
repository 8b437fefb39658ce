// SPDX-License-Identifier: GPL-3.0-or-later
// A step that works with a second drive, on two real ones: from the plan to the proof; and what is no other
// drive.
#include <gtest/gtest.h>
#include <sys/mount.h>

#include <filesystem>
#include <fstream>

#include "core/job/job.h"
#include "support/code_of.h"
#include "support/loop_drive.h"
#include "support/outside_craft.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;
constexpr Bytes drive32 = 32u << 20;

/// What came of one ferry of `crate` on a drive to a place.
RunReport ferry(const std::string& from, const PathBytes& to) {
  const Workshop w = workshopWithOutsideCraft();
  auto job = Job::create(w, from, false, {}).value();
  if (!job->measurer().measure({}, {}, nullptr)) return {};
  StepParameters told;
  told.set("to", StepParameters::Place{to});
  for (const Find& f : *job->surveys().finds())
    if (f.kind == "ferry-goods") {
      EXPECT_TRUE(job->planBook().add({f.id}, "ferry", {}, told));
    }
  const Bytes before = freeOn(from), sure = job->planBook().planned().sure;
  auto report = job->reclaim(job->consent().token, {});
  EXPECT_TRUE(report);
  if (!report) return {};
  if (report->lines.at(0).state == LineOutcome::State::done) {
    EXPECT_EQ(freeOn(from) - before, sure) << "by the drive's own counter";
    const Proof proof = job->prove().value();
    EXPECT_EQ(proof.lines.at(0).action, "ferry");
    EXPECT_EQ(proof.actual, static_cast<SignedBytes>(sure));
  }
  return std::move(*report);
}

TEST(FerryToAnotherDrive, GoesThereAndTheFirstDriveHasItsBytesAgain) {
  const LoopDrive from("ext4", drive32), to("ext4", drive32);
  ZT_NEEDS(from);
  ZT_NEEDS(to);
  std::ofstream(from / "crate", std::ios::binary) << std::string(5'000'000, 'c');
  const RunReport report = ferry(from.path(), to.path());
  ASSERT_EQ(report.lines.size(), 1u);
  EXPECT_EQ(report.lines[0].state, LineOutcome::State::done);
  EXPECT_FALSE(fs::exists(from / "crate"));
  EXPECT_EQ(fs::file_size(to / "crate"), 5'000'000u);
}

TEST(FerryToAnotherDrive, AFullOneLeavesTheThingWhereItWas) {
  const LoopDrive from("ext4", drive32), to("ext4", 8u << 20);
  ZT_NEEDS(from);
  ZT_NEEDS(to);
  std::ofstream(from / "crate", std::ios::binary) << std::string(15'000'000, 'c');
  const RunReport report = ferry(from.path(), to.path());
  ASSERT_EQ(report.lines.size(), 1u);
  EXPECT_EQ(report.lines[0].state, LineOutcome::State::refused);
  EXPECT_EQ(report.lines[0].problems.at(0).problem, Errc::noSpace);
  EXPECT_EQ(fs::file_size(from / "crate"), 15'000'000u);
  EXPECT_FALSE(fs::exists(to / "crate")) << "what was begun is taken back";
}

TEST(FerryToAnotherDrive, TheSameDriveByAnotherMountIsNone) {
  for (const char* type : {"ext4", "btrfs"}) {
    const LoopDrive drive(type, type == std::string("btrfs") ? 128u << 20 : drive32);
    ZT_NEEDS(drive);
    const TempFolder t;
    t.folder("bound");
    fs::create_directories(drive / "quay");
    std::ofstream(drive / "crate", std::ios::binary) << std::string(1'000'000, 'c');
    ASSERT_EQ(::mount((drive / "quay").c_str(), (t / "bound").c_str(), nullptr, MS_BIND, nullptr), 0);
    const RunReport report = ferry(drive.path(), t / "bound");
    ::umount2((t / "bound").c_str(), MNT_DETACH);
    ASSERT_EQ(report.lines.size(), 1u);
    EXPECT_EQ(report.lines[0].problems.at(0).problem, Errc::onDrive) << type;
    EXPECT_TRUE(fs::exists(drive / "crate")) << type;
  }
}

}  // namespace
}  // namespace zt::test
