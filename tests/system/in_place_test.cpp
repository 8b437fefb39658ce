// SPDX-License-Identifier: GPL-3.0-or-later
// Steps after which the thing is still there, on real drives: copies that become one, images made compact.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>

#include <filesystem>
#include <fstream>
#include <random>

#include "core/job/job.h"
#include "support/drive_files.h"
#include "support/fakes.h"
#include "support/flipping_file_system.h"
#include "support/loop_drive.h"
#include "support/run_program.h"
#include "support/seed.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;

/// A job on a drive whose contents were compared.
std::unique_ptr<Job> compared(const LoopDrive& drive, Workshop w = realWorkshop()) {
  auto job = Job::create(w, drive.path(), false, {}).value();
  EXPECT_TRUE(job->measurer().measure({}, {}, nullptr));
  MatchBook::Options how;
  how.least = 1;
  EXPECT_TRUE(job->contents().match(how, nullptr));
  return job;
}

/// Puts the first find of a kind on the plan.
const Find* plan(Job& job, const char* kind, const char* action, const StepParameters& told = {}) {
  for (const Find& f : *job.surveys().finds())
    if (f.kind == kind) {
      const auto added = job.planBook().add({f.id}, action, {}, told);
      EXPECT_TRUE(added) << name(added.error().code) << added.error().detail;
      return &f;
    }
  ADD_FAILURE() << "no find of " << kind;
  return nullptr;
}

void expectCounter(const LoopDrive& drive, Job& job, Bytes sure, Bytes slack = 262'144) {
  const Bytes before = freeOn(drive.path());
  const auto report = job.reclaim(job.consent().token, {});
  ASSERT_TRUE(report);
  for (const auto& line : report->lines)
    ASSERT_EQ(line.state, LineOutcome::State::done)
        << (line.problems.empty() ? ""
                                  : std::string(name(*line.problems[0].problem)) + line.problems[0].detail);
  const auto rose = static_cast<double>(freeOn(drive.path())) - static_cast<double>(before);
  EXPECT_NEAR(rose, static_cast<double>(sure), static_cast<double>(slack));
  EXPECT_GE(rose + 1, static_cast<double>(sure) - static_cast<double>(slack));
}

TEST(LinkCopies, TheCopyBecomesAnotherNameAndItsBytesComeFree) {
  const LoopDrive drive("ext4", 64u << 20);
  ZT_NEEDS(drive);
  const std::string song = noise(5'000'000, 1);
  for (const char* name : {"a/song", "b/song copy", "c/third"}) putOn(drive / name, song);
  auto job = compared(drive);
  plan(*job, "duplicates", "link");
  expectCounter(drive, *job, job->planBook().planned().sure);
  EXPECT_EQ(inodeAt(drive / "a/song"), inodeAt(drive / "b/song copy"));
  EXPECT_EQ(inodeAt(drive / "a/song"), inodeAt(drive / "c/third"));
  std::ifstream in(drive / "b/song copy", std::ios::binary);
  EXPECT_EQ(std::string(std::istreambuf_iterator<char>(in), {}), song);
  EXPECT_TRUE(job->prove());
}

