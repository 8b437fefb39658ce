// SPDX-License-Identifier: GPL-3.0-or-later
// Series of snapshots on real drives: what may go and what stays, whatever happens meanwhile.
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fstream>
#include <random>
#include <thread>

#include "core/job/job.h"
#include "support/code_of.h"
#include "support/fakes.h"
#include "system/history.h"

namespace zt::test {
namespace {

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
  EXPECT_EQ(codeOf(refused), Errc::lastCopy);
  ASSERT_TRUE(job->planBook().drop(find()));
  EXPECT_EQ(codeOf(job->planBook().addPaths({"points"}, "discard")), Errc::otherDevice);
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
    std::vector<std::string> send{"send", "-f", stream};
    if (i > 0) send.insert(send.end(), {"-p", drive / "points/p0"});
    send.push_back(drive / ("points/" + name));
    btrfs(send);
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

/// One that can be gone on in is told and weighed. By itself none goes; one that was written to goes only as
/// the files that it is.
class WritableStates : public ::testing::Test {
protected:
  void SetUp() override {
    ZT_NEEDS(drive);
    btrfs({"subvolume", "create", drive / "vol"});
    write("vol/f", 'a');
    btrfs({"subvolume", "snapshot", "-r", drive / "vol", drive / "kept"});
    btrfs({"subvolume", "snapshot", drive / "vol", drive / "layer"});
    write("vol/f", 'b');
    btrfs({"subvolume", "snapshot", drive / "vol", drive / "work"});
    write("work/mine", 'c');
    write("vol/f", 'd');
    btrfs({"filesystem", "sync", drive.path()});
  }
  void write(const char* name, char with) const {
    std::string bytes(8'000'000, with);
    for (std::size_t k = 0; k < bytes.size(); k += 4096) bytes[k] = static_cast<char>(k >> 12);
    std::ofstream(drive / name, std::ios::binary) << bytes;
  }
  std::unique_ptr<Job> measured(const PathBytes& at) const {
    auto job = Job::create(realWorkshop(), at, false, {}).value();
    must(job->measurer().measure({}, {}, nullptr).has_value(), "measure");
    return job;
  }
  static std::uint32_t pointAt(const Job& job, std::string_view name) {
    const PointModel& points = job.surveys().context()->points;
    for (std::uint32_t i = 0; i < points.size(); ++i)
      if (points[i].path == name) return i;
    must(false, std::string(name));
    return 0;
  }
  /// Mounts one of the drive's subvolumes elsewhere.
  void mount(const std::string& subvolume, const std::string& at) const {
    const std::string device = runProgram({"/usr/bin/findmnt", "-no", "SOURCE", drive.path()}).out;
    fs::create_directories(at);
    must(runProgram({"/usr/bin/mount", "-o", "subvol=" + subvolume, device.substr(0, device.find('\n')), at})
                 .status == 0,
         "mount");
  }
  LoopDrive drive{"btrfs", Bytes{300} << 20};
};

TEST_F(WritableStates, AreToldWhereTheyWereWalkedAndGoAsFiles) {
  const auto job = measured(drive.path());
  const PointModel& points = job->surveys().context()->points;
  ASSERT_EQ(points.size(), 3u);
  const std::uint32_t work = pointAt(*job, "work"), layer = pointAt(*job, "layer");
  EXPECT_TRUE(points[work].changed);
  EXPECT_FALSE(points[layer].changed);
  EXPECT_EQ(points.lock(work), PointLock::writable);
  EXPECT_EQ(points.lock(pointAt(*job, "kept")), PointLock::newest);
  EXPECT_GE(points.own(work), 16'000'000u);
  EXPECT_TRUE(points.exact(points.seriesOf(work)));
  for (const char* rule : {"newest 1", "younger 0d", "share 0%"}) {
    const auto go = pointsToGo(points, *parsePolicy(rule), 1'000'000'000, job->surveys().survey()->finished);
    EXPECT_FALSE(go[work] || go[layer]) << rule;
  }
  // As a folder: by a person, and as all that its files are.
  ASSERT_TRUE(job->planBook().addPaths({"work"}, "discard"));
  const Bytes sure = job->planBook().planned().sure, before = freeOn(drive.path());
  EXPECT_GE(sure, 16'000'000u);
  const auto report = job->reclaim(job->consent().token, {});
  ASSERT_TRUE(report);
  EXPECT_EQ(report->lines.at(0).state, LineOutcome::State::done);
  for (const JournalRecord& r : report->lines[0].problems)
    ADD_FAILURE() << name(r.problem.value_or(Errc::io)) << " " << r.detail;
  btrfs({"filesystem", "sync", drive.path()});
  EXPECT_GE(freeOn(drive.path()) + 65'536, before + sure);
  EXPECT_TRUE(fs::exists(drive / "layer/f"));
}

TEST_F(WritableStates, AreWeighedWhereTheyLieBesideWhatIsMeasured) {
  const TempFolder t;
  mount("vol", t / "at");
  const auto job = measured(t / "at");
  const PointModel& points = job->surveys().context()->points;
  ASSERT_EQ(points.size(), 3u);
  const std::uint32_t work = pointAt(*job, "work"), layer = pointAt(*job, "layer");
  EXPECT_EQ(points.lock(work), PointLock::writable);
  EXPECT_EQ(points.lock(pointAt(*job, "kept")), PointLock::newest) << "the last that nobody can go on in";
  EXPECT_GE(points.own(work), 16'000'000u);
  const Statement& s = job->surveys().survey()->statement;
  EXPECT_LE(std::abs(s[StatementLine::unexplained]),
            static_cast<SignedBytes>(job->surveys().survey()->usage.used() / 1000));
  // No proposal has it, not even where nothing else reaches; a person may let it go while nobody wrote to it.
  Target target;
  target.bytes = freeOn(drive.path()) + 1'000'000;
  ASSERT_TRUE(job->planBook().setTargets({target}));
  ProposeOptions all;
  all.ceiling = Regret::wayBack;
  const auto proposal = job->planBook().propose(all);
  ASSERT_TRUE(proposal);
  EXPECT_TRUE(proposal->plan.lines.empty());
  EXPECT_FALSE(pointsToGo(points, *parsePolicy("younger 0d"), 1'000'000'000,
                          job->surveys().survey()->finished)[layer]);
  std::string id;
  for (const Find& f : *job->surveys().finds())
    for (const Subject& item : f.items)
      if (item.path == "layer") id = f.id;
  ASSERT_FALSE(id.empty());
  ASSERT_TRUE(job->planBook().add({id}, "drop"));
  Plan both = job->planBook().plan();
  both.lines[0].items.push_back(job->surveys().context()->pointSubject(work));
  EXPECT_EQ(codeOf(job->planBook().set(both)), Errc::bedrock);
  write("layer/new", 'e');
  btrfs({"filesystem", "sync", drive.path()});
  const auto report = job->reclaim(job->consent().token, {});
  ASSERT_TRUE(report);
  EXPECT_EQ(report->lines.at(0).state, LineOutcome::State::refused);
  EXPECT_TRUE(fs::exists(drive / "layer/new"));
  (void)runProgram({"/usr/bin/umount", t / "at"});
}

/// The top of a subvolume that is no state of another, or that is mounted, goes with no folder.
TEST_F(WritableStates, OtherTopsAreRefusedWhenPlanned) {
  btrfs({"subvolume", "create", drive / "plain"});
  const TempFolder t;
  mount("work", t / "at");
  const auto job = measured(drive.path());
  for (const char* path : {"plain", "work"})
    EXPECT_FALSE(job->planBook().addPaths({path}, "discard")) << path;
  EXPECT_TRUE(job->planBook().addPaths({"layer"}, "discard"));
  (void)runProgram({"/usr/bin/umount", t / "at"});
}

TEST_F(WritableStates, TheOneThatADriveStartsFromIsRefusedWhenPlanned) {
  btrfs({"subvolume", "set-default", drive / "layer"});
  const auto job = measured(drive.path());
  EXPECT_TRUE(job->surveys().context()->points[pointAt(*job, "layer")].isDefault);
  EXPECT_FALSE(job->planBook().addPaths({"layer"}, "discard"));
  EXPECT_TRUE(job->planBook().addPaths({"work"}, "discard"));
}

/// Its inodes have numbers of their own, and it can be reached by another mount than the measured one.
TEST_F(WritableStates, WhatIsHeldThroughAnotherMountIsInUse) {
  const TempFolder t;
  mount("vol", t / "at");
  std::ofstream(drive / "f") << "of the same number, perhaps";
  const auto open = std::make_unique<std::ifstream>(t / "at/f");
  const pid_t holder = ::fork();
  if (holder == 0)
    for (;;) ::pause();
  const auto job = measured(drive.path());
  const auto held = job->planBook().addPaths({"vol/f"}, "discard");
  ::kill(holder, SIGKILL);
  ::waitpid(holder, nullptr, 0);
  (void)runProgram({"/usr/bin/umount", "-l", t / "at"});
  EXPECT_EQ(codeOf(held), Errc::inUse);
  for (const char* free : {"f", "work/f", "layer/f"})
    EXPECT_TRUE(job->planBook().addPaths({free}, "discard")) << free;
}

/// Two machines send their states to one folder by turns: each is a series, whatever lies beside it, and of
/// each the newest stays.
TEST(PointsOnBtrfs, OfTwoMachinesInOneFolderNoneLosesItsLast) {
  LoopDrive backup("btrfs", Bytes{300} << 20);
  ZT_NEEDS(backup);
  LoopDrive machines[2]{{"btrfs", Bytes{200} << 20}, {"btrfs", Bytes{200} << 20}};
  fs::create_directories(backup / "came");
  for (LoopDrive& machine : machines) {
    ZT_NEEDS(machine);
    btrfs({"subvolume", "create", machine / "vol"});
  }
  const std::string stream = backup / "stream";
  for (int i = 0; i < 3; ++i)
    for (int m = 0; m < 2; ++m) {
      const LoopDrive& machine = machines[m];
      const std::string name = "day" + std::to_string(i) + (m == 0 ? "a" : "b");
      std::string bytes(5'000'000, static_cast<char>('a' + i));
      for (std::size_t k = 0; k < bytes.size(); k += 4096) bytes[k] = static_cast<char>(k >> 12);
      std::ofstream(machine / "vol/f", std::ios::binary) << bytes;
      btrfs({"subvolume", "snapshot", "-r", machine / "vol", machine / name});
      std::vector<std::string> send{"send", "-f", stream};
      const std::string before = "day" + std::to_string(i - 1) + (m == 0 ? "a" : "b");
      if (i > 0) send.insert(send.end(), {"-p", machine / before});
      send.push_back(machine / name);
      btrfs(send);
      btrfs({"receive", "-f", stream, backup / "came"});
    }
  fs::remove(stream);
  btrfs({"filesystem", "sync", backup.path()});
  auto job = Job::create(realWorkshop(), backup.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  std::vector<std::string> ids;
  for (const Find& f : *job->surveys().finds())
    if (f.kind == "points") ids.push_back(f.id);
  EXPECT_EQ(ids.size(), 2u);
  ASSERT_TRUE(job->planBook().add(ids, "drop"));
  const auto report = job->reclaim(job->consent().token, {});
  ASSERT_TRUE(report);
  for (const auto& line : report->lines) EXPECT_EQ(line.state, LineOutcome::State::done);
  for (const char* kept : {"day2a", "day2b"})
    EXPECT_TRUE(fs::exists(backup / (std::string("came/") + kept + "/f"))) << kept;
  for (const char* gone : {"day0a", "day0b", "day1a", "day1b"})
    EXPECT_FALSE(fs::exists(backup / (std::string("came/") + gone))) << gone;
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
  EXPECT_EQ(codeOf(job->planBook().addWithPoints(*live)), Errc::lastCopy);
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
  must(unmounted(top), "umount");
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
  EXPECT_TRUE(unmounted(top));
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
  EXPECT_EQ(codeOf(refused), Errc::kept);
}

/// Measured from a subvolume, a point's path is not what is seen: what is kept is kept all the same.
TEST(PointsOnBtrfs, WhatIsKeptStaysOffThePlanWhereASubvolumeIsMounted) {
  LoopDrive drive("btrfs", Bytes{300} << 20);
  ZT_NEEDS(drive);
  btrfs({"subvolume", "create", drive / "@"});
  fs::create_directories(drive / "@/points");
  for (int i = 0; i < 3; ++i) {
    std::ofstream(drive / "@/f", std::ios::binary) << std::string(2'000'000, static_cast<char>('a' + i));
    btrfs({"subvolume", "snapshot", "-r", drive / "@", drive / ("@/points/p" + std::to_string(i))});
  }
  ::sync();
  ASSERT_TRUE(drive.remount("subvol=@"));
  auto job = Job::create(realWorkshop(), drive.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  std::string id;
  for (const Find& f : *job->surveys().finds())
    if (f.kind == "points") id = f.id;
  ASSERT_FALSE(id.empty());
  ASSERT_TRUE(job->planBook().add({id}, "drop"));
  ASSERT_TRUE(job->planBook().mark({"points"}, Mark::keep));
  EXPECT_TRUE(job->planBook().plan().lines.empty()) << "it leaves the plan";
  EXPECT_EQ(codeOf(job->planBook().add({id}, "drop")), Errc::kept);
  EXPECT_TRUE(job->planBook().plan().lines.empty());
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

}  // namespace
}  // namespace zt::test
