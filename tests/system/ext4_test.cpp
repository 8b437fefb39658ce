// SPDX-License-Identifier: GPL-3.0-or-later
// Real file systems on loop devices.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <map>
#include <random>
#include <sstream>

#include "core/job/job.h"
#include "support/fakes.h"
#include "support/loop_drive.h"
#include "support/run_program.h"
#include "support/scale.h"
#include "support/seed.h"

namespace zt::test {
namespace {

void writeFile(const std::string& path, std::size_t size, std::mt19937& random) {
  std::filesystem::create_directories(std::filesystem::path(path).parent_path());
  std::ofstream out(path, std::ios::binary);
  std::string block(65536, '\0');
  for (char& c : block) c = static_cast<char>(random());
  for (std::size_t left = size; left > 0; left -= std::min(left, block.size()))
    out.write(block.data(), static_cast<std::streamsize>(std::min(left, block.size())));
}

/// Fills a drive with files of all sizes, hard links, sparse files and deep folders until only a share of it
/// is free.
void fill(const std::string& top, double freeShare, std::mt19937& random) {
  struct statvfs v;
  must(::statvfs(top.c_str(), &v) == 0, top);
  const auto capacity = static_cast<double>(v.f_blocks * v.f_frsize);
  for (int i = 0;; ++i) {
    must(::statvfs(top.c_str(), &v) == 0, top);
    const auto left = static_cast<double>(v.f_bavail * v.f_frsize);
    if (left <= capacity * freeShare) break;
    std::string folder = top + "/set" + std::to_string(i % 17);
    for (unsigned d = 0; d < random() % 9; ++d) folder += "/deep" + std::to_string(random() % 3);
    const auto wanted = static_cast<double>(1u << (10 + random() % 14));
    const auto size =
        static_cast<std::size_t>(std::min(wanted * (1 + static_cast<double>(random() % 100) / 100),
                                          std::max(4096.0, left - capacity * freeShare)));
    const std::string file = folder + "/file" + std::to_string(i);
    writeFile(file, size, random);
    if (random() % 12 == 0)
      must(::link(file.c_str(), (top + "/link" + std::to_string(i)).c_str()) == 0, file);
    if (random() % 25 == 0) {
      const std::string sparse = folder + "/sparse" + std::to_string(i);
      writeFile(sparse, 4096, random);
      must(::truncate(sparse.c_str(), 3'000'000'000) == 0, sparse);
    }
  }
  ::sync();
}

/// Dated folders that share their files: what any set of them gives is known to the byte, and a policy
/// through plan, run and proof gives it.
TEST(Ext4, SeriesOfLinkedFoldersGiveWhatTheyHold) {
  const unsigned first = drawSeed();
  for (unsigned i = 0; i < seedsFor(20); ++i) {
    SCOPED_TRACE("seed " + std::to_string(first + i));
    std::mt19937 random(first + i);
    LoopDrive drive("ext4", Bytes{256} << 20);
    ZT_NEEDS(drive);
    constexpr int states = 9, files = 60;
    const auto nameOf = [&](int s) { return drive / ("backups/2021-05-0" + std::to_string(s + 1)); };
    for (int s = 0; s < states; ++s) {
      for (int f = 0; f < files; ++f) {
        const std::string file = "/d" + std::to_string(f % 7) + "/f" + std::to_string(f);
        std::filesystem::create_directories(nameOf(s) + "/d" + std::to_string(f % 7));
        if (s > 0 && random() % 4 != 0)
          must(::link((nameOf(s - 1) + file).c_str(), (nameOf(s) + file).c_str()) == 0, file);
        else
          writeFile(nameOf(s) + file, random() % 200'000, random);
      }
    }
    ::sync();
    auto job = Job::create(realWorkshop(), drive.path(), false, {}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    const PointModel& model = job->surveys().context()->points;
    ASSERT_EQ(model.size(), static_cast<std::size_t>(states));
    // Any set, taken away by hand.
    GainModel::Points some(model.size(), false);
    for (std::uint32_t p = 0; p < 4; ++p) some[p] = random() % 2 == 0;
    const PointSum sum = model.of(some);
    EXPECT_TRUE(sum.exact);
    Bytes before = freeOn(drive.path());
    for (std::uint32_t p = 0; p < model.size(); ++p)
      if (some[p]) std::filesystem::remove_all(drive / model[p].path);
    EXPECT_EQ(freeOn(drive.path()) - before, sum.frees);
    // A policy, through the run.
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    const FindContext& context = *job->surveys().context();
    const auto go = pointsToGo(context.points, *parsePolicy("newest 3"), 0, context.options.now);
    Narrowing by;
    by.only.emplace();
    for (std::uint32_t p = 0; p < context.points.size(); ++p)
      if (go[p]) by.only->push_back(context.points[p].path);
    ASSERT_FALSE(by.only->empty());
    std::vector<std::string> ids;
    for (const Find& find : *job->surveys().finds())
      if (find.kind == "stale-backups") ids.push_back(find.id);
    ASSERT_TRUE(job->planBook().add(ids, "discard", by));
    before = freeOn(drive.path());
    const auto report = job->reclaim(job->planBook().consent().token, {});
    ASSERT_TRUE(report);
    ASSERT_EQ(report->lines.size(), 1u);
    EXPECT_EQ(report->lines[0].state, LineOutcome::State::done);
    const PointSum promised = context.points.of(go);
    EXPECT_EQ(report->lines[0].promised.sure, promised.frees);
    EXPECT_EQ(static_cast<SignedBytes>(freeOn(drive.path()) - before), report->lines[0].rose);
    EXPECT_GE(freeOn(drive.path()) - before, promised.frees);
    for (int s = states - 3; s < states; ++s) EXPECT_TRUE(std::filesystem::exists(nameOf(s)));
  }
}

TEST(Ext4, ReachesTheTargetAndFreesWhatWasPromised) {
  LoopDrive drive("ext4", Bytes{1} << 30);
  ZT_NEEDS(drive);
  const auto seed = drawSeed();
  std::mt19937 random(seed);
  SCOPED_TRACE("seed " + std::to_string(seed));
  fill(drive.path(), 0.03, random);
  TempFolder t;
  const std::string job = t / "a.ztjob";
  const Ran measured =
      runProgram({ZTALLY, "measure", drive.path(), "--job", job, "--target", "250MB", "--json"});
  ASSERT_EQ(measured.status, 0) << measured.err;
  const auto statement = measured.json()["statement"];
  const auto used = static_cast<double>(statement["capacity_bytes"].get<std::int64_t>() -
                                        statement["lines"][0]["bytes"].get<std::int64_t>());
  EXPECT_LE(std::abs(statement["unexplained_bytes"].get<double>()) / used, 0.001);

  std::vector<std::string> mayGo{ZTALLY, "mark", "may-go", "--job", job};
  for (const auto& e : std::filesystem::directory_iterator(drive.path()))
    if (e.path().filename() != "lost+found") mayGo.push_back(e.path().filename());
  ASSERT_EQ(runProgram(mayGo).status, 0) << "somebody has to say that unknown things may go";
  const Ran proposed = runProgram({ZTALLY, "propose", "--job", job, "--json"});
  ASSERT_EQ(proposed.status, 0) << proposed.out.substr(0, 500) << proposed.err;
  const Ran asked = runProgram({ZTALLY, "reclaim", "--job", job, "--json"});
  const Bytes before = freeOn(drive.path());
  const Ran ran = runProgram({ZTALLY, "reclaim", "--job", job, "--consent",
                              asked.json()["consent"]["token"].get<std::string>(), "--json"});
  ASSERT_EQ(ran.status, 0) << ran.err << ran.out.substr(0, 2000);
  const Bytes after = freeOn(drive.path());
  const auto promised = proposed.json()["planned"]["sure_bytes"].get<double>();
  EXPECT_NEAR(static_cast<double>(after - before) / promised, 1.0, 0.001);
  EXPECT_GE(after, 250'000'000u);
  const auto proof = runProgram({ZTALLY, "prove", "--job", job, "--json"}).json();
  EXPECT_TRUE(proof["targets"][0]["met"].get<bool>());
  EXPECT_EQ(proof["free_after_bytes"].get<Bytes>(), after);
  RecordProperty("promised", std::to_string(promised));
  std::printf("promised %.0f, freed %llu, ratio %.6f\n", promised,
              static_cast<unsigned long long>(after - before),
              static_cast<double>(after - before) / promised);
}

TEST(Ext4, CountsAsFindAndStatDo) {
  LoopDrive drive("ext4", Bytes{128} << 20);
  ZT_NEEDS(drive);
  std::mt19937 random(7);
  fill(drive.path(), 0.5, random);
  const auto j = runProgram({ZTALLY, "measure", drive.path(), "--json"}).json();
  const Ran counted = runProgram({"/usr/bin/find", drive.path(), "-xdev", "-printf", "%i %b\\n"});
  std::map<std::string, Bytes> inodes;
  std::size_t entries = 0;
  std::istringstream lines(counted.out);
  std::string inode;
  Bytes blocks = 0;
  while (lines >> inode >> blocks) inodes[inode] = blocks * 512, ++entries;
  Bytes sum = 0;
  for (const auto& [i, bytes] : inodes) sum += bytes;
  EXPECT_EQ(j["entries"].get<std::size_t>(), entries);
  EXPECT_EQ(j["occupied_bytes"].get<Bytes>(), sum);
}

TEST(Ext4, StopsAtAMountAndRefusesToRemoveAcrossIt) {
  LoopDrive drive("ext4", Bytes{64} << 20);
  ZT_NEEDS(drive);
  std::mt19937 random(7);
  writeFile(drive / "data/in/file", 50'000, random);
  std::filesystem::create_directories(drive / "data/in/mnt");
  const std::string mount = std::filesystem::exists("/usr/bin/mount") ? "/usr/bin/mount" : "/bin/mount";
  const std::string umount = std::filesystem::exists("/usr/bin/umount") ? "/usr/bin/umount" : "/bin/umount";
  ASSERT_EQ(runProgram({mount, "-t", "tmpfs", "none", drive / "data/in/mnt"}).status, 0);
  writeFile(drive / "data/in/mnt/other", 50'000, random);
  TempFolder t;
  const std::string job = t / "a.ztjob";
  const auto j = runProgram({ZTALLY, "measure", drive.path(), "--job", job, "--json"}).json();
  EXPECT_EQ(j["mounted_over"].size(), 1u);
  EXPECT_EQ(j["files"], 1);
  EXPECT_EQ(runProgram({ZTALLY, "plan", "--job", job, "add", "data"}).status, 4);
  EXPECT_TRUE(std::filesystem::exists(drive / "data/in/mnt/other"));
  EXPECT_TRUE(std::filesystem::exists(drive / "data/in/file"));
  runProgram({umount, drive / "data/in/mnt"});
}

TEST(Ext4, RefusesAFileThatIsOpen) {
  LoopDrive drive("ext4", Bytes{64} << 20);
  ZT_NEEDS(drive);
  std::mt19937 random(7);
  writeFile(drive / "busy", 2'000'000, random);
  TempFolder t;
  const std::string job = t / "a.ztjob";
  runProgram({ZTALLY, "measure", drive.path(), "--job", job});
  runProgram({ZTALLY, "plan", "--job", job, "add", "busy"});
  const std::string token =
      runProgram({ZTALLY, "reclaim", "--job", job, "--json"}).json()["consent"]["token"];
  const int fd = ::open((drive / "busy").c_str(), O_RDONLY | O_CLOEXEC);
  const Ran ran = runProgram({ZTALLY, "reclaim", "--job", job, "--consent", token});
  ::close(fd);
  EXPECT_EQ(ran.status, 3);
  EXPECT_NE(ran.out.find("zt_system_tests"), std::string::npos) << "the holder is named: " << ran.out;
  EXPECT_TRUE(std::filesystem::exists(drive / "busy"));
}

}  // namespace
}  // namespace zt::test
