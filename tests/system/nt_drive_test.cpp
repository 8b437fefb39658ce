// SPDX-License-Identifier: GPL-3.0-or-later
// A real drive of the nt family, by ntfs-3g: its names in any case, its trash, a saved session.
#include <gtest/gtest.h>
#include <sys/mount.h>

#include <cerrno>
#include <cstring>
#include <filesystem>
#include <fstream>

#include "core/job/job.h"
#include "support/fakes.h"
#include "support/loop_drive.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

void put(const std::string& path, const std::string& content) {
  std::filesystem::create_directories(std::filesystem::path(path).parent_path());
  std::ofstream(path, std::ios::binary) << content;
}

std::string little(std::uint64_t value, int bytes) {
  std::string out;
  for (int i = 0; i < bytes; ++i) out += static_cast<char>(value >> (8 * i) & 0xFF);
  return out;
}

/// Version 2, thrown away in 2020.
std::string recycleRecord(const std::string& path, std::uint64_t bytes) {
  std::string out =
      little(2, 8) + little(bytes, 8) + little(132'300'000'000'000'000, 8) + little(path.size() + 1, 4);
  for (const char c : path + '\0') out += little(static_cast<unsigned char>(c), 2);
  return out;
}

class NtDrive : public ::testing::Test {
protected:
  void SetUp() override {
    drive = std::make_unique<LoopDrive>("ntfs", Bytes{192} << 20);
    ZT_NEEDS((*drive));
    const std::string block(300'000, 'x');
    for (const char* path : {"WINDOWS/SYSTEM32/NTOSKRNL.EXE", "WINDOWS/SYSTEM32/CONFIG/SYSTEM",
                             "WINDOWS/SYSTEM32/CONFIG/software", "USERS/Kim/Documents/plan.docx",
                             "USERS/Kim/ntuser.dat", "USERS/Kim/APPDATA/local/temp/fresh.tmp"})
      put(*drive / path, block);
    put(*drive / "$Recycle.Bin/S-1-5-21-7-1001/$RQ1W2E3.mov", std::string(2'000'000, 'm'));
    put(*drive / "$Recycle.Bin/S-1-5-21-7-1001/$IQ1W2E3.mov",
        recycleRecord("C:\\Users\\Kim\\pier.mov", 2'000'000));
    put(*drive / "$Recycle.Bin/S-1-5-21-7-1001/desktop.ini", "x");
  }
  void measure() {
    auto made = Job::create(real, drive->path(), false, {});
    ASSERT_TRUE(made) << made.error().detail;
    job = std::move(*made);
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  }
  const Find* find(std::string_view kind) const {
    for (const Find& f : *job->surveys().finds())
      if (f.kind == kind) return &f;
    return nullptr;
  }
  std::unique_ptr<LoopDrive> drive;
  Workshop real = realWorkshop();
  std::unique_ptr<Job> job;
};

TEST_F(NtDrive, IsKnownInAnyCaseAndItsTrashGoesInPairs) {
  if (!drive->mounted()) return;
  measure();
  const FindContext& c = *job->surveys().context();
  ASSERT_FALSE(c.places.systems().empty());
  EXPECT_EQ(c.places.systems().front().family, SystemFamily::nt);
  for (const PathBytes& path : {PathBytes("USERS/Kim/ntuser.dat"), PathBytes("WINDOWS/SYSTEM32/CONFIG")}) {
    const auto added = job->planBook().addPaths({path}, "discard");
    EXPECT_TRUE(!added && added.error().code == Errc::bedrock) << path;
  }
  const Find* trash = find("trash");
  ASSERT_NE(trash, nullptr);
  ASSERT_EQ(trash->items.size(), 2u) << "the thing and its record, and not the folder's own file";
  EXPECT_EQ(trash->items[0].origin, "C:/Users/Kim/pier.mov");
  EXPECT_EQ(trash->standing, Standing::spent);
  EXPECT_EQ(find("leftovers"), nullptr) << "what was written just now is left alone";
  ASSERT_TRUE(job->planBook().add({trash->id}, ""));
  const auto report = job->reclaim(job->planBook().consent().token, {});
  ASSERT_TRUE(report) << report.error().detail;
  EXPECT_EQ(report->lines.at(0).state, LineOutcome::State::done);
  EXPECT_FALSE(std::filesystem::exists(*drive / "$Recycle.Bin/S-1-5-21-7-1001/$RQ1W2E3.mov"));
  EXPECT_FALSE(std::filesystem::exists(*drive / "$Recycle.Bin/S-1-5-21-7-1001/$IQ1W2E3.mov"));
  EXPECT_TRUE(std::filesystem::exists(*drive / "$Recycle.Bin/S-1-5-21-7-1001/desktop.ini"));
}

/// A job that is open must not keep the customer's drive on the bench.
TEST_F(NtDrive, CanBeDetachedWhileItsJobIsOpen) {
  if (!drive->mounted()) return;
  measure();
  EXPECT_EQ(::umount(drive->path().c_str()), 0) << std::strerror(errno);
}

TEST_F(NtDrive, IsLeftAloneWhileItSleeps) {
  if (!drive->mounted()) return;
  put(*drive / "hiberfil.sys", "hibr" + std::string(400'000, 'h'));
  measure();
  const Find* trash = find("trash");
  ASSERT_NE(trash, nullptr);
  ASSERT_TRUE(job->planBook().add({trash->id}, ""));
  const auto report = job->reclaim(job->planBook().consent().token, {});
  ASSERT_FALSE(report);
  EXPECT_EQ(report.error().code, Errc::asleep);
  EXPECT_TRUE(std::filesystem::exists(*drive / "$Recycle.Bin/S-1-5-21-7-1001/$RQ1W2E3.mov"));
}

}  // namespace
}  // namespace zt::test