TEST(LinkCopies, WhoseOwnerOrRightsDifferStaysItsOwnFile) {
  const LoopDrive drive("ext4", 64u << 20);
  ZT_NEEDS(drive);
  const std::string song = noise(100'000, 1);
  for (const char* name : {"a/song", "b/mine", "c/closed"}) putOn(drive / name, song);
  ASSERT_EQ(::chown((drive / "b/mine").c_str(), 1234, 0), 0);
  ::chmod((drive / "c/closed").c_str(), 0600);
  auto job = compared(drive);
  plan(*job, "duplicates", "link");
  const auto checked = job->rehearse().value();
  ASSERT_EQ(checked.size(), 2u);
  for (const auto& r : checked) EXPECT_EQ(r.problem, Errc::unmet) << r.path;
  const auto report = job->reclaim(job->consent().token, {});
  ASSERT_TRUE(report);
  EXPECT_EQ(report->lines[0].itemsDone, 0u);
  EXPECT_NE(inodeAt(drive / "a/song"), inodeAt(drive / "b/mine"));
}

TEST(LinkCopies, OneThatWasWrittenToMeanwhileStays) {
  const LoopDrive drive("ext4", 64u << 20);
  ZT_NEEDS(drive);
  const std::string song = noise(100'000, 1);
  for (const char* name : {"a/song", "b/other"}) putOn(drive / name, song);
  auto job = compared(drive);
  const Find* find = plan(*job, "duplicates", "link");
  ASSERT_NE(find, nullptr);
  // The same size and time, one byte else; the file that stays, and that is not looked at on paper.
  const std::string keeper = find->items[0].path == "a/song" ? "b/other" : "a/song";
  struct stat was {};
  ::stat((drive / keeper).c_str(), &was);
  {
    std::fstream file(drive / keeper, std::ios::in | std::ios::out | std::ios::binary);
    file.seekp(50'000);
    file.put(static_cast<char>(~song[50'000]));
  }
  const timespec times[2] = {was.st_atim, was.st_mtim};
  ::utimensat(AT_FDCWD, (drive / keeper).c_str(), times, 0);
  const auto report = job->reclaim(job->consent().token, {});
  ASSERT_TRUE(report);
  EXPECT_EQ(report->lines[0].itemsDone, 0u);
  EXPECT_NE(inodeAt(drive / "a/song"), inodeAt(drive / "b/other"));
  EXPECT_TRUE(fs::exists(drive / "a/song") && fs::exists(drive / "b/other"));
}

TEST(ShareCopies, BothStayAndAreStoredOnce) {
  for (const char* type : {"btrfs", "xfs"}) {
    const LoopDrive drive(type, type == std::string("xfs") ? 320u << 20 : 128u << 20);
    ZT_NEEDS(drive);
    const std::string song = noise(20'000'000, 1);
    for (const char* name : {"a/song", "b/song copy"}) putOn(drive / name, song);
    ::sync();
    auto job = compared(drive);
    plan(*job, "duplicates", "share");
    expectCounter(drive, *job, job->planBook().planned().sure, 400'000);
    EXPECT_NE(inodeAt(drive / "a/song"), inodeAt(drive / "b/song copy")) << type;
    EXPECT_EQ(sha256sumOf(drive / "a/song"), sha256sumOf(drive / "b/song copy")) << type;
    EXPECT_NE(runProgram({program("filefrag"), "-v", drive / "b/song copy"}).out.find("shared"),
              std::string::npos)
        << type;
  }
}

/// A raw disk with an ext4 in it, half of it zeros that are stored.
std::string makeRaw(const std::string& path) {
  std::ofstream(path, std::ios::binary) << std::string(24'000'000 / 4096 * 4096, '\0');
  EXPECT_EQ(runProgram({program("mkfs.ext4"), "-qF", "-E", "nodiscard,lazy_itable_init=0", path}).status, 0);
  return sha256sumOf(path);
}

TEST(ShrinkImages, ZerosOfARawOneAreGivenBackAndItReadsAsItDid) {
  const LoopDrive drive("ext4", 64u << 20);
  ZT_NEEDS(drive);
  const std::string sum = makeRaw(drive / "guest.img");
  struct stat was {};
  ::stat((drive / "guest.img").c_str(), &was);
  auto job = compared(drive);
  const Find* find = plan(*job, "images", "shrink");
  ASSERT_NE(find, nullptr);
  EXPECT_GT(find->gain.sure, 15'000'000u);
  expectCounter(drive, *job, job->planBook().planned().sure);
  EXPECT_EQ(sha256sumOf(drive / "guest.img"), sum);
  struct stat is {};
  ::stat((drive / "guest.img").c_str(), &is);
  EXPECT_EQ(is.st_mtim.tv_nsec, was.st_mtim.tv_nsec) << "its date stays";
  EXPECT_EQ(runProgram({program("fsck.ext4"), "-fn", drive / "guest.img"}).status, 0);
}

/// A raw disk whose guest wrote a file and took it away again, and has another one.
void makeLived(const std::string& image, const TempFolder& t) {
  std::ofstream(image, std::ios::binary) << std::string(32u << 20, '\0');
  must(runProgram({program("mkfs.ext4"), "-qF", "-E", "nodiscard,lazy_itable_init=0", image}).status == 0,
       "mkfs");
  putOn(t / "stays", noise(3'000'000, 1));
  putOn(t / "goes", noise(12'000'000, 2));
  for (const char* ask : {"write stays stays", "write goes goes", "rm goes"})
    must(runProgram({"/bin/bash", "-c", "cd \"$1\" && \"$2\" -w -R \"$3\" \"$4\"", "guest", t / ".",
                     program("debugfs"), ask, image})
                 .status == 0,
         ask);
}

struct LivedIn {
  const char* format;
  const char* options;
  bool room;  ///< for a new one beside it
};

TEST(ShrinkImages, WhatTheGuestHasFreeGoesOnRequestAndWhatItHasStays) {
  for (const LivedIn& kind :
       {LivedIn{"raw", "", true}, LivedIn{"qcow2", "", true}, LivedIn{"qcow2", "", false},
        LivedIn{"vdi", "static=on", true}, LivedIn{"vmdk", "", false}}) {
    SCOPED_TRACE(std::string(kind.format) + kind.options + (kind.room ? "" : " without room"));
    const LoopDrive drive("ext4", 96u << 20, {}, {"-m", "0"});
    ZT_NEEDS(drive);
    const TempFolder t;
    const std::string image = drive / (std::string("guest.") + kind.format);
    makeLived(t / "lived", t);
    std::vector<std::string> convert{program("qemu-img"), "convert", "-f", "raw", "-O",
                                     kind.format,         "-S",      "0"};
    if (kind.options[0] != 0) convert.insert(convert.end(), {"-o", kind.options});
    convert.insert(convert.end(), {t / "lived", t / "image"});
    ASSERT_EQ(runProgram(convert).status, 0);
    ASSERT_EQ(runProgram({"/bin/cp", "--sparse=never", t / "image", image}).status, 0);
    if (!kind.room) putOn(drive / "filler", noise(freeOn(drive.path()) - 2'000'000, 3));
    auto job = compared(drive);
    StepParameters told;
    told.set("guest-free", std::uint64_t{1});
    plan(*job, "images", "shrink", told);
    const Bytes before = freeOn(drive.path());
    const auto report = job->reclaim(job->consent().token, {});
    ASSERT_TRUE(report);
    ASSERT_EQ(report->lines[0].state, LineOutcome::State::done)
        << (report->lines[0].problems.empty() ? "" : report->lines[0].problems[0].detail);
    EXPECT_GT(freeOn(drive.path()) - before, 24'000'000u) << "what it took away is not kept";
    ASSERT_EQ(
        runProgram({program("qemu-img"), "convert", "-f", kind.format, "-O", "raw", image, t / "now"}).status,
        0);
    EXPECT_EQ(runProgram({program("fsck.ext4"), "-fn", t / "now"}).status, 0);
    ASSERT_EQ(runProgram({program("debugfs"), "-R", "dump stays " + (t / "after"), t / "now"}).status, 0);
    EXPECT_EQ(sha256sumOf(t / "after"), sha256sumOf(t / "stays"));
  }
}

TEST(ShrinkImages, AQcow2IsWrittenAnewAndAnotherProgramReadsTheSameDiskInIt) {
  const LoopDrive drive("ext4", 128u << 20);
  ZT_NEEDS(drive);
  const std::string qemu = program("qemu-img"), image = drive / "guest.qcow2";
  const TempFolder t;
  makeRaw(t / "was.img");
  ASSERT_EQ(
      runProgram({qemu, "convert", "-O", "qcow2", "-S", "0", "-o", "cluster_size=4k", t / "was.img", image})
          .status,
      0);
  ::chmod(image.c_str(), 0640);
  auto job = compared(drive);
  plan(*job, "images", "shrink");
  const Bytes before = freeOn(drive.path()), sure = job->planBook().planned().sure;
  const auto report = job->reclaim(job->consent().token, {});
  ASSERT_TRUE(report);
  ASSERT_EQ(report->lines[0].state, LineOutcome::State::done)
      << name(report->lines[0].problems[0].problem.value_or(Errc::io)) << report->lines[0].problems[0].detail;
  EXPECT_GE(freeOn(drive.path()) - before + 262'144, sure);
  const Ran checked = runProgram({qemu, "check", image});
  EXPECT_EQ(checked.status, 0) << checked.out << checked.err;
  EXPECT_EQ(runProgram({qemu, "compare", "-f", "raw", "-F", "qcow2", t / "was.img", image}).status, 0);
  struct stat is {};
  ::stat(image.c_str(), &is);
  EXPECT_EQ(is.st_mode & 0777, 0640u);
  int entries = 0;
  for (const auto& e : fs::directory_iterator(drive.path())) entries += e.path().filename() != "lost+found";
  EXPECT_EQ(entries, 1) << "nothing is left beside it";
  EXPECT_TRUE(job->prove());
}

/// Of formats whose blocks a table tells of only those go that are empty; everything else stays as it was,
/// the disk's own identity among it.
TEST(ShrinkImages, ImagesOfBlocksAreWrittenAnewInTheirOwnFormat) {
  for (const std::string format : {"vdi", "vpc", "vhdx", "vmdk"}) {
    const LoopDrive drive("ext4", 192u << 20);
    ZT_NEEDS(drive);
    SCOPED_TRACE(format);
    const std::string qemu = program("qemu-img"),
                      image = drive / ("guest." + (format == "vpc" ? "vhd" : format));
    const TempFolder t;
    std::ofstream(t / "was.img", std::ios::binary) << std::string(48u << 20, '\0');
    ASSERT_EQ(
        runProgram({program("mkfs.ext4"), "-qF", "-E", "nodiscard,lazy_itable_init=0", t / "was.img"}).status,
        0);
    putOn(t / "stays", noise(5'000'000, 1));
    ASSERT_EQ(runProgram({"/bin/bash", "-c", "cd \"$1\" && \"$2\" -w -R 'write stays stays' was.img", "guest",
                          t / ".", program("debugfs")})
                  .status,
              0);
    ASSERT_EQ(
        runProgram({qemu, "convert", "-f", "raw", "-O", format, "-S", "0", t / "was.img", image}).status, 0);
    ::chmod(image.c_str(), 0640);
    const std::string told =
        runProgram({qemu, "info", "--output=json", image}).json().value("format-specific", Json()).dump();
    auto job = compared(drive);
    const Find* find = plan(*job, "images", "shrink");
    ASSERT_NE(find, nullptr);
    const Bytes before = freeOn(drive.path()), sure = job->planBook().planned().sure;
    // Blocks of that one are of 8 MiB: what is sure are those that are empty as a whole.
    EXPECT_GT(sure, format == "vhdx" ? 8'000'000u : 30'000'000u);
    const auto report = job->reclaim(job->consent().token, {});
    ASSERT_TRUE(report);
    ASSERT_EQ(report->lines[0].state, LineOutcome::State::done)
        << name(report->lines[0].problems[0].problem.value_or(Errc::io))
        << report->lines[0].problems[0].detail;
    EXPECT_GE(freeOn(drive.path()) - before + 262'144, sure);
    EXPECT_GT(freeOn(drive.path()) - before, 30'000'000u) << "zeros within blocks are holes";
    if (format != "vpc") {
      const Ran checked = runProgram({qemu, "check", "-f", format, image});
      EXPECT_EQ(checked.status, 0) << checked.out << checked.err;
    }
    const Ran same = runProgram({qemu, "compare", "-f", "raw", "-F", format, t / "was.img", image});
    EXPECT_EQ(same.status, 0) << same.out << same.err;
    EXPECT_EQ(
        runProgram({qemu, "info", "--output=json", image}).json().value("format-specific", Json()).dump(),
        told);
    struct stat is {};
    ::stat(image.c_str(), &is);
    EXPECT_EQ(is.st_mode & 0777, 0640u);
    // Its owner's program goes on with it: a block that was taken out can be written again.
    ASSERT_EQ(runProgram({program("qemu-io"), "-f", format, "-c", "write -P 7 40M 1M", "-c",
                          "read -P 7 40M 1M", image})
                  .status,
              0);
    ASSERT_EQ(runProgram({program("qemu-io"), "-f", "raw", "-c", "write -P 7 40M 1M", t / "was.img"}).status,
              0);
    EXPECT_EQ(runProgram({qemu, "compare", "-f", "raw", "-F", format, t / "was.img", image}).status, 0);
  }
}

/// Zeros of a file can be given back whatever the file is: it reads as it did, to the last byte.
TEST(ShrinkImages, ThoseOfAFixedSizeGiveTheirZerosBackWhereTheyLie) {
  const std::vector<std::vector<std::string>> kinds{{"vdi", "static=on", "guest.vdi"},
                                                    {"vpc", "subformat=fixed,force_size=on", "guest.vhd"}};
  for (const auto& kind : kinds) {
    const LoopDrive drive("ext4", 128u << 20);
    ZT_NEEDS(drive);
    SCOPED_TRACE(kind[0]);
    const std::string qemu = program("qemu-img"), image = drive / kind[2];
    const TempFolder t;
    makeRaw(t / "was.img");
    ASSERT_EQ(runProgram({qemu, "convert", "-O", kind[0], "-o", kind[1], t / "was.img", t / "fixed"}).status,
              0);
    ASSERT_EQ(runProgram({"/bin/cp", "--sparse=never", t / "fixed", image}).status, 0);
    const std::string sum = sha256sumOf(image);
    auto job = compared(drive);
    ASSERT_NE(plan(*job, "images", "shrink"), nullptr);
    EXPECT_GT(job->planBook().planned().sure, 20'000'000u);
    expectCounter(drive, *job, job->planBook().planned().sure);
    EXPECT_EQ(sha256sumOf(image), sum);
    EXPECT_EQ(runProgram({qemu, "compare", "-f", "raw", "-F", kind[0], t / "was.img", image}).status, 0);
    const auto proof = job->prove();
    ASSERT_TRUE(proof);
    for (const ProofReason& r : proof->lines.at(0).reasons)
      EXPECT_GT(r.bytes, -ownStructures) << "nothing less, but for blocks of the file's own map";
  }
}

/// There a hole within what was written at once gives nothing back.
TEST(ShrinkImages, OnADriveThatKeepsExtentsWholeARawOneIsWrittenAnew) {
  const LoopDrive drive("btrfs", 512u << 20);
  ZT_NEEDS(drive);
  const TempFolder t;
  makeRaw(t / "was.img");
  std::ofstream(drive / "guest.img").close();
  ASSERT_EQ(runProgram({program("chattr"), "+C", drive / "guest.img"}).status, 0);
  ASSERT_EQ(runProgram({"/bin/cp", "--sparse=never", t / "was.img", drive / "guest.img"}).status, 0);
  const std::string now = sha256sumOf(drive / "guest.img");
  ::chmod((drive / "guest.img").c_str(), 0640);
  auto job = compared(drive);
  ASSERT_NE(plan(*job, "images", "shrink"), nullptr);
  const Bytes sure = job->planBook().planned().sure, before = freeOn(drive.path());
  EXPECT_GT(sure, 15'000'000u);
  const auto report = job->reclaim(job->consent().token, {});
  ASSERT_TRUE(report);
  EXPECT_EQ(report->lines[0].state, LineOutcome::State::done);
  EXPECT_GE(freeOn(drive.path()) - before + 262'144, sure);
  EXPECT_EQ(sha256sumOf(drive / "guest.img"), now);
  EXPECT_NE(runProgram({program("lsattr"), drive / "guest.img"}).out.substr(0, 22).find('C'),
            std::string::npos)
      << "its guest writes as fast as before";
  struct stat is {};
  ::stat((drive / "guest.img").c_str(), &is);
  EXPECT_EQ(is.st_mode & 0777, 0640u);
}

/// Where files have no holes its own program can do it, and nothing of it is sure.
TEST(ShrinkImages, ARawOneIsNotOursWhereFilesHaveNoHoles) {
  for (const char* type : {"exfat", "ntfs"}) {
    const LoopDrive drive(type, 128u << 20);
    ZT_NEEDS(drive);
    SCOPED_TRACE(type);
    const TempFolder t;
    makeRaw(t / "was.img");
    ASSERT_EQ(runProgram({"/bin/cp", "--sparse=never", t / "was.img", drive / "guest.img"}).status, 0);
    auto job = compared(drive);
    int seen = 0;
    for (const Find& f : *job->surveys().finds())
      if (f.kind == "images") {
        ++seen;
        EXPECT_EQ(f.gain.sure, 0u);
        EXPECT_EQ(job->planBook().add({f.id}, "shrink").error().code, Errc::unknownStep);
      }
    EXPECT_EQ(seen, 1);
  }
}

/// What others hold, too, comes free with none of them.
TEST(ShrinkImages, NothingIsPromisedOfWhatASecondFileHolds) {
  for (const char* type : {"btrfs", "xfs"}) {
    const LoopDrive drive(type, 512u << 20);
    ZT_NEEDS(drive);
    SCOPED_TRACE(type);
    const TempFolder t;
    makeRaw(t / "was.img");
    ASSERT_EQ(runProgram({"/bin/cp", "--sparse=never", t / "was.img", drive / "guest.img"}).status, 0);
    ::sync();
    ASSERT_EQ(runProgram({"/bin/cp", "--reflink=always", drive / "guest.img", drive / "copy.img"}).status, 0);
    auto job = compared(drive);
    int seen = 0;
    for (const Find& f : *job->surveys().finds())
      if (f.kind == "images") {
        ++seen;
        EXPECT_EQ(f.gain.sure, 0u);
      }
    EXPECT_EQ(seen, 2);
  }
}

/// A drive that is nearly full, and so has no room for a second image beside the first.
TEST(ShrinkImages, WhereThereIsNoRoomForANewOneTheZerosAreGivenBackWhereTheyLie) {
  for (const std::string format : {"qcow2", "vdi", "vhdx", "vmdk"}) {
    const LoopDrive drive("ext4", 96u << 20, {}, {"-m", "0"});
    ZT_NEEDS(drive);
    SCOPED_TRACE(format);
    const std::string qemu = program("qemu-img"), image = drive / ("guest." + format);
    const TempFolder t;
    std::ofstream(t / "was.img", std::ios::binary)
        << noise(25'000'000, 1) << std::string(24u << 20, '\0') << noise(4'000'000, 2);
    fs::resize_file(t / "was.img", 64u << 20);
    const std::string mbr = std::string(510, '\0') + "\x55\xaa";
    std::fstream(t / "was.img", std::ios::in | std::ios::out | std::ios::binary) << mbr;
    ASSERT_EQ(runProgram({qemu, "convert", "-f", "raw", "-O", format, "-S", "0", t / "was.img", t / "image"})
                  .status,
              0);
    ASSERT_EQ(runProgram({"/bin/cp", "--sparse=never", t / "image", image}).status, 0);
    const std::string sum = sha256sumOf(image);
    auto job = compared(drive);
    ASSERT_NE(plan(*job, "images", "shrink"), nullptr);
    const Bytes sure = job->planBook().planned().sure, before = freeOn(drive.path());
    EXPECT_GT(sure, 20'000'000u);
    ASSERT_LT(before, 29'000'000u) << "no room for a new one";
    const auto report = job->reclaim(job->consent().token, {});
    ASSERT_TRUE(report);
    EXPECT_EQ(report->lines[0].state, LineOutcome::State::done);
    EXPECT_GE(freeOn(drive.path()) - before + 262'144, sure);
    EXPECT_EQ(sha256sumOf(image), sum) << "no byte of it reads otherwise";
    EXPECT_EQ(runProgram({qemu, "compare", "-f", "raw", "-F", format, t / "was.img", image}).status, 0);
  }
}

/// An image that came out wrong never takes the place of the one that is right.
TEST(ShrinkImages, EveryBitThatFlipsInTheNewOneLeavesTheOldOne) {
  const LoopDrive drive("ext4", 96u << 20);
  ZT_NEEDS(drive);
  const std::string qemu = program("qemu-img");
  const TempFolder t;
  makeRaw(t / "was.img");
  const auto seed = drawSeed();
  std::mt19937 random(seed);
  const std::vector<std::string> formats{"qcow2", "vdi", "vhdx", "vmdk"};
  for (int i = 0; i < soaked(12); ++i) {
    const std::string format = formats[static_cast<std::size_t>(i) % formats.size()],
                      image = drive / ("guest." + format);
    SCOPED_TRACE(format + " seed " + std::to_string(seed) + " round " + std::to_string(i));
    for (const auto& e : fs::directory_iterator(drive.path()))
      if (e.path().filename() != "lost+found") fs::remove_all(e.path());
    ASSERT_EQ(runProgram({qemu, "convert", "-O", format, "-S", "0", t / "was.img", image}).status, 0);
    const auto told = [&] {
      return runProgram({qemu, "info", "--output=json", image})
          .json()
          .value("format-specific", Json())
          .dump();
    };
    const std::string before = told();
    Workshop w = realWorkshop();
    const auto flipping = std::make_shared<Flipping>(w.files, random);
    w.files = flipping;
    auto job = compared(drive, w);
    plan(*job, "images", "shrink");
    flipping->armed = true;
    flipping->sparing = static_cast<int>(random() % (format == "qcow2" ? 12 : 4));
    const auto report = job->reclaim(job->consent().token, {});
    ASSERT_TRUE(report);
    EXPECT_EQ(flipping->flips, 1);
    EXPECT_EQ(runProgram({qemu, "compare", "-f", "raw", "-F", format, t / "was.img", image}).status, 0);
    EXPECT_EQ(told(), before);
    EXPECT_NE(report->lines[0].state, LineOutcome::State::done) << "every bit of it counts";
  }
}

/// The last that is written is what an image says of itself, which no guest sees.
TEST(ShrinkImages, EveryBitOfWhatAnImageSaysOfItselfCounts) {
  const LoopDrive drive("ext4", 96u << 20);
  ZT_NEEDS(drive);
  const TempFolder t;
  makeRaw(t / "was.img");
  std::mt19937 random(drawSeed());
  for (const std::string format : {"qcow2", "vdi", "vhdx", "vmdk"}) {
    SCOPED_TRACE(format);
    const std::string image = drive / ("guest." + format), before = t / ("before." + format);
    ASSERT_EQ(
        runProgram({program("qemu-img"), "convert", "-O", format, "-S", "0", t / "was.img", before}).status,
        0);
    int writes = 0;
    for (const bool flips : {false, true}) {
      fs::remove(image);
      ASSERT_EQ(runProgram({"/bin/cp", "--sparse=never", before, image}).status, 0);
      Workshop w = realWorkshop();
      const auto flipping = std::make_shared<Flipping>(w.files, random);
      w.files = flipping;
      auto job = compared(drive, w);
      plan(*job, "images", "shrink");
      flipping->armed = flips;
      flipping->sparing = writes - 1;
      flipping->writes = 0;
      const auto report = job->reclaim(job->consent().token, {});
      ASSERT_TRUE(report);
      EXPECT_EQ(flipping->flips, flips ? 1 : 0);
      EXPECT_EQ(report->lines[0].state == LineOutcome::State::done, !flips);
      writes = flipping->writes;
    }
    fs::remove(image);
  }
}

TEST(ShrinkImages, OneThatIsOpenOrLiesUponAnotherStaysAsItIs) {
  const LoopDrive drive("ext4", 128u << 20);
  ZT_NEEDS(drive);
  const std::string qemu = program("qemu-img");
  makeRaw(drive / "base.img");
  ASSERT_EQ(runProgram({qemu, "create", "-qf", "qcow2", "-b", "base.img", "-F", "raw", drive / "upon.qcow2"})
                .status,
            0);
  auto job = compared(drive);
  for (const Find& f : *job->surveys().finds())
    if (f.kind == "images" && f.place == "upon.qcow2") {
      EXPECT_EQ(job->planBook().add({f.id}, "shrink").error().code, Errc::unknownStep);
    }
  const std::string sum = sha256sumOf(drive / "base.img");
  plan(*job, "images", "shrink");
  const pid_t guest = ::fork();
  if (guest == 0) {
    if (::open((drive / "base.img").c_str(), O_RDONLY) < 0) ::_exit(1);
    for (;;) ::pause();
  }
  const auto opened = [&] {
    for (const auto& fd : fs::directory_iterator("/proc/" + std::to_string(guest) + "/fd"))
      if (std::error_code e; fs::read_symlink(fd.path(), e) == fs::path(drive / "base.img")) return true;
    return false;
  };
  while (!opened()) ::usleep(1000);
  const auto report = job->reclaim(job->consent().token, {});
  ::kill(guest, SIGKILL);
  ::waitpid(guest, nullptr, 0);
  ASSERT_TRUE(report);
  EXPECT_EQ(report->lines[0].problems.at(0).problem, Errc::inUse);
  EXPECT_EQ(sha256sumOf(drive / "base.img"), sum);
}

/// Nobody has it open, and yet somebody works in it: as a device.
TEST(ShrinkImages, OneThatIsADeviceStaysAsItIs) {
  const LoopDrive drive("ext4", 64u << 20);
  ZT_NEEDS(drive);
  const std::string sum = makeRaw(drive / "guest.img");
  auto job = compared(drive);
  plan(*job, "images", "shrink");
  std::string loop = runProgram({"/usr/sbin/losetup", "--find", "--show", drive / "guest.img"}).out;
  loop = loop.substr(0, loop.find('\n'));
  ASSERT_TRUE(loop.starts_with("/dev/loop"));
  const auto report = job->reclaim(job->consent().token, {});
  EXPECT_EQ(runProgram({"/usr/sbin/losetup", "--detach", loop}).status, 0);
  ASSERT_TRUE(report);
  EXPECT_EQ(report->lines[0].problems.at(0).problem, Errc::inUse);
  EXPECT_EQ(sha256sumOf(drive / "guest.img"), sum);
}

}  // namespace
}  // namespace zt::test
