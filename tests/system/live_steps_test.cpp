// SPDX-License-Identifier: GPL-3.0-or-later
// Steps that change more of the running system than files: a real swap file, real packages in a root of their
// own, the journal's own setting.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>

#include "core/job/job.h"
#include "core/os/linux/linux_live_system.h"
#include "support/drive_files.h"
#include "support/loop_drive.h"
#include "support/planned.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;

std::string textOf(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  return {std::istreambuf_iterator<char>(in), {}};
}

/// A drive with a system that swaps to a file on it.
struct Swapping {
  LoopDrive drive{"ext4", 96u << 20};
  const std::string fstab =
      "# hand-made\nUUID=1 / ext4 defaults 0 1\n/swapfile  none\tswap sw,pri=7 0 0\n/x /y none bind";
  bool on = false;

  void start() {
    putOn(drive / "etc/fstab", fstab);
    ::chmod((drive / "etc/fstab").c_str(), 0640);
    putOn(drive / "etc/os-release", "ID=debian\n");
    putOn(drive / "usr/lib/os-release", "ID=debian\n");
    putOn(drive / "usr/bin/env", "x");
    putOn(drive / "var/lib/dpkg/status", "");
    putOn(drive / "swapfile", std::string(32u << 20, '\0'));
    ::chmod((drive / "swapfile").c_str(), 0600);
    ASSERT_EQ(runProgram({program("mkswap"), "-L", "overflow", drive / "swapfile"}).status, 0);
    on = runProgram({program("swapon"), "-p", "7", drive / "swapfile"}).status == 0;
    ASSERT_TRUE(on || mayBeSkipped());
  }
  ~Swapping() {
    if (on) runProgram({program("swapoff"), drive / "swapfile"});
  }
  std::string facts() const {
    return runProgram({program("swaplabel"), drive / "swapfile"}).out +
           runProgram({program("swapon"), "--show=NAME,PRIO", "--noheadings", "--bytes"}).out;
  }
};

std::unique_ptr<Job> jobOn(const std::string& path, std::shared_ptr<LiveSystem> live) {
  Workshop w = realWorkshop();
  w.live = std::move(live);
  auto job = Job::create(w, path, false, {}).value();
  EXPECT_TRUE(job->measurer().measure({}, {}, nullptr));
  return job;
}

const Find* swapFind(Job& job) {
  for (const Find& f : *job.surveys().finds())
    if (f.kind == "memory-files") return &f;
  return nullptr;
}

TEST(SwitchOff, IsALoanThatIsPaidBackAsItWas) {
  Swapping s;
  ZT_NEEDS(s.drive);
  s.start();
  if (!s.on) GTEST_SKIP() << "no swap files here";
  auto job = jobOn(s.drive.path(), linuxLiveSystem());
  const std::string facts = s.facts();
  const Find* find = swapFind(*job);
  ASSERT_NE(find, nullptr);
  ASSERT_TRUE(job->planBook().add({find->id}, "switch-off"));
  const Bytes before = freeOn(s.drive.path()), sure = job->planBook().planned().sure;
  EXPECT_GE(sure, 32u << 20);
  const auto report = job->reclaim(job->consent().token, {});
  ASSERT_TRUE(report);
  ASSERT_EQ(report->lines.at(0).state, LineOutcome::State::done)
      << (report->lines[0].problems.empty() ? "" : report->lines[0].problems[0].detail);
  EXPECT_NEAR(static_cast<double>(freeOn(s.drive.path()) - before), static_cast<double>(sure), 65536.0);
  EXPECT_FALSE(fs::exists(s.drive / "swapfile"));
  EXPECT_NE(textOf(s.drive / "etc/fstab").find("# switched off for a while"), std::string::npos);
  EXPECT_TRUE(job->prove());
  ASSERT_EQ(job->runs().loans()->size(), 1u);
  EXPECT_TRUE(job->undo(0, {})->empty()) << "a loan is paid back, not undone";
  // No room: it stays open, and nothing is begun.
  putOn(s.drive / "filler", std::string(freeOn(s.drive.path()) - (20u << 20), 'x'));
  ASSERT_EQ(job->repay({})->at(0).problem, Errc::noSpace);
  EXPECT_FALSE(fs::exists(s.drive / "swapfile"));
  ASSERT_EQ(job->runs().loans()->size(), 1u);
  fs::remove(s.drive / "filler");
  const auto paid = job->repay({});
  ASSERT_TRUE(paid && paid->size() == 1);
  EXPECT_EQ(paid->at(0).state, ItemState::returned) << paid->at(0).detail;
  EXPECT_EQ(s.facts(), facts);
  EXPECT_EQ(textOf(s.drive / "etc/fstab"), s.fstab) << "byte for byte";
  struct stat fstab {};
  ::stat((s.drive / "etc/fstab").c_str(), &fstab);
  EXPECT_EQ(fstab.st_mode & 0777, 0640u);
  EXPECT_TRUE(job->runs().loans()->empty());
}

