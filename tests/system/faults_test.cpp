// SPDX-License-Identifier: GPL-3.0-or-later
// Real drives that go away, and numbers that come back, while they are measured.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/mount.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <filesystem>
#include <fstream>
#include <thread>

#include "core/drive/drive.h"
#include "core/os/forwarding_file_system.h"
#include "core/os/linux/linux_open_files.h"
#include "core/survey/measure/measure.h"
#include "support/fakes.h"
#include "support/loop_drive.h"
#include "support/run_program.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;

/// Does something once, when the walk opens its so-many-th folder.
class Midway final : public ForwardingFileSystem {
public:
  Midway(FileSystemPtr inner, int folders, std::function<void()> act)
      : ForwardingFileSystem(std::move(inner)), left_(folders), act_(std::move(act)) {}
  Result<FolderPtr> openFolder(const Folder& at, std::string_view name) override {
    if (--left_ == 0) act_();
    return inner_.openFolder(at, name);
  }
  bool done() const { return left_ <= 0; }

private:
  std::atomic<int> left_;
  std::function<void()> act_;
};

constexpr int folders = 200;
constexpr int filesEach = 20;

void fill(const LoopDrive& drive) {
  for (int d = 0; d < folders; ++d) {
    const fs::path folder = drive / ("d" + std::to_string(d));
    fs::create_directories(folder);
    for (int f = 0; f < filesEach; ++f) std::ofstream(folder / ("f" + std::to_string(f))) << "some bytes";
  }
  ::sync();
}

/// Measures the drive in this process while `act` happens to it after so many folders.
Result<SurveyPtr> measureWhile(const LoopDrive& drive, int after, const std::function<void()>& act,
                               std::chrono::milliseconds patience = std::chrono::seconds(30)) {
  const Workshop machine = realWorkshop();
  const auto midway = std::make_shared<Midway>(machine.files, after, act);
  const auto facts = driveOf(machine, drive.path());
  if (!facts) return tl::unexpected(facts.error());
  WalkOptions options;
  options.threads = 2;
  options.patience = patience;
  auto survey = measure({midway, machine.openFiles, machine.insides, machine.clock, {}}, *facts, drive.path(),
                        options, {}, nullptr);
  EXPECT_TRUE(midway->done());
  return survey;
}

class DriveGoesAway : public ::testing::TestWithParam<const char*> {
protected:
  Bytes size() const { return Bytes{GetParam() == std::string("ext4") ? 64u : 320u} << 20; }
};

/// Unmounted under the walk: the handles still work, so every file is counted; nothing is asked by path.
TEST_P(DriveGoesAway, UnmountedMidway) {
  LoopDrive drive(GetParam(), size());
  ZT_NEEDS(drive);
  fill(drive);
  const auto survey = measureWhile(drive, folders / 2,
                                   [&] { must(::umount2(drive.path().c_str(), MNT_DETACH) == 0, "umount"); });
  ASSERT_TRUE(survey) << survey.error().operation;
  const Statement& s = (*survey)->statement;
  EXPECT_EQ((*survey)->tree.totals(0).files, folders * filesEach + 0u);
  EXPECT_TRUE((*survey)->partial);
  EXPECT_EQ(s.source(StatementLine::overhead), LineSource::none);
  EXPECT_EQ(s.sum(), static_cast<SignedBytes>(s.capacity));
}

/// The device stops answering: the system says EIO for what it has not read yet. What was seen is kept, what
/// was not is listed, and the statement says how much it can be at most.
TEST_P(DriveGoesAway, DeviceFailsMidway) {
  LoopDrive drive(GetParam(), size());
  ZT_NEEDS(drive);
  fill(drive);
  must(drive.remount(""), "remount");  // nothing is known in memory
  const auto survey = measureWhile(drive, folders / 2, [&] {
    must(::truncate(drive.image().c_str(), 0) == 0, "truncate");
    std::ofstream("/proc/sys/vm/drop_caches") << "3\n";
  });
  ASSERT_TRUE(survey) << survey.error().operation;
  std::uint64_t failed = 0;
  for (const auto& e : (*survey)->exceptions)
    failed += e.kind == SurveyException::Kind::unreadable && e.sysErrno != 0;
  std::string numbers;  // EIO, or what the file system makes of blocks that are not its own: EUCLEAN, EBADMSG
  for (const auto& e : (*survey)->exceptions) numbers += std::to_string(e.sysErrno) + " ";
  // Where an inode's block reads as nothing the system says ESTALE: that entry counts as gone.
  EXPECT_GT(failed + (*survey)->vanished, 0u) << numbers;
  const Statement& s = (*survey)->statement;
  EXPECT_EQ(s.sum(), static_cast<SignedBytes>(s.capacity));
  EXPECT_GT((*survey)->tree.entries(), 10u) << "what was seen is kept";
  std::printf("%s: %llu places could not be read, %u entries seen\n", GetParam(),
              static_cast<unsigned long long>(failed), (*survey)->tree.entries());
}

INSTANTIATE_TEST_SUITE_P(Loop, DriveGoesAway, ::testing::Values("ext4", "xfs"),
                         [](const auto& one) { return std::string(one.param); });

