// SPDX-License-Identifier: GPL-3.0-or-later
// The helper as a process: an unprivileged program measures through it what it may not read itself.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/mount.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <map>
#include <sstream>

#include "core/os/btrfs/linux_snapshots.h"
#include "core/os/rights/helper_client.h"
#include "core/os/rights/helper_protocol.h"
#include "support/loop_drive.h"
#include "support/run_program.h"
#include "support/unprivileged.h"

namespace zt::test {
namespace {

using helper::Json;

const Json* line(const Json& survey, const std::string& id) {
  for (const auto& l : survey["statement"]["lines"])
    if (l["id"] == id) return &l;
  return nullptr;
}

TEST(Helper, LetsAnOrdinaryUserMeasureEverything) {
  LoopDrive drive("ext4", Bytes{64} << 20);
  ZT_NEEDS(drive);
  Unprivileged user;
  if (!rootAndSetUidWork(user.folder)) GTEST_SKIP() << "SKIPPED, not root";
  for (const std::string& path : {drive.path(), PathBytes(parentPath(drive.path()))})
    must(::chmod(path.c_str(), 0755) == 0, "chmod");
  for (const char* place : {"open", "closed/deep/er", "listed"}) {
    std::filesystem::create_directories(drive / place);
    std::ofstream(drive / place + std::string("/file"), std::ios::binary) << std::string(300'000, 'x');
  }
  must(::chmod((drive / "closed").c_str(), 0700) == 0, "chmod");
  must(::chmod((drive / "listed").c_str(), 0744) == 0, "chmod");  // names, but nothing of what they name
  ::sync();
  const auto with = user.run({"measure", drive.path(), "--everything", "--json"}, true);
  ASSERT_EQ(with.status, 0) << with.err;
  const Json all = with.json();
  EXPECT_EQ(all["files"], 3) << with.err;
  // lost+found is closed to everyone too.
  EXPECT_EQ(all["unreadable"].size(), 0u) << all["unreadable"].dump();
  const auto used =
      all["statement"]["capacity_bytes"].get<double>() - (*line(all, "free"))["bytes"].get<double>();
  EXPECT_LE(std::abs(all["statement"]["unexplained_bytes"].get<double>()) / used, 0.001);
  const auto without = user.run({"measure", drive.path(), "--everything", "--json"}, false);
  EXPECT_EQ(without.status, 0);
  EXPECT_EQ(without.json()["files"], 2) << "the listed one's name is known";
  EXPECT_GE(without.json()["unreadable"].size(), 3u);
  EXPECT_NE(without.err.find("without the rights"), std::string::npos) << without.err;
  const auto direct = runProgram({ZTALLY, "measure", drive.path(), "--json"}).json();
  EXPECT_EQ(direct["occupied_bytes"], all["occupied_bytes"]);
  EXPECT_EQ(direct["entries"], all["entries"]);
}

/// What was measured with rights once is not measured without them the next time, when a part is measured
/// again least of all: what is closed would seem to have gone.
TEST(Helper, RightsStayWithTheJob) {
  LoopDrive drive("ext4", Bytes{64} << 20);
  ZT_NEEDS(drive);
  Unprivileged user;
  if (!rootAndSetUidWork(user.folder)) GTEST_SKIP() << "SKIPPED, not root";
  for (const std::string& path : {drive.path(), PathBytes(parentPath(drive.path()))})
    must(::chmod(path.c_str(), 0755) == 0, "chmod");
  std::filesystem::create_directories(drive / "home/closed");
  std::ofstream(drive / "home/closed/file") << "x";
  must(::chmod((drive / "home/closed").c_str(), 0700) == 0, "chmod");
  must(::chmod(user.folder.path().c_str(), 0777) == 0, "chmod");
  const std::string job = user.folder / "a.ztjob";
  EXPECT_EQ(user.run({"measure", drive.path(), "--job", job, "--everything", "--json"}, true).json()["files"],
            1);
  EXPECT_EQ(
      user.run({"measure", drive.path(), "--job", job, "--folder", "home", "--json"}, true).json()["files"],
      1);
  EXPECT_EQ(user.run({"measure", drive.path(), "--job", job, "--json"}, true).json()["files"], 1);
}

/// Sets every access time to one that any look would move.
std::vector<PathBytes> makeOld(const PathBytes& top) {
  std::vector<PathBytes> all{top};
  for (const auto& e : std::filesystem::recursive_directory_iterator(top)) all.push_back(e.path().string());
  const timespec old[2] = {{1'000'000, 0}, {1'000'000, 0}};
  for (const auto& path : all)
    must(::utimensat(AT_FDCWD, path.c_str(), old, AT_SYMLINK_NOFOLLOW) == 0, "utimensat");
  return all;
}
std::vector<PathBytes> movedOf(const std::vector<PathBytes>& all) {
  std::vector<PathBytes> moved;
  for (const auto& path : all) {
    struct stat st {};
    must(::lstat(path.c_str(), &st) == 0, "lstat");
    if (st.st_atim.tv_sec != 1'000'000) moved.push_back(path);
  }
  return moved;
}

struct NotesEveryAccess : ::testing::TestWithParam<const char*> {
  void SetUp() override {
    ZT_NEEDS(drive);
    for (const std::string& path : {drive.path(), PathBytes(parentPath(drive.path()))})
      must(::chmod(path.c_str(), 0755) == 0, "chmod");
    for (const char* place :
         {"open/in", "closed/in", "etc", "var/lib/dpkg/info", "home/kim/.cache/pip/http/a"}) {
      std::filesystem::create_directories(drive / place);
      std::ofstream(drive / place + std::string("/file")) << "x";
    }
    std::ofstream(drive / "etc/os-release") << "ID=debian\nNAME=\"Debian\"\n";
    std::ofstream(drive / "etc/passwd") << "root:x:0:0::/root:/bin/sh\n";
    std::ofstream list(drive / "var/lib/dpkg/status");
    std::filesystem::create_directories(drive / "usr/bin");
    for (int i = 0; i < 5; ++i) {
      const std::string name = "program" + std::to_string(i);
      list << "Package: " << name << "\nStatus: install ok installed\nInstalled-Size: 100\nVersion: 1\n\n";
      std::ofstream(drive / ("usr/bin/" + name), std::ios::binary) << std::string(3'000'000, 'p');
      std::ofstream(drive / ("var/lib/dpkg/info/" + name + ".list")) << "/usr/bin/" << name << '\n';
    }
    must(::chmod((drive / "closed").c_str(), 0700) == 0, "chmod");
  }
  LoopDrive drive{GetParam(), Bytes{GetParam() == std::string("xfs") ? 320u : 128u} << 20, "strictatime"};
  Unprivileged user;
};

/// A drive that notes every access: nothing that an ordinary user measures, with or without rights, is noted
/// on it, of no entry; and what lies in readable files of the system is known all the same.
TEST_P(NotesEveryAccess, IsLeftWithoutATraceWithAndWithoutRights) {
  if (!rootAndSetUidWork(user.folder)) GTEST_SKIP() << "SKIPPED, not root";
  for (const bool withHelper : {false, true}) {
    SCOPED_TRACE(withHelper);
    const auto all = makeOld(drive.path());
    std::vector<std::string> args{"measure", drive.path(), "--json"};
    if (withHelper) args.push_back("--everything");
    const auto ran = user.run(args, withHelper);
    ASSERT_EQ(ran.status, 0) << ran.err;
    EXPECT_EQ(movedOf(all), std::vector<PathBytes>{});
    EXPECT_EQ(ran.json()["access_times_at_risk"]["folders"], 0);
    EXPECT_EQ(ran.json()["unreadable"].size() == 0, withHelper) << ran.json()["unreadable"].dump();
  }
}

/// With another drive mounted beneath it a drive cannot be copied as a whole: it is read in pieces, and only
/// the folders above the other mount are at risk. With rights, none.
TEST_P(NotesEveryAccess, IsReadInPiecesWhereAnotherIsMountedBeneath) {
  if (!rootAndSetUidWork(user.folder)) GTEST_SKIP() << "SKIPPED, not root";
  const std::string other = drive / "open/in/other";
  std::filesystem::create_directories(other);
  must(::mount("tmpfs", other.c_str(), "tmpfs", 0, "size=1m") == 0, "mount");
  struct Off {
    std::string at;
    ~Off() { ::umount2(at.c_str(), MNT_DETACH); }
  } off{other};
  for (const bool withHelper : {false, true}) {
    SCOPED_TRACE(withHelper);
    auto all = makeOld(drive.path());
    std::erase_if(all, [&](const auto& path) { return path == other; });
    std::vector<std::string> args{"measure", drive.path(), "--json"};
    if (withHelper) args.push_back("--everything");
    const auto ran = user.run(args, withHelper);
    ASSERT_EQ(ran.status, 0) << ran.err;
    const auto moved = movedOf(all);
    const std::vector<PathBytes> above{drive.path(), drive / "open", drive / "open/in"};
    EXPECT_EQ(moved, withHelper ? std::vector<PathBytes>{} : above);
    EXPECT_EQ(ran.json()["access_times_at_risk"]["folders"], withHelper ? 0 : 3);
  }
}

/// What is read without a trace is read without rights, too: an ordinary user knows the programs of the
/// system.
TEST_P(NotesEveryAccess, TellsAnOrdinaryUserWhatReadableFilesSay) {
  if (!rootAndSetUidWork(user.folder)) GTEST_SKIP() << "SKIPPED, not root";
  must(::chmod(user.folder.path().c_str(), 0777) == 0, "chmod");
  const std::string job = user.folder / "a.ztjob";
  const auto measured = user.run({"measure", drive.path(), "--job", job}, false);
  ASSERT_EQ(measured.status, 0) << measured.err;
  const auto all = makeOld(drive.path());
  const auto again = user.run({"measure", drive.path(), "--job", job}, false);
  EXPECT_EQ(again.status, 0) << again.err;
  EXPECT_EQ(movedOf(all), std::vector<PathBytes>{});
  const auto finds = user.run({"finds", "--job", job, "--kind", "programs", "--top", "0", "--json"}, false);
  ASSERT_EQ(finds.status, 0) << finds.err;
  EXPECT_NE(finds.out.find("program3"), std::string::npos) << finds.out.substr(0, 2000);
}

INSTANTIATE_TEST_SUITE_P(Drives, NotesEveryAccess, ::testing::Values("ext4", "xfs", "btrfs"),
                         [](const auto& one) { return std::string(one.param); });

/// A conversation with the real process over pipes.
struct Process {
  int in = -1;
  int out = -1;
  pid_t pid = 0;
  explicit Process(const char* purpose = "read") {
    int a[2];
    int b[2];
    must(::pipe2(a, O_CLOEXEC) == 0 && ::pipe2(b, O_CLOEXEC) == 0, "pipe");
    pid = ::fork();
    if (pid == 0) {
      ::dup2(a[0], 0);
      ::dup2(b[1], 1);
      ::execl(ZTALLY_HELPER_PROGRAM, "ztally-helper", purpose, nullptr);
      ::_exit(99);
    }
    ::close(a[0]), ::close(b[1]);
    in = a[1];
    out = b[0];
  }
  ~Process() {
    if (in >= 0) ::close(in);
    ::close(out);
    if (pid > 0) ::waitpid(pid, nullptr, 0);
  }
  void say(const std::string& text) const {
    must(::write(in, text.data(), text.size()) == std::ssize(text), "write");
  }
  std::string hear() const {
    std::string text;
    char c = 0;
    while (::read(out, &c, 1) == 1 && c != '\n') text += c;
    return text;
  }
  Json ask(const std::string& method, const Json& params) const {
    say(Json{{"jsonrpc", "2.0"}, {"id", 1}, {"method", method}, {"params", params}}.dump() + "\n");
    Json reply = Json::parse(hear(), nullptr, false);
    while (reply.is_object() && reply.contains("method")) reply = Json::parse(hear(), nullptr, false);
    return reply;
  }
  int end() {
    if (in >= 0) ::close(in);
    in = -1;
    int status = 0;
    ::waitpid(pid, &status, 0);
    pid = 0;
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
  }
};

TEST(Helper, EndsWithItsClient) {
  TempFolder t;
  Process helper;
  EXPECT_TRUE(helper.ask("begin", {{"version", helper::version}, {"root", t.path()}}).contains("result"));
  EXPECT_EQ(helper.end(), 0);
}

TEST(Helper, RefusesAMessageWithoutEnd) {
  TempFolder t;
  Process helper;
  helper.say(std::string(helper::mostRequestBytes + 10, 'x'));
  EXPECT_EQ(Json::parse(helper.hear())["error"]["code"], int{helper::tooLong});
  EXPECT_EQ(helper.hear(), "") << "and that is the end";
  EXPECT_EQ(helper.end(), 1);
}

TEST(Helper, TakesNoNamedPipeThatASecondClientCouldOpen) {
  TempFolder t;
  must(::mkfifo((t / "door").c_str(), 0600) == 0, "mkfifo");
  const int door = ::open((t / "door").c_str(), O_RDWR | O_CLOEXEC);
  const pid_t pid = ::fork();
  if (pid == 0) {
    ::dup2(door, 0);
    ::execl(ZTALLY_HELPER_PROGRAM, "ztally-helper", "read", nullptr);
    ::_exit(99);
  }
  int status = 0;
  ::waitpid(pid, &status, 0);
  ::close(door);
  EXPECT_EQ(WEXITSTATUS(status), 2);
  EXPECT_EQ(runProgram({ZTALLY_HELPER_PROGRAM, "/etc"}).status, 2) << "and no other argument";
  EXPECT_EQ(runProgram({ZTALLY_HELPER_PROGRAM}).status, 2);
}

/// After `begin` the kernel itself refuses changes: what a process may still do is read from itself.
void expectItGaveUpAllBut(unsigned long long kept, pid_t pid) {
  std::ifstream status("/proc/" + std::to_string(pid) + "/status");
  std::map<std::string, std::string> facts;
  for (std::string l; std::getline(status, l);)
    if (const auto colon = l.find(':'); colon != std::string::npos)
      facts[l.substr(0, colon)] = l.substr(colon + 2);
  EXPECT_EQ(facts["Seccomp"], "2") << "filtered";
  if (::geteuid() != 0) return;
  EXPECT_EQ(std::stoull(facts["CapEff"], nullptr, 16) & ~kept, 0u) << facts["CapEff"];
  EXPECT_EQ(std::stoull(facts["CapBnd"], nullptr, 16) & ~kept, 0u) << facts["CapBnd"];
  for (const char* id : {"Uid", "Gid"}) {
    std::istringstream ids(facts[id]);
    for (unsigned one; ids >> one;) EXPECT_NE(one, 0u) << id << " " << facts[id];
  }
  EXPECT_EQ(facts["Groups"].find_first_of("0123456789"), std::string::npos) << facts["Groups"];
}

constexpr unsigned long long anyName = 1ull << 1, search = 1ull << 2, trace = 1ull << 19, admin = 1ull << 21;

TEST(Helper, HasGivenUpEveryRightToChangeAnything) {
  TempFolder t;
  Process helper;
  ASSERT_TRUE(helper.ask("begin", {{"version", helper::version}, {"root", t.path()}}).contains("result"));
  expectItGaveUpAllBut(search | trace | admin, helper.pid);
  const Json open = helper.ask("open_files", Json::object());
  EXPECT_TRUE(open["result"].contains("complete"));
}

/// A Btrfs drive with three snapshots that an ordinary user may see, but not let go.
struct SeriesOfRoot {
  LoopDrive drive{"btrfs", Bytes{300} << 20};
  Unprivileged user;
  TempFolder jobs;
  std::string job = jobs / "job.ztj";

  void make() {
    const auto btrfs = [](const std::vector<std::string>& args) {
      std::vector<std::string> all{"/usr/bin/btrfs"};
      all.insert(all.end(), args.begin(), args.end());
      must(runProgram(all).status == 0, args[0] + " " + args[1]);
    };
    for (const std::string& path : {drive.path(), PathBytes(parentPath(drive.path())), jobs.path()})
      must(::chmod(path.c_str(), 0755) == 0, "chmod");
    must(::chown(jobs.path().c_str(), 65534, 65534) == 0, "chown");
    std::filesystem::create_directories(drive / "points");
    btrfs({"subvolume", "create", drive / "vol"});
    for (int i = 0; i < 3; ++i) {
      std::string bytes(8'000'000, static_cast<char>('a' + i));
      for (std::size_t k = 0; k < bytes.size(); k += 4096) bytes[k] = static_cast<char>(k >> 12);
      std::ofstream(drive / "vol/f", std::ios::binary) << bytes;
      btrfs({"subvolume", "snapshot", "-r", drive / "vol", point(i)});
    }
    std::filesystem::remove(drive / "vol/f");
    btrfs({"filesystem", "sync", drive.path()});
  }
  std::string point(int i) const { return drive / ("points/p" + std::to_string(i)); }
  std::string consent() const {
    return user.run({"reclaim", "--job", job, "--json"}, true)
        .json()
        .value("consent", Json())
        .value("token", std::string());
  }
};

TEST(Helper, LetsAnOrdinaryUsersSnapshotsGoAndOnlyThose) {
  SeriesOfRoot series;
  ZT_NEEDS(series.drive);
  if (!rootAndSetUidWork(series.user.folder)) GTEST_SKIP() << "SKIPPED, not root";
  series.make();
  const auto& user = series.user;
  ASSERT_EQ(
      user.run({"measure", series.drive.path(), "--job", series.job, "--everything", "--json"}, true).status,
      0);
  const Json points = user.run({"points", "--job", series.job, "--json"}, true).json();
  ASSERT_EQ(points["points"].size(), 3u) << points.dump();
  EXPECT_EQ(points["points"][0]["exact"], true) << "the helper looked into the trees";
  const Ran planned = user.run({"points", "keep", "newest", "2", "--plan", "--job", series.job}, true);
  ASSERT_EQ(planned.status, 0) << planned.err;
  const std::string token = series.consent();
  ASSERT_EQ(token.size(), 32u);
  const Bytes before = freeOn(series.drive.path());
  // Without rights nothing happens, and says so.
  const Ran without = user.run({"reclaim", "--job", series.job, "--consent", token, "--json"}, false);
  EXPECT_TRUE(std::filesystem::exists(series.point(0))) << without.out;
  EXPECT_NE(without.out.find("not-permitted"), std::string::npos) << without.out;
  const Ran with = user.run({"reclaim", "--job", series.job, "--consent", token, "--json"}, true);
  EXPECT_EQ(with.status, 0) << with.err << with.out;
  EXPECT_FALSE(std::filesystem::exists(series.point(0)));
  EXPECT_TRUE(std::filesystem::exists(series.point(1)));
  EXPECT_TRUE(std::filesystem::exists(series.point(2)));
  EXPECT_GE(freeOn(series.drive.path()), before + 7'900'000);
}

TEST(Helper, NamesSnapshotsWithoutRightsAndPromisesNothing) {
  SeriesOfRoot series;
  ZT_NEEDS(series.drive);
  if (!rootAndSetUidWork(series.user.folder)) GTEST_SKIP() << "SKIPPED, not root";
  series.make();
  const Ran measured =
      series.user.run({"measure", series.drive.path(), "--job", series.job, "--everything", "--json"}, false);
  ASSERT_EQ(measured.status, 0) << measured.err;
  const Json points =
      series.user.run({"points", "sum", "points/p0", "points/p1", "--job", series.job, "--json"}, false)
          .json();
  ASSERT_EQ(points["points"].size(), 3u) << points.dump();
  for (const Json& p : points["points"]) {
    EXPECT_EQ(p["exact"], false);
    EXPECT_EQ(p["own_bytes"], 0);
  }
  EXPECT_EQ(points["points"][2]["reason"], "newest");
  EXPECT_EQ(points["set"]["frees_bytes"], 0);
  EXPECT_EQ(points["set"]["exact"], false);
  EXPECT_EQ(measured.json()["files"], 0) << "what lies in snapshots is nobody's file";
}

/// The process itself, with requests that no client of ours would make.
TEST(Helper, RefusesEveryAttackOnSnapshots) {
  SeriesOfRoot series;
  ZT_NEEDS(series.drive);
  series.make();
  LinuxSnapshots port;
  const auto all = port.list(series.drive.path()).value();
  DropOrder order{std::string(32, 'c'), {}};
  for (const Subvolume& s : all) order.points.emplace_back(s.id, s.made);
  Process helper("drop");
  const Json begun = helper.ask(
      "begin",
      {{"version", helper::version}, {"root", series.drive.path()}, {"order", helper::toJson(order)}});
  ASSERT_TRUE(begun.contains("result")) << begun.dump();
  expectItGaveUpAllBut(anyName | search | admin, helper.pid);
  std::size_t refused = 0;
  for (const Subvolume& s : all) {
    const bool mayGo = s.path == "points/p0" || s.path == "points/p1";
    if (mayGo) continue;
    const Json reply = helper.ask("drop", {{"id", s.id}, {"uuid", s.uuid}, {"made", s.made}});
    EXPECT_TRUE(reply.contains("error")) << s.path;
    ++refused;
  }
  EXPECT_EQ(refused, 3u) << "the top, the one that is written to, the newest";
  for (const auto& s : all) {
    if (s.path != "points/p0") continue;
    // A mount since then, another date, another uuid.
    TempFolder at;
    const std::string device = runProgram({"/usr/bin/findmnt", "-no", "SOURCE", series.drive.path()}).out;
    must(runProgram({"/usr/bin/mount", "-o", "subvol=points/p0",
                     device.substr(0, device.find_first_of("[\n")), at.path()})
                 .status == 0,
         "mount");
    EXPECT_EQ(helper.ask("drop", {{"id", s.id}, {"uuid", s.uuid}, {"made", s.made}})["error"]["message"],
              "in-use");
    must(unmounted(at.path()), "umount");
    EXPECT_TRUE(helper.ask("drop", {{"id", s.id}, {"uuid", s.uuid}, {"made", s.made + 1}}).contains("error"));
    EXPECT_TRUE(
        helper.ask("drop", {{"id", s.id}, {"uuid", all[0].uuid}, {"made", s.made}}).contains("error"));
    EXPECT_TRUE(std::filesystem::exists(series.point(0)));
    EXPECT_EQ(helper.ask("drop", {{"id", s.id}, {"uuid", s.uuid}, {"made", s.made}})["result"], true);
    EXPECT_FALSE(std::filesystem::exists(series.point(0)));
  }
  for (int i = 1; i < 3; ++i) EXPECT_TRUE(std::filesystem::exists(series.point(i)));
  // A reading helper knows no such request.
  Process reader;
  ASSERT_TRUE(
      reader.ask("begin", {{"version", helper::version}, {"root", series.drive.path()}}).contains("result"));
  EXPECT_EQ(reader.ask("drop", {{"id", all[0].id}})["error"]["code"], int{helper::noSuchMethod});
}

TEST(Helper, AccessFailsClearlyWhenItDies) {
  TempFolder t;
  t.file("a/b", "x");
  HelperClient client({ZTALLY_HELPER_PROGRAM});
  auto access = client.start(t.path());
  ASSERT_TRUE(access) << access.error().detail;
  ASSERT_TRUE((*access)->files().stat(*(*access)->root(), "a"));
  runProgram({"/usr/bin/pkill", "-KILL", "-P", std::to_string(::getpid()), "ztally-helper"});
  const auto gone = (*access)->files().stat(*(*access)->root(), "a");
  ASSERT_FALSE(gone);
  EXPECT_TRUE(gone.error().code == Errc::io || gone.error().code == Errc::notPermitted);
  EXPECT_FALSE(HelperClient({"/nonexistent/helper"}).start(t.path()));
  EXPECT_FALSE(HelperClient({"/bin/false"}).start(t.path())) << "refused rights look like this";
  EXPECT_FALSE(HelperClient({"/bin/cat"}).start(t.path())) << "an echo is no helper";
}

/// A swap file of the running system: an ordinary user plans, root's helper carries it out, and pays it back.
TEST(Helper, SwitchesASwapFileOffForAnOrdinaryUserAndOnAgain) {
  LoopDrive drive("ext4", Bytes{96} << 20);
  ZT_NEEDS(drive);
  Unprivileged user;
  if (!rootAndSetUidWork(user.folder)) GTEST_SKIP() << "SKIPPED, not root";
  for (const std::string& path : {drive.path(), PathBytes(parentPath(drive.path()))})
    must(::chmod(path.c_str(), 0755) == 0, "chmod");
  for (const char* folder : {"etc", "usr/bin", "usr/lib", "var/lib/dpkg"})
    std::filesystem::create_directories(drive / folder);
  const std::string fstab = "/swapfile none swap sw 0 0\n# the end\n";
  for (const auto& [file, text] :
       {std::pair("etc/os-release", std::string("ID=debian\n")), std::pair("etc/fstab", fstab),
        std::pair("usr/bin/env", std::string("x")), std::pair("var/lib/dpkg/status", std::string())})
    std::ofstream(drive / file) << text;
  std::ofstream(drive / "swapfile") << std::string(32u << 20, '\0');
  ::chmod((drive / "swapfile").c_str(), 0600);
  ASSERT_EQ(runProgram({"/usr/sbin/mkswap", drive / "swapfile"}).status, 0);
  if (runProgram({"/usr/sbin/swapon", drive / "swapfile"}).status != 0) {
    ASSERT_TRUE(mayBeSkipped());
    GTEST_SKIP() << "no swap files here";
  }
  const std::shared_ptr<void> off(nullptr, [&](void*) {
    runProgram({"/usr/sbin/swapoff", drive / "swapfile"});
  });
  const std::string jobs = user.folder / "jobs", job = jobs + "/a.ztjob";
  std::filesystem::create_directories(jobs);
  must(::chown(jobs.c_str(), 65534, 65534) == 0, "chown");
  const auto ask = [&](std::vector<std::string> words, bool withHelper = true) {
    words.insert(words.begin() + 1, {"--json", "--job", job});
    return user.run(words, withHelper);
  };
  const auto used = [&] {
    return runProgram({"/usr/sbin/swapon", "--show=NAME", "--noheadings"}).out.find(drive / "swapfile") !=
           std::string::npos;
  };
  ASSERT_TRUE(used());
  ASSERT_EQ(ask({"measure", drive.path()}).status, 0);
  const Json finds = Json::parse(ask({"finds", "--kind", "memory-files"}).out);
  ASSERT_EQ(finds["finds"].size(), 1u) << finds.dump();
  const std::string id = finds["finds"][0]["id"];
  Ran added = user.run({"plan", "--job", job, "add", id, "--action", "switch-off"}, true);
  ASSERT_EQ(added.status, 0) << added.err;
  const std::string token = Json::parse(ask({"reclaim"}).out)["consent"]["token"];
  EXPECT_NE(ask({"reclaim", "--consent", token}, false).status, 0) << "without rights it stays on";
  EXPECT_TRUE(used());
  const Ran ran = ask({"reclaim", "--consent", token});
  EXPECT_EQ(ran.status, 0) << ran.out << ran.err;
  EXPECT_FALSE(used());
  EXPECT_FALSE(std::filesystem::exists(drive / "swapfile"));
  const Ran paid = ask({"repay"});
  EXPECT_EQ(paid.status, 0) << paid.out << paid.err;
  EXPECT_TRUE(used());
  std::ifstream in(drive / "etc/fstab");
  EXPECT_EQ(std::string(std::istreambuf_iterator<char>(in), {}), fstab);
}

}  // namespace
}  // namespace zt::test
