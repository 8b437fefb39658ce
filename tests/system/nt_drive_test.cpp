// SPDX-License-Identifier: GPL-3.0-or-later
// A real drive of the nt family, by ntfs-3g: its names in any case, its trash, a saved session.
#include <gtest/gtest.h>
#include <sys/xattr.h>

#include <filesystem>
#include <fstream>

#include "core/job/drive_holds.h"
#include "core/job/job.h"
#include "support/code_of.h"
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
  bool detached() const { return unmounted(drive->path()); }
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
  const Find* young = find("leftovers");
  EXPECT_TRUE(young == nullptr || young->standing == Standing::unjudged)
      << "what was written just now is left alone, or asked for";
  ASSERT_TRUE(job->planBook().add({trash->id}, ""));
  const auto report = job->reclaim(job->planBook().consent().token, {});
  ASSERT_TRUE(report) << report.error().detail;
  EXPECT_EQ(report->lines.at(0).state, LineOutcome::State::done);
  EXPECT_FALSE(std::filesystem::exists(*drive / "$Recycle.Bin/S-1-5-21-7-1001/$RQ1W2E3.mov"));
  EXPECT_FALSE(std::filesystem::exists(*drive / "$Recycle.Bin/S-1-5-21-7-1001/$IQ1W2E3.mov"));
  EXPECT_TRUE(std::filesystem::exists(*drive / "$Recycle.Bin/S-1-5-21-7-1001/desktop.ini"));
}

