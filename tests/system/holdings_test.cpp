// SPDX-License-Identifier: GPL-3.0-or-later
// Promises on drives with a history: random writes, reflinks, overwrites, compression, inline files,
// snapshots, nested subvolumes and deletions; then a random set of files and points goes, and the drive's own
// counter must rise by what was promised. One seed in ten of those that `ZT_SOAK=10` takes.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <linux/fs.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <map>
#include <random>
#include <set>
#include <thread>

#include "core/job/job.h"
#include "core/os/btrfs/btrfs_search.h"
#include "core/os/btrfs/linux_btrfs.h"
#include "support/fakes.h"
#include "support/loop_drive.h"
#include "support/run_program.h"
#include "support/scale.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;

void btrfs(std::vector<std::string> words) {
  words.insert(words.begin(), {"/usr/bin/btrfs", "-q"});
  const Ran ran = runProgram(words);
  must(ran.status == 0, words[2] + ": " + ran.err);
}

/// What somebody did with a drive over some weeks.
class History {
public:
  History(std::string top, bool snapshots, bool reflinks, unsigned seed)
      : top_(std::move(top)), snapshots_(snapshots), reflinks_(reflinks), random_(seed) {}

  void live() {
    for (int i = 0; i < 4; ++i) fs::create_directories(top_ + "/d" + std::to_string(i));
    if (snapshots_) {
      btrfs({"subvolume", "create", top_ + "/vol"});
      btrfs({"subvolume", "create", top_ + "/vol/nested"});
      fs::create_directories(top_ + "/points");
      folders_ = {"d0", "d1", "d2", "d3", "vol", "vol/nested"};
    }
    for (int i = 0; i < 120; ++i) step();
    ::sync();
  }
  std::vector<PathBytes> someFiles() {
    std::vector<PathBytes> chosen;
    for (const auto& f : files_)
      if (random_() % 3 == 0) chosen.push_back(f);
    return chosen;
  }
  bool coin() { return random_() % 2 == 0; }
  const std::vector<std::string>& points() const { return points_; }

private:
  std::string content(std::size_t size, bool packs) {
    std::string bytes(size, 'a');
    if (!packs)
      for (char& c : bytes) c = static_cast<char>(random_());
    return bytes;
  }
  const std::string& any() { return files_[random_() % files_.size()]; }
  std::string newName() {
    files_.push_back(folders_[random_() % folders_.size()] + "/f" + std::to_string(number_++));
    return top_ + "/" + files_.back();
  }
  void step() {
    const auto what = random_() % 10;
    if (files_.empty() || what < 3) return write();
    if (what == 3 && reflinks_) return share();
    if (what == 4) return overwrite();
    if (what == 5) return link();
    if ((what == 6 || what == 9) && files_.size() > 10) return remove();
    if (what == 7 && snapshots_ && points_.size() < 8) return snapshot();
    if (what == 8 && reflinks_) return shareHalf();
    write();
  }
  void write() {
    const bool packs = random_() % 3 == 0;
    const std::size_t size = random_() % 4 == 0 ? random_() % 1500 : 4096 + random_() % 600'000;
    const std::string name = newName();
    std::ofstream(name, std::ios::binary) << content(size, packs);
  }
  void overwrite() {
    const int fd = ::open((top_ + "/" + any()).c_str(), O_RDWR | O_CLOEXEC);
    const auto size = ::lseek(fd, 0, SEEK_END);
    const std::string bytes = content(4096 + random_() % 60'000, random_() % 2 == 0);
    must(::pwrite(fd, bytes.data(), bytes.size(), size / 3) == std::ssize(bytes), "overwrite");
    ::fsync(fd);
    ::close(fd);
  }
  void share() {
    const int from = ::open((top_ + "/" + any()).c_str(), O_RDONLY | O_CLOEXEC);
    const int to = ::open(newName().c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0644);
    must(::ioctl(to, FICLONE, from) == 0, "clone");
    ::close(from), ::close(to);
  }
  void shareHalf() {
    const int from = ::open((top_ + "/" + any()).c_str(), O_RDONLY | O_CLOEXEC);
    const auto size = static_cast<Bytes>(::lseek(from, 0, SEEK_END));
    const int to = ::open(newName().c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0644);
    file_clone_range range{};
    range.src_fd = from;
    range.src_offset = size / 4 / 4096 * 4096;
    range.src_length = size / 2 / 4096 * 4096;
    if (range.src_length > 0) (void)::ioctl(to, FICLONERANGE, &range);
    const std::string own = content(20'000, false);
    must(::pwrite(to, own.data(), own.size(), static_cast<off_t>(range.src_length)) == std::ssize(own),
         "write");
    ::close(from), ::close(to);
  }
  void link() {
    const std::string from = any();
    const std::string to = std::string(parentPath(from)) + "/l" + std::to_string(number_++);
    std::error_code failed;
    fs::create_hard_link(top_ + "/" + from, top_ + "/" + to, failed);
    if (!failed) files_.push_back(to);
  }
  void remove() {
    const std::size_t i = random_() % files_.size();
    fs::remove(top_ + "/" + files_[i]);
    files_.erase(files_.begin() + static_cast<std::ptrdiff_t>(i));
  }
  void snapshot() {
    const std::string of = random_() % 2 == 0 ? "" : "/vol";
    points_.push_back("points/p" + std::to_string(number_++));
    btrfs({"subvolume", "snapshot", "-r", top_ + of, top_ + "/" + points_.back()});
  }

  std::string top_;
  bool snapshots_, reflinks_;
  std::mt19937_64 random_;
  std::vector<std::string> folders_{"d0", "d1", "d2", "d3"};
  std::vector<std::string> files_;
  std::vector<std::string> points_;
  int number_ = 0;
};

/// XFS gives bytes back on its own time.
void waitForCounter(const std::string& path) {
  Bytes last = 0;
  for (int quiet = 0, tries = 0; quiet < 4 && tries < 100; ++tries) {
    const Bytes now = freeOn(path);
    quiet = now == last ? quiet + 1 : 0;
    last = now;
    ::usleep(20'000);
  }
}

struct Kind {
  const char* type;
  const char* options;
};

class Histories : public ::testing::TestWithParam<Kind> {};

TEST_P(Histories, WhatIsSureComesFree) {
  const Kind kind = GetParam();
  const bool isBtrfs = kind.type == std::string("btrfs");
  const unsigned first = std::random_device{}();
  double promised = 0, freed = 0;
  for (unsigned i = 0; i < seedsFor(100); ++i) {
    const unsigned seed = first + i;
    SCOPED_TRACE("seed " + std::to_string(seed));
    LoopDrive drive(kind.type, Bytes{600} << 20, i % 2 == 0 ? kind.options : "");
    ZT_NEEDS(drive);
    History history(drive.path(), isBtrfs, kind.type != std::string("ext4"), seed);
    history.live();
    auto job = Job::create(realWorkshop(), drive.path(), false, {}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    const FindContext& context = *job->surveys().context();
    const Holdings* holdings = context.gain.holdings();
    if (isBtrfs && !history.points().empty()) {
      ASSERT_NE(holdings, nullptr);
      EXPECT_EQ(holdings->points.size(), history.points().size());
    }
    std::vector<NodeId> nodes;
    const std::vector<PathBytes> files = history.someFiles();
    for (const auto& f : files) {
      const auto node = context.tree.find(f);
      ASSERT_TRUE(node) << f;
      nodes.push_back(*node);
    }
    GainModel::Points points(holdings != nullptr ? holdings->points.size() : 0, false);
    std::vector<std::string> dropped;
    for (std::size_t p = 0; p < points.size(); ++p) {
      if (history.coin()) continue;
      points[p] = true;
      dropped.push_back(holdings->points[p].path);
    }
    const GainBounds gain = context.gain.of(nodes, points);
    EXPECT_LE(gain.sure, gain.atMost);
    const Bytes before = freeOn(drive.path());
    for (const auto& f : files) fs::remove(drive / f);
    for (const auto& p : dropped) btrfs({"subvolume", "delete", drive / p});
    if (isBtrfs) btrfs({"filesystem", "sync", drive.path()});
    if (isBtrfs) btrfs({"subvolume", "sync", "-s", "1", drive.path()});
    waitForCounter(drive.path());
    const auto rose = static_cast<SignedBytes>(freeOn(drive.path())) - static_cast<SignedBytes>(before);
    const SignedBytes slack = std::max<SignedBytes>(rose / 1000, 256 * 1024);
    EXPECT_LE(std::abs(static_cast<SignedBytes>(gain.sure) - rose), isBtrfs ? slack : 65'536)
        << "promised " << gain.sure << ", rose " << rose << ", " << dropped.size() << " points, "
        << files.size() << " files";
    promised += static_cast<double>(gain.sure);
    freed += static_cast<double>(rose);
  }
  std::printf("%s: %u histories, sure %.2f MB, freed %.2f MB\n", kind.type, seedsFor(100), promised / 1e6,
              freed / 1e6);
}

/// The whole way with a target that only snapshots reach: it is met, and what the proof says of its lines
/// adds up to what the counter rose by.
TEST(PointsOnBtrfs, AreLetGoToMeetATarget) {
  const unsigned first = std::random_device{}();
  unsigned met = 0;
  for (unsigned i = 0; i < seedsFor(100); ++i) {
    const unsigned seed = first + i;
    SCOPED_TRACE("seed " + std::to_string(seed));
    LoopDrive drive("btrfs", Bytes{600} << 20, i % 2 == 0 ? "compress=zstd" : "");
    ZT_NEEDS(drive);
    History history(drive.path(), true, true, seed);
    history.live();
    auto job = Job::create(realWorkshop(), drive.path(), false, {}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    const FindContext& context = *job->surveys().context();
    Bytes held = 0;
    for (const Find& find : *job->surveys().finds())
      if (find.kind == "points") held += find.gain.sure;
    if (held < 100'000) continue;  // hardly anything was kept
    const Bytes before = freeOn(drive.path());
    Target target;
    target.bytes = before + held / 4;
    ASSERT_TRUE(job->planBook().setTargets({target}));
    const auto proposal = job->planBook().propose({});
    ASSERT_TRUE(proposal);
    EXPECT_TRUE(proposal->reached);
    ASSERT_TRUE(job->planBook().set(proposal->plan));
    const PlannedGain planned = job->planBook().planned();
    const auto report = job->reclaim(job->planBook().consent().token, {});
    ASSERT_TRUE(report);
    const auto proof = job->prove();
    ASSERT_TRUE(proof);
    waitForCounter(drive.path());
    const auto rose = static_cast<SignedBytes>(freeOn(drive.path())) - static_cast<SignedBytes>(before);
    EXPECT_GE(freeOn(drive.path()), target.bytes);
    SignedBytes lines = 0;
    for (const auto& line : proof->lines) lines += line.actual;
    const SignedBytes slack = std::max<SignedBytes>(rose / 1000, 256 * 1024);
    EXPECT_LE(std::abs(lines - rose), slack);
    EXPECT_LE(std::abs(static_cast<SignedBytes>(planned.sure) - rose), slack);
    for (const PointSeries& series : context.points.series())
      EXPECT_TRUE(fs::exists(drive / context.points[series.points.back()].path)) << "the newest stays";
    ++met;
  }
  std::printf("%u of %u drives had something to let go, all met\n", met, seedsFor(100));
  EXPECT_GT(met, 0u);
}

/// A drive with a series of three, and the job on it.
class Series : public ::testing::Test {
protected:
  void SetUp() override {
    ZT_NEEDS(drive);
    btrfs({"subvolume", "create", drive / "vol"});
    fs::create_directories(drive / "points");
    for (int i = 0; i < 3; ++i) {
      std::mt19937_64 random(static_cast<unsigned>(i));
      std::string bytes(3'000'000, '\0');
      for (char& c : bytes) c = static_cast<char>(random());
      std::ofstream(drive / "vol/f", std::ios::binary) << bytes;
      btrfs({"subvolume", "snapshot", "-r", drive / "vol", point(i)});
    }
    ::sync();
    job = Job::create(realWorkshop(), drive.path(), false, {}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  }
  std::string point(int i) const { return drive / ("points/p" + std::to_string(i)); }
  std::string find() const {
    for (const Find& f : *job->surveys().finds())
      if (f.kind == "points") return f.id;
    return {};
  }
  RunReport run() {
    auto report = job->reclaim(job->planBook().consent().token, {});
    must(report.has_value(), "reclaim");
    return *report;
  }
  LoopDrive drive{"btrfs", Bytes{300} << 20};
  std::unique_ptr<Job> job;
};

TEST_F(Series, APointThatSomebodyElseLetGoStopsItselfAlone) {
  ASSERT_TRUE(job->planBook().add({find()}, "drop"));
  btrfs({"subvolume", "delete", point(0)});
  const RunReport report = run();
  ASSERT_EQ(report.lines.size(), 1u);
  EXPECT_EQ(report.lines[0].state, LineOutcome::State::partly);
  EXPECT_EQ(report.lines[0].itemsDone, 1u);
  ASSERT_EQ(report.lines[0].problems.size(), 1u);
  EXPECT_EQ(report.lines[0].problems[0].problem, Errc::notThere);
  EXPECT_FALSE(fs::exists(point(1)));
  EXPECT_TRUE(fs::exists(point(2)));
}

TEST_F(Series, WhatIsMountedOrOtherThanMeasuredStays) {
  ASSERT_TRUE(job->planBook().add({find()}, "drop"));
  const TempFolder t;
  t.folder("at");
  // One is mounted since, the other is another one of the same name.
  const std::string device = runProgram({"/usr/bin/findmnt", "-no", "SOURCE", drive.path()}).out;
  ASSERT_EQ(runProgram({"/usr/bin/mount", "-o", "subvol=points/p0",
                        device.substr(0, device.find_first_of("[\n")), t / "at"})
                .status,
            0);
  btrfs({"subvolume", "delete", point(1)});
  btrfs({"subvolume", "snapshot", "-r", drive / "vol", point(1)});
  const RunReport report = run();
  EXPECT_EQ(report.lines[0].state, LineOutcome::State::refused);
  EXPECT_TRUE(fs::exists(point(0)));
  EXPECT_TRUE(fs::exists(point(1)));
  (void)runProgram({"/usr/bin/umount", t / "at"});
}

TEST_F(Series, NoPlanTakesTheNewestOrAFolderWithSnapshots) {
  const FindContext& c = *job->surveys().context();
  Plan plan = job->planBook().plan();
  ASSERT_TRUE(job->planBook().add({find()}, "drop"));
  plan = job->planBook().plan();
  for (std::uint32_t i = 0; i < c.points.size(); ++i)
    if (c.points.lock(i) == PointLock::newest) plan.lines[0].items.push_back(c.pointSubject(i));
  const auto refused = job->planBook().set(plan);
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, Errc::lastCopy);
  ASSERT_TRUE(job->planBook().drop(find()));
  ASSERT_TRUE(job->planBook().addPaths({"points"}, "discard"));
  const RunReport report = run();
  EXPECT_EQ(report.lines[0].state, LineOutcome::State::refused);
  ASSERT_EQ(report.lines[0].problems.size(), 1u);
  EXPECT_EQ(report.lines[0].problems[0].problem, Errc::otherDevice);
  for (int i = 0; i < 3; ++i) EXPECT_TRUE(fs::exists(point(i)));
}

/// What was received from another drive may be somebody's only copy: a person may let it go, no proposal
/// does, and a plan that calls it a way back is put right.
TEST(PointsOnBtrfs, ReceivedOnesAreForAPersonToDecide) {
  LoopDrive drive("btrfs", Bytes{300} << 20);
  ZT_NEEDS(drive);
  fs::create_directories(drive / "points");
  fs::create_directories(drive / "came");
  btrfs({"subvolume", "create", drive / "vol"});
  for (int i = 0; i < 2; ++i) {
    const std::string name = "p" + std::to_string(i);
    std::string bytes(20'000'000, static_cast<char>('a' + i));
    for (std::size_t k = 0; k < bytes.size(); k += 4096) bytes[k] = static_cast<char>(k >> 12);
    std::ofstream(drive / "vol/f", std::ios::binary) << bytes;
    btrfs({"subvolume", "snapshot", "-r", drive / "vol", drive / ("points/" + name)});
    const std::string stream = drive / "stream";
    btrfs({"send", "-f", stream, drive / ("points/" + name)});
    btrfs({"receive", "-f", stream, drive / "came"});
    fs::remove(stream);
  }
  for (const char* p : {"points/p0", "points/p1", "vol"}) btrfs({"subvolume", "delete", drive / p});
  btrfs({"filesystem", "sync", drive.path()});
  btrfs({"subvolume", "sync", "-s", "1", drive.path()});
  auto job = Job::create(realWorkshop(), drive.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  Target target;
  target.bytes = freeOn(drive.path()) + 1'000'000;
  ASSERT_TRUE(job->planBook().setTargets({target}));
  const auto proposal = job->planBook().propose({});
  ASSERT_TRUE(proposal);
  EXPECT_TRUE(proposal->plan.lines.empty());
  EXPECT_FALSE(proposal->decisions.empty());
  std::string id;
  for (const Find& f : *job->surveys().finds())
    if (f.kind == "points") id = f.id;
  ASSERT_TRUE(job->planBook().add({id}, "drop"));
  Plan lying = job->planBook().plan();
  lying.lines[0].found = Regret::none;
  ASSERT_TRUE(job->planBook().set(lying));
  EXPECT_EQ(job->planBook().plan().lines[0].found, Regret::personalGone);
  EXPECT_EQ(job->planBook().consent().lines.at(0).regret, Regret::personalGone);
}

/// Stopped after the first; the rest is as it was, and goes when it is begun again.
TEST_F(Series, StopsBetweenTwoAndGoesOn) {
  class StopsAfterOne final : public Snapshots {
  public:
    Result<std::vector<Subvolume>> list(const PathBytes& at) override { return real.list(at); }
    Result<void> begin(const PathBytes& at, const DropOrder& order) override { return real.begin(at, order); }
    Result<void> drop(const PathBytes& at, const Subvolume& meant) override {
      auto gone = real.drop(at, meant);
      stop.request_stop();
      return gone;
    }
    Result<std::size_t> cleaning(const PathBytes& at) override { return real.cleaning(at); }
    LinuxSnapshots real;
    std::stop_source stop;
  };
  const auto port = std::make_shared<StopsAfterOne>();
  Workshop workshop = realWorkshop();
  workshop.snapshots = port;
  job = Job::create(workshop, drive.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  ASSERT_TRUE(job->planBook().add({find()}, "drop"));
  RunControl control;
  control.stop = port->stop.get_token();
  const auto stopped = job->reclaim(job->planBook().consent().token, control);
  ASSERT_TRUE(stopped);
  EXPECT_TRUE(stopped->stopped);
  EXPECT_EQ(stopped->lines[0].itemsDone, 1u);
  EXPECT_NE(fs::exists(point(0)), fs::exists(point(1))) << "one of them";
  const RunReport report = run();
  EXPECT_FALSE(report.stopped);
  EXPECT_FALSE(fs::exists(point(0)));
  EXPECT_FALSE(fs::exists(point(1)));
  EXPECT_TRUE(fs::exists(point(2)));
}

/// A file whose bytes a snapshot holds as well frees nothing by itself; planned with the snapshot it frees
/// what both were said to.
TEST_F(Series, APinnedFileGoesWithItsSnapshot) {
  ASSERT_EQ(runProgram({"/usr/bin/cp", "--reflink=always", point(0) + "/f", drive / "kept"}).status, 0);
  ::sync();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  const auto picked = job->planBook().pick({"kept"});
  ASSERT_TRUE(picked);
  ASSERT_TRUE(job->planBook().add(*picked, "discard"));
  EXPECT_EQ(job->planBook().planned().sure, 0u);
  ASSERT_TRUE(job->planBook().addWithPoints(*picked));
  ASSERT_EQ(job->planBook().plan().lines.size(), 2u);
  const Bytes sure = job->planBook().planned().sure;
  EXPECT_GE(sure, 3'000'000u);
  const Bytes before = freeOn(drive.path());
  const RunReport report = run();
  for (const LineOutcome& line : report.lines) EXPECT_EQ(line.state, LineOutcome::State::done);
  waitForCounter(drive.path());
  const auto rose = static_cast<SignedBytes>(freeOn(drive.path()) - before);
  EXPECT_LE(std::abs(rose - static_cast<SignedBytes>(sure)), 256 * 1024);
  EXPECT_FALSE(fs::exists(point(0)));
  EXPECT_TRUE(fs::exists(point(1)));
  // What the newest holds does not come free with anything that may go.
  const auto live = job->planBook().pick({"vol/f"});
  ASSERT_TRUE(live);
  EXPECT_EQ(job->planBook().addWithPoints(*live).error().code, Errc::lastCopy);
}

/// Quota groups that are counted anew, and a balance that moves everything, while it is measured and while
/// points go: what is promised comes.
TEST_F(Series, QuotaAndABalanceChangeNothing) {
  btrfs({"quota", "enable", drive.path()});
  (void)runProgram({"/usr/bin/btrfs", "quota", "rescan", drive.path()});
  std::thread balance([&] {
    (void)runProgram({"/usr/bin/btrfs", "balance", "start", "--full-balance", drive.path()});
  });
  const auto measured = job->measurer().measure({}, {}, nullptr);
  balance.join();
  ASSERT_TRUE(measured);
  ASSERT_TRUE(job->planBook().add({find()}, "drop"));
  const Bytes sure = job->planBook().planned().sure;
  const Bytes before = freeOn(drive.path());
  std::thread again([&] {
    (void)runProgram({"/usr/bin/btrfs", "balance", "start", "--full-balance", drive.path()});
  });
  const RunReport report = run();
  again.join();
  EXPECT_EQ(report.lines[0].state, LineOutcome::State::done);
  EXPECT_FALSE(fs::exists(point(0)));
  EXPECT_FALSE(fs::exists(point(1)));
  EXPECT_TRUE(fs::exists(point(2)));
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  waitForCounter(drive.path());
  EXPECT_LE(
      std::abs(static_cast<SignedBytes>(freeOn(drive.path()) - before) - static_cast<SignedBytes>(sure)),
      1'000'000)
      << sure;
  btrfs({"quota", "disable", drive.path()});
}

/// A mirror of which one half is missing: what is left is read, and promises hold.
TEST(PointsOnBtrfs, ADegradedDriveIsReadFromWhatIsLeft) {
  LoopDrive room("ext4", Bytes{1} << 30);
  ZT_NEEDS(room);
  const TempFolder t;
  std::vector<std::string> loops;
  for (const char* name : {"a", "b"}) {
    const std::string image = room / name;
    std::ofstream(image).close();
    fs::resize_file(image, std::uintmax_t{400} << 20);
    std::string loop = runProgram({"/usr/sbin/losetup", "--find", "--show", image}).out;
    loops.push_back(loop.substr(0, loop.find('\n')));
  }
  const auto run = [](const std::vector<std::string>& words) { return runProgram(words).status == 0; };
  must(run({"/usr/sbin/mkfs.btrfs", "-q", "-f", "-d", "raid1", "-m", "raid1", loops[0], loops[1]}), "mkfs");
  t.folder("at");
  const std::string top = t / "at";
  must(run({"/usr/bin/mount", loops[0], top}), "mount");
  btrfs({"subvolume", "create", top + "/vol"});
  for (int i = 0; i < 3; ++i) {
    std::string bytes(5'000'000, static_cast<char>('a' + i));
    for (std::size_t k = 0; k < bytes.size(); k += 4096) bytes[k] = static_cast<char>(k >> 12);
    std::ofstream(top + "/vol/f", std::ios::binary) << bytes;
    btrfs({"subvolume", "snapshot", "-r", top + "/vol", top + "/p" + std::to_string(i)});
  }
  must(run({"/usr/bin/umount", top}), "umount");
  // The half that goes is the one that would be read first.
  must(run({"/usr/bin/btrfs", "device", "scan", "--forget"}), "forget");
  must(run({"/usr/sbin/losetup", "--detach", loops[0]}), "detach");
  must(run({"/usr/bin/mount", "-o", "degraded", loops[1], top}), "mount degraded");
  {
    auto job = Job::create(realWorkshop(), top, false, {}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    const PointModel& points = job->surveys().context()->points;
    ASSERT_EQ(points.size(), 3u);
    EXPECT_TRUE(points.exact(points.series()[0]));
    std::string id;
    for (const Find& f : *job->surveys().finds())
      if (f.kind == "points") id = f.id;
    ASSERT_TRUE(job->planBook().add({id}, "drop"));
    const Bytes sure = job->planBook().planned().sure, before = freeOn(top);
    EXPECT_GE(sure, 9'900'000u);
    const auto report = job->reclaim(job->planBook().consent().token, {});
    ASSERT_TRUE(report);
    EXPECT_EQ(report->lines[0].state, LineOutcome::State::done);
    waitForCounter(top);
    EXPECT_LE(std::abs(static_cast<SignedBytes>(freeOn(top) - before) - static_cast<SignedBytes>(sure)),
              256 * 1024);
  }
  EXPECT_TRUE(run({"/usr/bin/umount", top}));
  EXPECT_TRUE(run({"/usr/sbin/losetup", "--detach", loops[1]}));
}

/// Somebody who cleans up never ends: that is said, and waited for no longer than anything happens.
TEST(Cleaning, ThatNeverEndsIsSaid) {
  const auto drive = std::make_shared<FakeSnapshots>();
  drive->add(256), drive->add(257), drive->add(258);
  drive->left = 1;
  Plan plan;
  FakeOpenFiles open;
  const StepPtr step = builtInCraft()->steps.find("drop");
  std::vector<JournalRecord> batch(1);
  batch[0].state = ItemState::gone;
  auto files = std::make_shared<LinuxFileSystem>();
  GuardedDrive guarded{files, borrowed(open), nullptr, {}, files->openRoot("/tmp").value(), "j",
                       {},    nullptr,        drive};
  guarded.patience = std::chrono::milliseconds(50);
  const Holders holders;
  StepSite site{guarded, 1, holders};
  step->executor->awaitSpace(site, batch);
  EXPECT_EQ(batch[0].detail, "cleaning");
  batch[0].detail.clear();
  drive->left = 0;
  step->executor->awaitSpace(site, batch);
  EXPECT_EQ(batch[0].detail, "");
}

TEST_F(Series, WhatIsKeptWithItsFolderStays) {
  ASSERT_TRUE(job->planBook().mark({"points"}, Mark::keep));
  const auto refused = job->planBook().add({find()}, "drop");
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, Errc::kept);
}

TEST_F(Series, OnAReadOnlyDriveNothingIsDone) {
  ASSERT_TRUE(job->planBook().add({find()}, "drop"));
  ASSERT_TRUE(drive.remount("ro"));
  const auto report = job->reclaim(job->planBook().consent().token, {});
  if (report) {
    EXPECT_NE(report->lines[0].state, LineOutcome::State::done);
  }
  for (int i = 0; i < 3; ++i) EXPECT_TRUE(fs::exists(point(i)));
}

/// A drive's image as it lies in its file, with bytes that somebody changed.
class ImageDevice final : public BtrfsDevice {
public:
  explicit ImageDevice(const std::string& path) {
    std::ifstream in(path, std::ios::binary);
    bytes_.assign(std::istreambuf_iterator<char>(in), {});
  }
  bool read(Bytes at, std::span<char> into) override {
    if (at > bytes_.size() || into.size() > bytes_.size() - at) return false;
    const auto from = static_cast<std::size_t>(at);
    for (std::size_t node = from; node < from + into.size(); node += 16384) read_.insert(node);
    std::copy_n(bytes_.begin() + static_cast<std::ptrdiff_t>(at), into.size(), into.begin());
    return true;
  }
  std::string& bytes() { return bytes_; }
  std::set<std::size_t> read_;  ///< where nodes were read, and what lies between them

private:
  std::string bytes_;
};

/// CRC-32C by its definition, a bit at a time.
void putChecksum(std::string& bytes, std::size_t node, std::size_t size) {
  std::uint32_t crc = ~0u;
  for (std::size_t i = node + 32; i < node + size; ++i) {
    crc ^= static_cast<unsigned char>(bytes[i]);
    for (int bit = 0; bit < 8; ++bit) crc = crc >> 1 ^ ((crc & 1) != 0 ? 0x82F63B78u : 0);
  }
  crc = ~crc;
  for (std::size_t i = 0; i < 4; ++i) bytes[node + i] = static_cast<char>(crc >> (8 * i));
}

Result<StoredSizes> readFrom(ImageDevice& device) {
  BtrfsNodes nodes([&](std::uint64_t id) { return id == 1 ? &device : nullptr; });
  if (auto begun = nodes.begin(1); !begun) return tl::unexpected(begun.error());
  const auto roots = readBtrfsRoots(nodes, {});
  if (!roots) return tl::unexpected(roots.error());
  return readBtrfsForest(nodes, *roots, {});
}

/// A node whose bytes changed is never believed. Where its checksum was made to fit: a clear no or other
/// figures, in bounded time, and nothing worse.
TEST(BtrfsTrees, LiesEndInAClearNo) {
  LoopDrive drive("btrfs", Bytes{200} << 20);
  ZT_NEEDS(drive);
  const unsigned seed = std::random_device{}();
  SCOPED_TRACE("seed " + std::to_string(seed));
  History(drive.path(), true, true, seed).live();
  drive.unmount();
  ImageDevice device(drive.image());
  const auto good = readFrom(device);
  ASSERT_TRUE(good) << name(good.error().code);
  EXPECT_GT(good->trees.size(), 2u);
  std::string& bytes = device.bytes();
  constexpr std::size_t nodeSize = 16384;
  // Those that were read for themselves; what lay between them was read past.
  std::vector<std::size_t> nodes;
  for (const std::size_t at : std::set<std::size_t>(device.read_)) {
    const std::string one = bytes.substr(at, nodeSize);
    bytes[at + 200] = static_cast<char>(~bytes[at + 200]);
    const bool isSuperblock = at == 0x10000;
    if (!readFrom(device) && !isSuperblock) nodes.push_back(at);
    bytes.replace(at, nodeSize, one);
  }
  ASSERT_GT(nodes.size(), 10u);
  std::mt19937_64 random(seed);
  int refused = 0;
  for (int i = 0; i < 600; ++i) {
    const std::size_t node = nodes[random() % nodes.size()];
    const std::string kept = bytes.substr(node, nodeSize);
    const std::size_t at = node + 32 + (random() % 2 == 0 ? random() % 200 : random() % (nodeSize - 40));
    for (std::size_t k = 0; k < 1 + random() % 8; ++k) bytes[at + k] = static_cast<char>(random());
    const bool differs = bytes.compare(node, nodeSize, kept) != 0;
    const bool fits = i % 3 != 0;
    if (fits) putChecksum(bytes, node, nodeSize);
    const auto read = readFrom(device);
    refused += !read;
    if (differs && !fits) {
      EXPECT_FALSE(read) << "bytes " << at - node << " of the node at " << node;
    }
    bytes.replace(node, nodeSize, kept);
  }
  EXPECT_GT(refused, 150);
  const auto again = readFrom(device);
  ASSERT_TRUE(again);
  EXPECT_EQ(again->held.size(), good->held.size());
}

/// What the kernel tells item by item, and what the nodes on the device tell, is the same.
TEST(BtrfsTrees, NodesAndKernelAgree) {
  LoopDrive drive("btrfs", Bytes{300} << 20);
  ZT_NEEDS(drive);
  const unsigned seed = std::random_device{}();
  SCOPED_TRACE("seed " + std::to_string(seed));
  History(drive.path(), true, true, seed).live();
  const int fd = ::open(drive.path().c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  const auto byNodes = readMountedBtrfs(fd, {});
  const auto roots = searchBtrfsRoots(fd);
  ASSERT_TRUE(byNodes && roots);
  const auto byKernel = searchBtrfsTrees(fd, *roots, {});
  ::close(fd);
  ASSERT_TRUE(byKernel);
  const auto sums = [](const StoredSizes& sizes) {
    std::map<std::vector<std::uint32_t>, Bytes> all;
    for (const auto& held : sizes.held) {
      std::vector<std::uint32_t> who;
      for (const auto& run : sizes.sets.runs(held.holders))
        for (auto t = run.from; t < run.to; ++t) who.push_back(t);
      if (held.bytes > 0) all[who] += held.bytes;
    }
    return all;
  };
  EXPECT_EQ(sums(*byNodes), sums(*byKernel));
  EXPECT_EQ(byNodes->reaches.size(), byKernel->reaches.size());
  EXPECT_EQ(byNodes->files.size(), byKernel->files.size());
}

/// Measuring one folder again knows of the others what it knew.
TEST_P(Histories, OneFolderMeasuredAgainKeepsTheRest) {
  const Kind kind = GetParam();
  LoopDrive drive(kind.type, Bytes{600} << 20, kind.options);
  ZT_NEEDS(drive);
  const unsigned seed = std::random_device{}();
  SCOPED_TRACE("seed " + std::to_string(seed));
  History history(drive.path(), kind.type == std::string("btrfs"), kind.type != std::string("ext4"), seed);
  history.live();
  auto job = Job::create(realWorkshop(), drive.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  const auto gainOf = [&](const std::vector<PathBytes>& paths) {
    const FindContext& c = *job->surveys().context();
    std::vector<NodeId> nodes;
    for (const auto& p : paths)
      if (const auto node = c.tree.find(p)) nodes.push_back(*node);
    return c.gain.of(nodes);
  };
  std::vector<std::vector<PathBytes>> sets;
  std::vector<GainBounds> before;
  for (int i = 0; i < 5; ++i) sets.push_back(history.someFiles()), before.push_back(gainOf(sets.back()));
  ASSERT_TRUE(job->measurer().measureAgain("d1", {}, {}, nullptr));
  for (std::size_t i = 0; i < sets.size(); ++i) EXPECT_EQ(gainOf(sets[i]), before[i]);
}

INSTANTIATE_TEST_SUITE_P(OnReal, Histories,
                         ::testing::Values(Kind{"btrfs", "compress=zstd"}, Kind{"xfs", ""}, Kind{"ext4", ""}),
                         [](const auto& one) { return std::string(one.param.type); });

}  // namespace
}  // namespace zt::test