/// Says of the machine what a test wants.
class SaidLive : public LiveSystem {
public:
  explicit SaidLive(std::shared_ptr<LiveSystem> real) : real_(std::move(real)) {}
  Result<std::vector<SwapUse>> swaps() override {
    auto all = real_->swaps();
    for (SwapUse& s : *all) s.used = std::max(s.used, used);
    return all;
  }
  Bytes spareMemory() override { return spare; }
  Result<ProgramRun> run(const std::vector<std::string>& a, const std::function<void()>& alive) override {
    if (failOff && a[0] == "swapoff") return ProgramRun{255, "", "Cannot allocate memory"};
    return real_->run(a, alive);
  }
  Bytes used = 0, spare = Bytes{1} << 30;
  bool failOff = false;

protected:
  std::shared_ptr<LiveSystem> real_;
};

TEST(SwitchOff, StaysOnWhereMemoryHasNoRoomASessionResumesFromItOrSwapoffFails) {
  Swapping s;
  ZT_NEEDS(s.drive);
  s.start();
  if (!s.on) GTEST_SKIP() << "no swap files here";
  const auto live = std::make_shared<SaidLive>(linuxLiveSystem());
  auto job = jobOn(s.drive.path(), live);
  const std::string facts = s.facts();
  const auto tried = [&] {
    EXPECT_TRUE(job->planBook().add({swapFind(*job)->id}, "switch-off"));
    const auto report = job->reclaim(job->consent().token, {});
    EXPECT_EQ(report->lines.at(0).itemsDone, 0u);
    EXPECT_EQ(s.facts(), facts);
    EXPECT_EQ(textOf(s.drive / "etc/fstab"), s.fstab);
    return report->lines[0].problems.at(0).detail;
  };
  live->used = 30u << 20, live->spare = 31u << 20;
  EXPECT_EQ(tried(), "swap-memory");
  live->used = 0, live->failOff = true;
  (void)tried();
  live->failOff = false;
  putOn(s.drive / "etc/default/grub", "GRUB_CMDLINE_LINUX=\"resume=UUID=1 resume_offset=4096\"\n");
  EXPECT_EQ(tried(), "swap-resume");
}

/// apt and dpkg on a root of their own.
class RootedLive final : public SaidLive {
public:
  explicit RootedLive(std::string root) : SaidLive(linuxLiveSystem()), root_(std::move(root)) {}
  Result<ProgramRun> run(const std::vector<std::string>& asked, const std::function<void()>& alive) override {
    std::vector<std::string> a{asked.front()};
    if (a[0] == "apt-get")
      a.insert(a.end(), {"-o", "Dir=" + root_, "-o", "Dir::State::status=" + root_ + "/var/lib/dpkg/status",
                         "-o", "Dir::Bin::dpkg=/usr/bin/dpkg", "-o", "DPkg::Options::=--root=" + root_, "-o",
                         "DPkg::Options::=--log=" + root_ + "/dpkg.log"});
    if (a[0] == "dpkg-query") a.push_back("--admindir=" + root_ + "/var/lib/dpkg");
    a.insert(a.end(), asked.begin() + 1, asked.end());
    return SaidLive::run(a, alive);
  }

private:
  std::string root_;
};

/// Makes a package and installs it there.
void installPackage(const std::string& root, const std::string& name, const std::string& control,
                    std::size_t bytes) {
  const TempFolder t;
  putOn(t / ("p/usr/share/" + name + "/data"), noise(bytes, 1));
  putOn(t / "p/DEBIAN/control", "Package: " + name +
                                    "\nVersion: 1\nArchitecture: all\nMaintainer: nobody <n@example.org>\n" +
                                    control + "Description: made for a test\n");
  ASSERT_EQ(runProgram({program("dpkg-deb"), "-Znone", "-b", t / "p", t / "p.deb"}).status, 0);
  const Ran done =
      runProgram({program("dpkg"), "--root=" + root, "--log=" + root + "/dpkg.log", "-i", t / "p.deb"});
  ASSERT_EQ(done.status, 0) << done.err;
}

struct Packaged {
  LoopDrive drive{"ext4", 96u << 20};
  std::shared_ptr<RootedLive> live;
  std::optional<Measured> measured;