/// Nobody answers any more, as on a dead network drive: here the program that serves the file system is
/// stopped. The walk gives up in a few times its patience, and so does the statement.
TEST(HungDrive, IsGivenUpAndWhatWasSeenIsKept) {
  LoopDrive drive("exfat", Bytes{64} << 20);
  ZT_NEEDS(drive);
  for (int d = 0; d < 40; ++d) {
    fs::create_directories(drive / ("d" + std::to_string(d)));
    std::ofstream(drive / ("d" + std::to_string(d) + "/file")) << std::string(9000, 'x');
  }
  ::sync();
  const Ran found = runProgram({"/usr/bin/pgrep", "-n", "-f", "mount.exfat"});
  ASSERT_EQ(found.status, 0);
  const pid_t server = std::stoi(found.out);
  const auto begun = std::chrono::steady_clock::now();
  const auto survey = measureWhile(
      drive, 20, [&] { must(::kill(server, SIGSTOP) == 0, "stop"); }, std::chrono::milliseconds(300));
  const auto took = std::chrono::steady_clock::now() - begun;
  must(::kill(server, SIGCONT) == 0, "continue");
  ASSERT_TRUE(survey);
  EXPECT_LT(took, std::chrono::seconds(30)) << "40 folders would take forever, one after another";
  EXPECT_TRUE((*survey)->partial);
  EXPECT_GE((*survey)->tree.totals(0).files, 10u) << "what was seen is kept";
  const auto unanswered =
      std::count_if((*survey)->exceptions.begin(), (*survey)->exceptions.end(),
                    [](const auto& e) { return e.kind == SurveyException::Kind::unanswered; });
  EXPECT_GE(unanswered, 2);
  EXPECT_TRUE((*survey)->leftUnanswered());
  const Statement& s = (*survey)->statement;
  EXPECT_EQ(s.sum(), static_cast<SignedBytes>(s.capacity));
  EXPECT_GT(s.capacity, Bytes{60} << 20) << "the counters from before";
}

/// What others hold on a drive that hangs is listed all the same: nobody is asked who does not answer.
TEST(HungDrive, DoesNotHangTheListingOfOpenFiles) {
  LoopDrive drive("exfat", Bytes{64} << 20);
  ZT_NEEDS(drive);
  std::ofstream(drive / "held") << std::string(9000, 'x');
  struct stat st {};
  must(::stat((drive / "held").c_str(), &st) == 0, "stat");
  int ready[2];
  must(::pipe(ready) == 0, "pipe");
  const pid_t holder = ::fork();
  if (holder == 0) {
    const int file = ::open((drive / "held").c_str(), O_RDONLY | O_CLOEXEC);
    (void)!::write(ready[1], file < 0 ? "n" : "y", 1);
    while (true) ::pause();
  }
  char said = 0;
  must(::read(ready[0], &said, 1) == 1, "the holder's word");
  const pid_t server = std::stoi(runProgram({"/usr/bin/pgrep", "-n", "-f", "mount.exfat"}).out);
  ::sync();
  must(::kill(server, SIGSTOP) == 0, "stop");
  std::this_thread::sleep_for(std::chrono::milliseconds(1500));  // what the system remembered is too old now
  const auto begun = std::chrono::steady_clock::now();
  const auto listing = LinuxOpenFiles().list();
  const auto took = std::chrono::steady_clock::now() - begun;
  must(::kill(server, SIGCONT) == 0, "continue");
  must(::kill(holder, SIGKILL) == 0 && ::waitpid(holder, nullptr, 0) == holder, "end of the holder");
  ::close(ready[0]);
  ::close(ready[1]);
  EXPECT_EQ(said, 'y');
  EXPECT_LT(took, std::chrono::seconds(10));
  ASSERT_TRUE(listing);
  EXPECT_TRUE(std::any_of(listing->files.begin(), listing->files.end(),
                          [&](const OpenFile& f) { return f.pid == holder && f.inode == st.st_ino; }));
}

/// ext4 gives the number of a removed file to the next one at once. Same name, length and times: it is not
/// what was measured, and must not be discarded.
TEST(InodeReuse, ANewFileInAnOldOnesPlaceIsNotDiscarded) {
  LoopDrive drive("ext4", Bytes{64} << 20);
  ZT_NEEDS(drive);
  fs::create_directories(drive / "d");
  const std::string path = drive / "d/recording.wav";
  const auto make = [&](char c) {
    std::ofstream(path) << std::string(3'000'000, c);
    const timespec times[2] = {{1'700'000'000, 0}, {1'700'000'000, 0}};
    must(::utimensat(AT_FDCWD, path.c_str(), times, 0) == 0, "utimensat");
    struct stat st {};
    must(::stat(path.c_str(), &st) == 0, "stat");
    return st.st_ino;
  };
  const auto first = make('a');
  TempFolder t;
  const std::string job = t / "a.ztjob";
  ASSERT_EQ(runProgram({ZTALLY, "measure", drive.path(), "--job", job}).status, 0);
  ASSERT_EQ(
      runProgram({ZTALLY, "plan", "--job", job, "add", "d/recording.wav", "--action", "discard"}).status, 0);
  const std::string token =
      runProgram({ZTALLY, "reclaim", "--job", job, "--json"}).json()["consent"]["token"];
  must(::unlink(path.c_str()) == 0, "unlink");
  ASSERT_EQ(make('b'), first) << "this test needs a file system that reuses numbers at once";
  const Ran reclaimed = runProgram({ZTALLY, "reclaim", "--job", job, "--consent", token, "--json"});
  EXPECT_NE(reclaimed.status, 0) << reclaimed.out;
  EXPECT_EQ(fs::file_size(path), 3'000'000u);
  std::ifstream in(path);
  EXPECT_EQ(in.get(), 'b');
}

}  // namespace
}  // namespace zt::test
