// SPDX-License-Identifier: GPL-3.0-or-later
// The statement on real file systems: every line from its own source, and nothing left over.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <linux/fs.h>
#include <sys/ioctl.h>
#include <sys/mount.h>
#include <sys/stat.h>
#include <unistd.h>

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
using Json = nlohmann::json;

/// Content that does not compress, from the seed.
void write(const fs::path& path, std::size_t size, std::mt19937_64& random) {
  fs::create_directories(path.parent_path());
  std::string bytes(size, '\0');
  for (std::size_t i = 0; i + 8 <= size; i += 8) {
    const auto word = random();
    std::memcpy(bytes.data() + i, &word, 8);
  }
  std::ofstream(path, std::ios::binary) << bytes;
}

/// Files of every size, links, holes, room set aside, folders of many.
void seedContent(const std::string& top, std::uint64_t seed, Bytes bytes) {
  std::mt19937_64 random(seed);
  Bytes made = 0;
  for (int i = 0; made < bytes; ++i) {
    const std::size_t size = std::size_t{1} << (random() % 22);
    write(fs::path(top) / ("d" + std::to_string(i % 37)) / ("f" + std::to_string(i)), size, random);
    made += size;
  }
  for (int i = 0; i < 3000; ++i) write(fs::path(top) / "many" / std::to_string(i), random() % 300, random);
  fs::create_hard_link(fs::path(top) / "d1/f1", fs::path(top) / "many/link");
  const int hole = ::open((top + "/hole").c_str(), O_CREAT | O_WRONLY | O_CLOEXEC, 0644);
  must(::ftruncate(hole, Bytes{300} << 20) == 0 && ::pwrite(hole, "x", 1, 100 << 20) == 1, "hole");
  ::close(hole);
  const int ahead = ::open((top + "/ahead").c_str(), O_CREAT | O_WRONLY | O_CLOEXEC, 0644);
  (void)::fallocate(ahead, FALLOC_FL_KEEP_SIZE, 0, 20 << 20);
  ::close(ahead);
}

Json measure(const std::string& path) {
  const Ran ran = runProgram({ZTALLY, "measure", path, "--json"});
  EXPECT_EQ(ran.status, 0) << ran.err;
  return ran.json();
}

const Json& lineOf(const Json& survey, const std::string& id) {
  for (const auto& line : survey["statement"]["lines"])
    if (line["id"] == id) return line;
  throw std::runtime_error("no line " + id);
}

std::int64_t bytesOf(const Json& survey, const std::string& id) {
  return lineOf(survey, id)["bytes"].get<std::int64_t>();
}

Json partOf(const Json& survey, const std::string& line, const std::string& id) {
  for (const auto& part : lineOf(survey, line)["parts"])
    if (part["id"] == id) return part;
  return {};
}

double unexplainedShare(const Json& survey) {
  const double capacity = survey["statement"]["capacity_bytes"].get<double>();
  const double used = capacity - static_cast<double>(bytesOf(survey, "free"));
  return std::abs(survey["statement"]["unexplained_bytes"].get<double>()) / used;
}

class Quiet : public ::testing::TestWithParam<const char*> {};

TEST_P(Quiet, StatementExplainsEveryByte) {
  const std::uint64_t seed = drawSeed();
  SCOPED_TRACE("seed " + std::to_string(seed));
  LoopDrive drive(GetParam(), Bytes{2} << 30, GetParam() == std::string("btrfs") ? "compress=zstd" : "");
  ZT_NEEDS(drive);
  seedContent(drive.path(), seed, Bytes{500} << 20);
  std::ofstream(drive / "text", std::ios::binary) << std::string(30'000'000, 't');
  const int deleted = ::open((drive / "deleted").c_str(), O_CREAT | O_RDWR | O_CLOEXEC, 0644);
  std::string filler(6'000'000, '\0');
  std::mt19937 random(1);
  for (char& c : filler) c = static_cast<char>(random());
  must(::write(deleted, filler.data(), filler.size()) == std::ssize(filler), "write");
  ::unlink((drive / "deleted").c_str());
  ::sync();
  const Json survey = measure(drive.path());
  std::printf("%s 2 GiB: unexplained / used %.7f\n", GetParam(), unexplainedShare(survey));
  EXPECT_LE(unexplainedShare(survey), 0.001) << survey["statement"].dump(1);
  EXPECT_GE(bytesOf(survey, "open_deleted"), 6'000'000);
  EXPECT_FALSE(partOf(survey, "open_deleted", "program").is_null());
  EXPECT_GE(partOf(survey, "files", "holes")["bytes"].get<Bytes>(), Bytes{290} << 20);
  EXPECT_GE(partOf(survey, "files", "preallocated")["bytes"].get<Bytes>(), Bytes{19} << 20);
  std::int64_t sum = 0;
  for (const auto& line : survey["statement"]["lines"]) {
    sum += line["bytes"].get<std::int64_t>();
    EXPECT_TRUE(line["bytes"] == 0 || line["source"] != "none") << line.dump();
  }
  EXPECT_EQ(sum, survey["statement"]["capacity_bytes"].get<std::int64_t>());
  ::close(deleted);
}