  void start() {
    for (const char* folder :
         {"var/lib/dpkg/info", "var/lib/dpkg/updates", "var/lib/apt/lists/partial",
          "var/cache/apt/archives/partial", "etc/apt/apt.conf.d", "etc/apt/preferences.d"})
      fs::create_directories(drive / folder);
    putOn(drive / "var/lib/dpkg/status", "");
    putOn(drive / "etc/os-release", "ID=debian\n");
    installPackage(drive.path(), "organ", "", 8'000'000);
    installPackage(drive.path(), "choir", "Depends: organ\n", 1'000'000);
    live = std::make_shared<RootedLive>(drive.path());
    auto files = std::make_shared<LinuxFileSystem>();
    measured.emplace(files, drive.path(), true);
    FindOptions options;
    options.live = true;
    measured->context = contextOf(measured->survey, true, options);
  }
  RunReport remove(const std::string& name, const std::string& also) {
    FakeOpenFiles open;
    GuardedDrive guarded = measured->guarded(open);
    guarded.live = live;
    PlanLine line;
    line.id = "line";
    line.kind = "programs";
    line.step = measured->craft->steps.find("remove");
    line.gain = {0, 9'000'000, GainTime::now};
    Subject package;
    package.kind = SubjectKind::package;
    package.path = name;
    line.items.push_back(package);
    if (!also.empty()) line.parameters.set("also", also);
    Plan plan{{line}};
    MemoryJournal journal;
    Runner runner(guarded, journal, 1);
    return runner.carryOut(plan, consentFor(plan).token, {}).value();
  }
};

TEST(RemovePackages, GoByTheirManagerAndOnlyThoseThatWereAgreedTo) {
  Packaged p;
  ZT_NEEDS(p.drive);
  p.start();
  RunReport report = p.remove("organ", "");
  ASSERT_EQ(report.lines.at(0).itemsDone, 0u);
  EXPECT_EQ(report.lines[0].problems.at(0).detail, "also choir");
  EXPECT_TRUE(fs::exists(p.drive / "usr/share/organ/data"));
  report = p.remove("--purge", "");
  EXPECT_EQ(report.lines.at(0).problems.at(0).problem, Errc::badInput);
  report = p.remove("harp", "");
  EXPECT_EQ(report.lines.at(0).itemsDone, 0u);
  const Bytes before = freeOn(p.drive.path());
  report = p.remove("organ", "choir");
  ASSERT_EQ(report.lines.at(0).state, LineOutcome::State::done) << report.lines[0].problems.at(0).detail;
  EXPECT_FALSE(fs::exists(p.drive / "usr/share/organ/data"));
  EXPECT_FALSE(fs::exists(p.drive / "usr/share/choir/data"));
  EXPECT_GT(freeOn(p.drive.path()) - before, 8'900'000u);
}