/// What lies online is told by its attributes and its reparse tag, and is not opened.
TEST_F(NtDrive, DoesNotOpenPlaceholdersOfWhatLiesOnline) {
  const auto root = real.files->openRoot(drive->path()).value();
  const auto read = [&](const char* file) {
    const auto head = real.files->readHead(*root, file, 16);
    return head ? std::string("read") : std::string(name(head.error().code));
  };
  const auto file = [&](const char* called) {
    put(*drive / called, std::string(20'000, 'x'));
    return *drive / called;
  };
  file("here.mov");
  const std::string attributes("\x00\x00\x10\x20", 4);  // offline, and to be archived
  ASSERT_EQ(::setxattr(file("offline.mov").c_str(), "system.ntfs_attrib_be", attributes.data(), 4, 0), 0);
  const std::string reparse = little(0x9000301A, 4) + little(8, 2) + little(0, 2) + std::string(8, 'c');
  ASSERT_EQ(
      ::setxattr(file("cloud.mov").c_str(), "system.ntfs_reparse_data", reparse.data(), reparse.size(), 0),
      0);
  std::ofstream(*drive / "hole.mov").close();
  ASSERT_EQ(::truncate((*drive / "hole.mov").c_str(), 1'000'000), 0);
  EXPECT_EQ(read("here.mov"), "read");
  EXPECT_EQ(read("offline.mov"), "placeholder");
  EXPECT_EQ(read("hole.mov"), "placeholder") << "nothing of it is stored";
  EXPECT_NE(read("cloud.mov"), "read");
  EXPECT_EQ(codeOf(real.files->readFile(*root, "offline.mov", 1 << 20)), Errc::placeholder);
}

/// Sets the flag of a volume that was not closed well: the first bit of $VOLUME_INFORMATION (attribute 0x70)
/// in record 3 of the master file table.
void makeDirty(const std::string& image) {
  std::fstream file(image, std::ios::in | std::ios::out | std::ios::binary);
  const auto number = [&](std::uint64_t at, int bytes) {
    std::uint64_t value = 0;
    file.seekg(static_cast<std::streamoff>(at));
    for (int i = 0; i < bytes; ++i) value |= std::uint64_t{static_cast<unsigned char>(file.get())} << (8 * i);
    return value;
  };
  const std::uint64_t cluster = number(0x0B, 2) * number(0x0D, 1);
  for (const std::uint64_t table : {0x30u, 0x38u}) {
    const std::uint64_t record = number(table, 8) * cluster + 3 * 1024;
    std::uint64_t at = record + number(record + 0x14, 2);
    while (number(at, 4) != 0x70) {
      ASSERT_NE(number(at, 4), 0xFFFFFFFFu);
      at += number(at + 4, 4);
    }
    const std::uint64_t flags = at + number(at + 0x14, 2) + 10;
    const auto dirty = static_cast<char>(number(flags, 1) | 1);
    file.seekp(static_cast<std::streamoff>(flags));
    file.put(dirty);
  }
}

/// A volume that was not closed well is measured, and nothing on it is changed, however it is reached.
TEST_F(NtDrive, ADirtyVolumeIsReadOnly) {
  measure();
  const Find* trash = find("trash");
  ASSERT_NE(trash, nullptr);
  ASSERT_TRUE(job->planBook().add({trash->id}, "hold"));
  ASSERT_TRUE(job->reclaim(job->planBook().consent().token, {})) << "closed properly, it may be worked on";
  job.reset();
  ASSERT_TRUE(detached());
  makeDirty(drive->image());
  ASSERT_TRUE(drive->remount("")) << drive->why();
  for (const char* at : {"", "/USERS"}) {
    auto again = Job::create(real, drive->path() + at, false, {}).value();
    ASSERT_TRUE(again->measurer().measure({}, {}, nullptr));
    const char* file = *at == 0 ? "USERS/Kim/Documents/plan.docx" : "Kim/Documents/plan.docx";
    ASSERT_TRUE(again->planBook().addPaths({file}, "discard"));
    const auto report = again->reclaim(again->planBook().consent().token, {});
    ASSERT_FALSE(report) << at;
    EXPECT_EQ(codeOf(report), Errc::unclean) << at;
  }
  const auto holds = DriveHolds::open(real, drive->path(), false).value();
  EXPECT_FALSE(holds->things().empty());
  EXPECT_EQ(codeOf(holds->putBack({})), Errc::unclean);
  EXPECT_EQ(codeOf(holds->release(holds->releaseConsent().token, {})), Errc::unclean);
  EXPECT_TRUE(std::filesystem::exists(*drive / "USERS/Kim/Documents/plan.docx"));
}

/// A job that is open must not keep the customer's drive on the bench.
TEST_F(NtDrive, CanBeDetachedWhileItsJobIsOpen) {
  measure();
  EXPECT_TRUE(detached());
}

/// By its top, by a folder in it, and from its hold, in whatever letters the mark is written.
TEST_F(NtDrive, IsLeftAloneWhileItSleeps) {
  measure();
  const Find* trash = find("trash");
  ASSERT_NE(trash, nullptr);
  ASSERT_TRUE(job->planBook().add({trash->id}, "hold"));
  ASSERT_TRUE(job->reclaim(job->planBook().consent().token, {}));
  job.reset();
  put(*drive / "HiberFil.Sys", "hibr" + std::string(400'000, 'h'));
  for (const char* at : {"", "/USERS"}) {
    auto again = Job::create(real, drive->path() + at, false, {}).value();
    ASSERT_TRUE(again->measurer().measure({}, {}, nullptr));
    const char* file = *at == 0 ? "USERS/Kim/Documents/plan.docx" : "Kim/Documents/plan.docx";
    ASSERT_TRUE(again->planBook().addPaths({file}, "discard"));
    const auto report = again->reclaim(again->planBook().consent().token, {});
    ASSERT_FALSE(report) << at;
    EXPECT_EQ(codeOf(report), Errc::asleep) << at;
  }
  const auto holds = DriveHolds::open(real, drive->path(), false).value();
  EXPECT_FALSE(holds->things().empty());
  EXPECT_EQ(codeOf(holds->putBack({})), Errc::asleep);
  EXPECT_EQ(codeOf(holds->release(holds->releaseConsent().token, {})), Errc::asleep);
  EXPECT_TRUE(std::filesystem::exists(*drive / "USERS/Kim/Documents/plan.docx"));
}

}  // namespace
}  // namespace zt::test