INSTANTIATE_TEST_SUITE_P(Loop, Quiet, ::testing::Values("ext4", "xfs", "btrfs"),
                         [](const auto& one) { return std::string(one.param); });

/// Compressed, inlined, shared, half overwritten, in snapshots: each counted as it is stored.
TEST(Btrfs, CountsWhatIsStored) {
  LoopDrive drive("btrfs", Bytes{1} << 30, "compress=zstd");
  ZT_NEEDS(drive);
  std::mt19937_64 random(5);
  std::ofstream(drive / "zeros", std::ios::binary) << std::string(30'000'000, 'z');
  write(drive / "whole", 8 << 20, random);
  ::sync();
  const int whole = ::open((drive / "whole").c_str(), O_WRONLY | O_CLOEXEC);
  std::string middle(4 << 20, '\0');
  for (char& c : middle) c = static_cast<char>(random());
  must(::pwrite(whole, middle.data(), middle.size(), 2 << 20) == std::ssize(middle), "overwrite");
  ::close(whole);
  for (int i = 0; i < 200; ++i) std::ofstream(drive / "tiny" + std::to_string(i)) << std::string(100, 'i');
  write(drive / "original", 10 << 20, random);
  ::sync();
  const int from = ::open((drive / "original").c_str(), O_RDONLY | O_CLOEXEC);
  const int to = ::open((drive / "clone").c_str(), O_CREAT | O_WRONLY | O_CLOEXEC, 0644);
  must(::ioctl(to, FICLONE, from) == 0, "clone");
  ::close(from), ::close(to);
  const std::string btrfs = fs::exists("/usr/bin/btrfs") ? "/usr/bin/btrfs" : "/bin/btrfs";
  ASSERT_EQ(runProgram({btrfs, "subvolume", "create", drive / "vol"}).status, 0);
  write(drive / "vol/kept", 5 << 20, random);
  ::sync();
  // The snapshot lies outside what is walked: the subvolume alone is mounted for the second measurement.
  ASSERT_EQ(runProgram({btrfs, "subvolume", "snapshot", "-r", drive / "vol", drive / "snap"}).status, 0);
  fs::remove(drive / "vol/kept");
  write(drive / "vol/new", 3 << 20, random);
  ::sync();
  const Json survey = measure(drive.path());
  EXPECT_LE(unexplainedShare(survey), 0.001) << survey["statement"].dump(1);
  EXPECT_EQ(lineOf(survey, "files")["source"], "extents");
  EXPECT_GT(partOf(survey, "files", "compressed")["bytes"].get<Bytes>(), 28'000'000u);
  EXPECT_EQ(partOf(survey, "files", "inlined")["bytes"].get<Bytes>(), 200u * 100u);
  EXPECT_GE(partOf(survey, "files", "pinned")["bytes"].get<Bytes>(), Bytes{4} << 20);
  EXPECT_EQ(partOf(survey, "files", "shared")["bytes"].get<Bytes>(), Bytes{10} << 20);
  TempFolder t;
  t.folder("vol");
  ASSERT_EQ(
      runProgram({"/bin/mount", "-o", "loop,subvol=vol,compress=zstd", drive.image(), t / "vol"}).status, 0);
  const Json part = measure(t / "vol");
  ::umount2((t / "vol").c_str(), MNT_DETACH);
  EXPECT_LE(unexplainedShare(part), 0.001) << part["statement"].dump(1);
  EXPECT_GE(bytesOf(part, "snapshots"), 27 << 20) << "the other subvolumes, each extent once";
  EXPECT_EQ(part["files"], 1);
}

