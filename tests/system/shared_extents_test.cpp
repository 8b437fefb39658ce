// SPDX-License-Identifier: GPL-3.0-or-later
// Promises where extents are shared: on random Btrfs and XFS drives full of reflinks and snapshots what is
// sure must come free by the drive's own counter, and the proof must agree with it. `ZT_SOAK=10` takes ten
// times as many drives.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <linux/fs.h>
#include <sys/ioctl.h>
#include <sys/statvfs.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <random>

#include "core/job/job.h"
#include "support/fakes.h"
#include "support/loop_drive.h"
#include "support/run_program.h"
#include "support/seed.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;
constexpr Bytes block = 64 * 1024;

/// A drive with files of random content, whole and partial copies that share their extents, links and
/// snapshots.
class Shared {
public:
  Shared(LoopDrive& drive, unsigned seed) : drive_(drive), random_(seed) {}

  void fill(bool snapshots) {
    for (int i = 0; i < 5; ++i) fs::create_directories(drive_ / ("d" + std::to_string(i)));
    for (int i = 0; i < 40; ++i) {
      if (names_.empty() || random_() % 3 == 0)
        write();
      else
        share();
    }
    ::sync();
    if (snapshots)
      (void)runProgram(
          {"/usr/bin/btrfs", "-q", "subvolume", "snapshot", "-r", drive_.path(), drive_ / "snap"});
  }
  /// Some files and perhaps a folder, relative to the drive.
  std::vector<PathBytes> choose() {
    std::shuffle(names_.begin(), names_.end(), random_);
    std::vector<PathBytes> chosen;
    const std::string folder = "d" + std::to_string(random_() % 5);
    if (random_() % 2 == 0) chosen.push_back(folder);
    for (std::size_t i = 0; i < names_.size() / 2; ++i)
      if (chosen.empty() || chosen[0] != folder || !names_[i].starts_with(folder + "/"))
        chosen.push_back(names_[i]);
    return chosen;
  }

private:
  std::string newName() {
    names_.push_back("d" + std::to_string(random_() % 5) + "/f" + std::to_string(names_.size()));
    return drive_ / names_.back();
  }
  void write() {
    std::ofstream out(newName(), std::ios::binary);
    std::string bytes(block * (1 + random_() % 12), '\0');
    for (std::size_t i = 0; i < bytes.size(); i += 8) {
      const auto word = random_();
      std::copy_n(reinterpret_cast<const char*>(&word), 8, &bytes[i]);
    }
    out << bytes;
  }
  void share() {
    const std::string from = drive_ / names_[random_() % names_.size()];
    const std::string to = newName();
    if (random_() % 5 == 0) {
      std::error_code ignored;
      fs::create_hard_link(from, to, ignored);
      return;
    }
    const int in = ::open(from.c_str(), O_RDONLY | O_CLOEXEC);
    const int out = ::open(to.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0644);
    must(in >= 0 && out >= 0, "open");
    if (random_() % 2 == 0) {
      must(::ioctl(out, FICLONE, in) == 0, "clone");
    } else {
      const auto size = static_cast<Bytes>(fs::file_size(from));
      file_clone_range range{};
      range.src_fd = in;
      range.src_length = std::max(block, size / block / 2 * block);
      (void)::ioctl(out, FICLONERANGE, &range);
      const std::string own(block, 'o');
      must(::pwrite(out, own.data(), own.size(), static_cast<off_t>(range.src_length)) == std::ssize(own),
           "write");
    }
    ::close(in), ::close(out);
  }

  LoopDrive& drive_;
  std::mt19937_64 random_;
  std::vector<PathBytes> names_;
};

class SharedExtents : public ::testing::TestWithParam<const char*> {};

TEST_P(SharedExtents, WhatIsSureComesFree) {
  const char* soak = std::getenv("ZT_SOAK");
  const int drives = 5 * (soak == nullptr ? 1 : std::max(1, std::atoi(soak)));
  const auto first = drawSeed();
  double promised = 0;
  double freed = 0;
  for (int i = 0; i < drives; ++i) {
    const auto seed = first + static_cast<unsigned>(i);
    SCOPED_TRACE("seed " + std::to_string(seed));
    LoopDrive drive(GetParam(), Bytes{400} << 20);
    ZT_NEEDS(drive);
    Shared shared(drive, seed);
    shared.fill(GetParam() == std::string("btrfs") && i % 2 == 1);
    auto job = Job::create(realWorkshop(), drive.path(), false, {}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    ASSERT_TRUE(job->planBook().addPaths(shared.choose(), "discard"));
    const PlannedGain planned = job->planBook().planned();
    const Bytes before = freeOn(drive.path());
    const auto report = job->reclaim(job->planBook().consent().token, {});
    ASSERT_TRUE(report);
    for (const auto& line : report->lines) ASSERT_EQ(line.state, LineOutcome::State::done) << line.line;
    const auto proof = job->prove();
    ASSERT_TRUE(proof);
    const auto rose = static_cast<SignedBytes>(freeOn(drive.path())) - static_cast<SignedBytes>(before);
    // Unlinking itself may take or give a few blocks of the file system's own structures.
    constexpr SignedBytes structures = 65'536;
    EXPECT_LE(static_cast<SignedBytes>(planned.sure), rose + structures) << "a promise that was not kept";
    EXPECT_LE(std::abs(proof->actual - rose), structures) << "the proof is the drive's own counter";
    promised += static_cast<double>(planned.sure);
    freed += static_cast<double>(rose);
  }
  std::printf("%s: %d drives, sure %.1f MB, freed %.1f MB\n", GetParam(), drives, promised / 1e6,
              freed / 1e6);
  EXPECT_GT(promised, 0) << "what is nobody else's is still promised";
}

INSTANTIATE_TEST_SUITE_P(OnReal, SharedExtents, ::testing::Values("btrfs", "xfs"));

}  // namespace
}  // namespace zt::test