/// A superseded kernel goes by its package, whatever of its files is named.
TEST(RemovePackages, ASupersededKernelGoesByItsPackage) {
  Packaged p;
  ZT_NEEDS(p.drive);
  p.start();
  for (const char* version : {"6.1.0-9-amd64", "6.1.0-17-amd64"}) {
    installPackage(p.drive.path(), "linux-image-" + std::string(version), "", 2'000'000);
    for (const char* file : {"boot/vmlinuz-", "boot/initrd.img-"})
      putOn(p.drive / (file + std::string(version)), noise(500'000, 1));
  }
  FindOptions options;
  options.live = true;
  options.machine.kernel = "6.1.0-17-amd64";
  const SurveyPtr survey = surveyOf(p.measured->files, p.drive.path());
  const ContextPtr context = contextOf(survey, true, options);
  const FolderPtr root = p.measured->files->openRoot(p.drive.path()).value();
  auto detected = detectAll(p.measured->craft->detectors, {context, p.measured->files, root}, {}, {});
  const Find* kernel = nullptr;
  for (Find& f : detected.finds) {
    priceOffers(f, p.measured->craft->steps);
    if (f.kind == "packages" && textIn(f, "kernel-version") == "6.1.0-9-amd64") kernel = &f;
  }
  ASSERT_NE(kernel, nullptr);
  const auto line = lineFor(*kernel, p.measured->craft->steps, "remove", {});
  ASSERT_TRUE(line) << line.error().detail;
  EXPECT_EQ(line->items.at(0).path, "linux-image-6.1.0-9-amd64");
  FakeOpenFiles open;
  GuardedDrive guarded{p.measured->files, borrowed(open), context, {}, root, "0123456789abcdef", {}};
  guarded.live = p.live;
  Plan plan{{*line}};
  MemoryJournal journal;
  const auto report = Runner(guarded, journal, 1).carryOut(plan, consentFor(plan).token, {}).value();
  EXPECT_EQ(report.lines.at(0).state, LineOutcome::State::done)
      << (report.lines[0].problems.empty() ? "" : std::string(name(*report.lines[0].problems[0].problem)));
  EXPECT_FALSE(fs::exists(p.drive / "usr/share/linux-image-6.1.0-9-amd64/data"));
  EXPECT_TRUE(fs::exists(p.drive / "usr/share/linux-image-6.1.0-17-amd64/data"));
}

TEST(RemovePackages, ALockedManagerOrOneThatFailsLeavesThemInstalled) {
  Packaged p;
  ZT_NEEDS(p.drive);
  p.start();
  const int fd = ::open((p.drive / "var/lib/dpkg/lock-frontend").c_str(), O_RDWR | O_CREAT, 0640);
  struct flock lock {};
  lock.l_type = F_WRLCK;
  // Another process has it.
  const pid_t other = ::fork();
  if (other == 0) {
    ::fcntl(fd, F_SETLK, &lock);
    for (;;) ::pause();
  }
  for (struct flock ask = lock; ::fcntl(fd, F_GETLK, &ask) == 0 && ask.l_type == F_UNLCK; ask = lock)
    ::usleep(1000);
  RunReport report = p.remove("choir", "");
  ::kill(other, SIGKILL);
  ::waitpid(other, nullptr, 0);
  ::close(fd);
  EXPECT_EQ(report.lines.at(0).problems.at(0).problem, Errc::busy) << report.lines[0].problems[0].detail;
  EXPECT_TRUE(fs::exists(p.drive / "usr/share/choir/data"));
  // A script of its own that fails.
  putOn(p.drive / "var/lib/dpkg/info/choir.prerm", "#!/bin/false\n");
  ::chmod((p.drive / "var/lib/dpkg/info/choir.prerm").c_str(), 0755);
  report = p.remove("choir", "");
  EXPECT_EQ(report.lines.at(0).itemsDone, 0u);
  EXPECT_TRUE(fs::exists(p.drive / "usr/share/choir/data"));
}

/// Notes what it is asked to run, and does what the journal's own programs would.
class JournalLive final : public SaidLive {
public:
  explicit JournalLive(std::string journal) : SaidLive(linuxLiveSystem()), journal_(std::move(journal)) {}
  Result<ProgramRun> run(const std::vector<std::string>& a, const std::function<void()>&) override {
    asked.push_back(a);
    if (fails) return ProgramRun{1, "", "no such unit"};
    if (a.size() > 1 && a[1].starts_with("--vacuum-size=")) fs::remove(journal_ + "/old.journal");
    return ProgramRun{0, "", ""};
  }
  std::vector<std::vector<std::string>> asked;
  bool fails = false;

private:
  std::string journal_;
};

TEST(LimitJournal, IsASettingOfItsOwnAndWhatIsBeyondItGoes) {
  const LoopDrive drive("ext4", 64u << 20);
  ZT_NEEDS(drive);
  putOn(drive / "var/log/journal/old.journal", noise(9'000'000, 1));
  putOn(drive / "var/log/journal/new.journal", noise(1'000, 2));
  putOn(drive / "etc/os-release", "ID=debian\n");
  Measured measured(std::make_shared<LinuxFileSystem>(), drive.path(), true);
  FindOptions options;
  options.live = true;
  measured.context = contextOf(measured.survey, true, options);
  const auto live = std::make_shared<JournalLive>(drive / "var/log/journal");
  const auto run = [&](std::uint64_t bytes) {
    FakeOpenFiles open;
    GuardedDrive guarded = measured.guarded(open);
    guarded.live = live;
    PlanLine line;
    line.id = "line";
    line.kind = "leftovers";
    line.step = measured.craft->steps.find("limit");
    Subject journal;
    journal.kind = SubjectKind::memory;
    journal.path = "var/log/journal";
    line.items.push_back(journal);
    line.parameters.set("bytes", bytes);
    Plan plan{{line}};
    MemoryJournal records;
    return Runner(guarded, records, 1).carryOut(plan, consentFor(plan).token, {}).value();
  };
  const std::string setting = drive / "etc/systemd/journald.conf.d/90-zip-tally.conf";
  EXPECT_EQ(run(1000).lines.at(0).problems.at(0).problem, Errc::badInput) << "too little to keep anything";
  live->fails = true;
  EXPECT_EQ(run(64u << 20).lines.at(0).itemsDone, 0u);
  EXPECT_FALSE(fs::exists(setting)) << "what did not work leaves no setting";
  live->fails = false;
  const Bytes before = freeOn(drive.path());
  ASSERT_EQ(run(64u << 20).lines.at(0).state, LineOutcome::State::done);
  EXPECT_NE(textOf(setting).find("SystemMaxUse=67108864\n"), std::string::npos);
  EXPECT_GT(freeOn(drive.path()) - before, 8'900'000u);
  EXPECT_EQ(live->asked.back(), (std::vector<std::string>{"journalctl", "--vacuum-size=67108864"}));
}

}  // namespace
}  // namespace zt::test