/// Reflinks: XFS counts shared blocks with each file. The statement says so instead of leaving a riddle.
/// A subvolume whose listing begins with a folder, and which has files only beside that.
TEST(Btrfs, KnowsTheSubvolumeOfEveryFile) {
  LoopDrive drive("btrfs", Bytes{300} << 20);
  ZT_NEEDS(drive);
  const Ran made = runProgram({"/usr/bin/btrfs", "-q", "subvolume", "create", drive / "log"});
  ASSERT_EQ(made.status, 0) << made.err;
  for (int i = 0; i < 8; ++i) std::filesystem::create_directory(drive / ("log/d" + std::to_string(i)));
  std::string bytes(8'000'000, 'a');
  for (std::size_t k = 0; k < bytes.size(); k += 4096) bytes[k] = static_cast<char>(k >> 12);
  std::ofstream(drive / "log/file", std::ios::binary) << bytes;
  ::sync();
  auto job = Job::create(realWorkshop(), drive.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  const Survey& survey = *job->surveys().survey();
  const Statement& s = survey.statement;
  EXPECT_LE(std::abs(s[StatementLine::unexplained]), static_cast<SignedBytes>(survey.usage.capacity / 1000));
  EXPECT_GE(job->surveys().context()->gain.of(std::vector<NodeId>{*survey.tree.find("log/file")}).sure,
            8'000'000u);
}

TEST(Statement, NamesWhatFilesShareOnXfs) {
  LoopDrive drive("xfs", Bytes{512} << 20);
  ZT_NEEDS(drive);
  std::mt19937_64 random(5);
  write(drive / "one", 30'000'000, random);
  ASSERT_EQ(runProgram({"/bin/cp", "--reflink=always", drive / "one", drive / "two"}).status, 0);
  ::sync();
  const Json survey = measure(drive.path());
  EXPECT_NEAR(static_cast<double>(bytesOf(survey, "unexplained")), 0, 1e5) << survey["statement"].dump(1);
  EXPECT_NEAR(partOf(survey, "files", "shared")["bytes"].get<double>(), 30e6, 1e6);
  EXPECT_EQ(lineOf(survey, "files")["source"], "extents");
}

TEST(Statement, SeesBeneathMountPoints) {
  LoopDrive drive("ext4", Bytes{128} << 20);
  ZT_NEEDS(drive);
  std::mt19937_64 random(6);
  write(drive / "covered/deep/file", 5'000'000, random);
  write(drive / "seen/file", 1'000'000, random);
  write(drive / "alone", 700'000, random);
  ::sync();
  ASSERT_EQ(::mount("none", (drive / "covered").c_str(), "tmpfs", 0, "size=1m"), 0);
  ASSERT_EQ(::mount((drive / "seen/file").c_str(), (drive / "alone").c_str(), nullptr, MS_BIND, nullptr), 0);
  const Json survey = measure(drive.path());
  ::umount2((drive / "alone").c_str(), MNT_DETACH);
  ::umount2((drive / "covered").c_str(), MNT_DETACH);
  EXPECT_LE(unexplainedShare(survey), 0.001) << survey["statement"].dump(1);
  EXPECT_GE(bytesOf(survey, "beneath_mounts"), 5'700'000);
  EXPECT_EQ(lineOf(survey, "beneath_mounts")["source"], "uncovered");
  EXPECT_EQ(lineOf(survey, "beneath_mounts")["parts"].size(), 2u);
}

/// Other file systems: figures that add up, and an honest word where they cannot be itemised.
TEST(Statement, IsHonestOnOtherFileSystems) {
  for (const char* type : {"vfat", "exfat", "ntfs"}) {
    SCOPED_TRACE(type);
    LoopDrive drive(type, Bytes{256} << 20);
    if (drive.why().find("unknown filesystem type") != std::string::npos) {
      std::printf("%s: this kernel does not have it, so it is not tested here\n", type);
      continue;
    }
    ZT_NEEDS(drive);
    std::mt19937_64 random(7);
    Bytes length = 0;
    for (int i = 0; i < 60; ++i) {
      const std::size_t size = random() % 500'000;
      write(drive / ("d" + std::to_string(i % 5)) + "/f" + std::to_string(i), size, random);
      length += size;
    }
    ::sync();
    const Json survey = measure(drive.path());
    EXPECT_EQ(survey["files"], 60);
    EXPECT_EQ(survey["length_bytes"], length);
    const bool itemised = lineOf(survey, "unexplained")["source"] == "remainder";
    EXPECT_EQ(itemised, type == std::string("vfat"));
    std::printf("%s: unexplained / used %.6f\n", type, unexplainedShare(survey));
    EXPECT_LE(unexplainedShare(survey), itemised ? 0.001 : 0.3) << survey["statement"].dump(1);
  }
}

TEST(Statement, BearsTmpfsOverlayAndBindMounts) {
  if (::geteuid() != 0) GTEST_SKIP() << "SKIPPED, not root";
  TempFolder t;
  for (const char* folder : {"tmp", "over", "bind"}) t.folder(folder);
  if (::mount("none", (t / "tmp").c_str(), "tmpfs", 0, "size=64m") != 0) {
    if (!mayBeSkipped()) FAIL() << "tmpfs is needed in CI";
    GTEST_SKIP() << "SKIPPED, no tmpfs here";
  }
  std::mt19937_64 random(8);
  write(t / "tmp/lower/a", 3'000'000, random);
  for (const char* folder : {"tmp/upper", "tmp/work"}) fs::create_directories(t / folder);
  const Json tmp = measure(t / "tmp");
  EXPECT_LE(unexplainedShare(tmp), 0.005) << tmp["statement"].dump(1);
  const std::string layers =
      "lowerdir=" + (t / "tmp/lower") + ",upperdir=" + (t / "tmp/upper") + ",workdir=" + (t / "tmp/work");
  if (::mount("overlay", (t / "over").c_str(), "overlay", 0, layers.c_str()) == 0) {
    write(t / "over/b", 100'000, random);
    const Json over = measure(t / "over");
    EXPECT_EQ(over["files"], 2);
    EXPECT_EQ(lineOf(over, "unexplained")["source"], "cannot-itemise");
    ::umount2((t / "over").c_str(), MNT_DETACH);
  }
  ASSERT_EQ(::mount((t / "tmp/lower").c_str(), (t / "bind").c_str(), nullptr, MS_BIND, nullptr), 0);
  const Json bind = measure(t / "bind");
  EXPECT_FALSE(bind["whole_drive"]) << "a bind mount shows a part of its drive";
  EXPECT_EQ(bind["statement"]["unexplained_bytes"], 0);
  ::umount2((t / "bind").c_str(), MNT_DETACH);
  ::umount2((t / "tmp").c_str(), MNT_DETACH);
}

/// All stat fields of everything, in one text.
std::string allStats(const std::string& top) {
  std::string all;
  std::vector<fs::path> paths{top};
  for (const auto& e : fs::recursive_directory_iterator(top)) paths.push_back(e.path());
  std::sort(paths.begin(), paths.end());
  for (const auto& path : paths) {
    struct statx x {};
    must(::statx(AT_FDCWD, path.c_str(), AT_SYMLINK_NOFOLLOW, STATX_ALL, &x) == 0, path);
    all.append(reinterpret_cast<const char*>(&x), sizeof x);
  }
  return all;
}

std::string contentOf(const std::string& file) {
  return runProgram({"/usr/bin/sha256sum", file}).out;
}

/// Measuring changes nothing: neither any field of any entry, nor a byte of a drive mounted read-only.
TEST(Measuring, LeavesNoTrace) {
  for (const char* type : {"ext4", "xfs", "btrfs"}) {
    SCOPED_TRACE(type);
    LoopDrive drive(type, Bytes{type == std::string("xfs") ? 320u : 128u} << 20, "strictatime");
    ZT_NEEDS(drive);
    seedContent(drive.path(), 9, Bytes{20} << 20);
    ::sync();
    // Access times that any reading would move.
    for (const auto& e : fs::recursive_directory_iterator(drive.path())) {
      const timespec old[2] = {{1'000'000, 0}, {0, UTIME_OMIT}};
      must(::utimensat(AT_FDCWD, e.path().c_str(), old, AT_SYMLINK_NOFOLLOW) == 0, "utimensat");
    }
    must(drive.remount("noatime"), "remount");
    const std::string before = allStats(drive.path());
    must(drive.remount("strictatime"), "remount");
    TempFolder t;
    ASSERT_EQ(runProgram({ZTALLY, "measure", drive.path(), "--job", t / "a.ztjob"}).status, 0);
    must(drive.remount("noatime"), "remount");
    // The numbers that mounting hands out anew are not the file system's.
    EXPECT_EQ(allStats(drive.path()).size(), before.size());
    const auto plain = [](std::string stats) {
      for (std::size_t at = 0; at < stats.size(); at += sizeof(struct statx)) {
        struct statx x;
        std::memcpy(&x, stats.data() + at, sizeof x);
        x.stx_mnt_id = x.stx_dev_minor = x.stx_dev_major = 0;
        std::memcpy(stats.data() + at, &x, sizeof x);
      }
      return stats;
    };
    EXPECT_TRUE(plain(allStats(drive.path())) == plain(before));
    must(drive.remount("ro"), "remount");
    const std::string image = contentOf(drive.image());
    ASSERT_EQ(runProgram({ZTALLY, "measure", drive.path()}).status, 0);
    EXPECT_EQ(contentOf(drive.image()), image);
  }
}

}  // namespace
}  // namespace zt::test
