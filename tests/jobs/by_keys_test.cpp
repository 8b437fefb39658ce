// SPDX-License-Identifier: GPL-3.0-or-later
// The whole job by real keys alone, from the first key after the start: the program itself on a virtual
// screen, under a window manager. What it did is read from the disk and from the job's file.
#include <gtest/gtest.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <functional>
#include <map>
#include <memory>
#include <thread>

#include "demo/builder.h"
#include "support/fakes.h"
#include "support/run_program.h"
#include "support/temp_folder.h"

extern char** environ;

namespace zt::test {
namespace {

using Json = nlohmann::json;

/// A program that runs until it is told to end.
class Running {
public:
  Running(const std::vector<std::string>& words, const std::vector<std::string>& settings) {
    std::vector<std::string> all{"/usr/bin/env"};
    all.insert(all.end(), settings.begin(), settings.end());
    all.insert(all.end(), words.begin(), words.end());
    std::vector<char*> argv;
    for (auto& word : all) argv.push_back(word.data());
    argv.push_back(nullptr);
    must(::posix_spawn(&pid_, argv[0], nullptr, nullptr, argv.data(), environ) == 0, words[0]);
  }
  ~Running() {
    ::kill(pid_, SIGTERM);
    ::waitpid(pid_, nullptr, 0);
  }
  Running(const Running&) = delete;
  Running& operator=(const Running&) = delete;

private:
  pid_t pid_ = 0;
};

struct Screen {
  int width;
  int height;
};

class ByKeys : public ::testing::TestWithParam<Screen> {
protected:
  static bool waitFor(const std::function<bool()>& done) {
    for (int tries = 0; tries < 600; ++tries) {
      if (done()) return true;
      std::this_thread::sleep_for(std::chrono::milliseconds(100));
    }
    return false;
  }
  Ran tool(std::vector<std::string> words) const {
    words.insert(words.begin(), {"/usr/bin/env", "DISPLAY=" + display, "/usr/bin/xdotool"});
    return runProgram(words);
  }
  std::string title() const { return tool({"getactivewindow", "getwindowname"}).out; }
  bool titled(const std::string& part) const {
    return waitFor([&] { return title().find(part) != std::string::npos; });
  }
  void keys(const std::vector<std::string>& all) const {
    for (const auto& key : all) ASSERT_EQ(tool({"key", "--delay", "60", key}).status, 0) << key;
  }
  /// Letter by letter as keys: a tool that types whole texts changes the keyboard's map for each.
  void type(const std::string& text) const {
    std::vector<std::string> all;
    for (const char c : text)
      all.push_back(c == ' '   ? "space"
                    : c == ',' ? "comma"
                    : c == '.' ? "period"
                    : c == '-' ? "minus"
                               : std::string(1, c));
    keys(all);
  }
  /// Lets the window catch up: nothing outside shows when it has taken a key.
  static void rest() { std::this_thread::sleep_for(std::chrono::seconds(3)); }
  /// Asks to quit until no run is under way any more: the window asks back while there is one.
  void quitAfterTheRun() const {
    ASSERT_TRUE(waitFor([&] {
      rest();
      keys({"ctrl+q"});
      rest();
      const std::string now = title();
      if (now.find("run is under way") == std::string::npos) return true;
      keys({"Escape"});
      return false;
    }));
  }
  std::string jobFile() const {
    std::error_code none;
    for (const auto& e : std::filesystem::directory_iterator(t / "data/zip-tally/jobs", none))
      if (e.path().extension() == ".ztjob") return e.path();
    return {};
  }
  /// Starts the program on a stand-in drive, on a screen of its own, and leaves it on the Bench.
  void begin(const std::string& drive, const std::string& title) {
    for (const char* program : {"/usr/bin/Xvfb", "/usr/bin/openbox", "/usr/bin/xdotool"})
      if (::access(program, X_OK) != 0) {
        ASSERT_EQ(std::getenv("CI"), nullptr) << program << " is among the packages";
        GTEST_SKIP() << "SKIPPED, no " << program;
      }
    const Screen screen = GetParam();
    ASSERT_TRUE(demo::build(t / "si", SystemClock().now(), drive));
    for (const char* folder : {"home", "data", "run"}) t.folder(folder);
    static int screens = 0;
    display = ":" + std::to_string(200 + ::getpid() % 400 + 400 * screens++);
    const std::vector<std::string> settings{"DISPLAY=" + display,           "HOME=" + t / "home",
                                            "XDG_DATA_HOME=" + t / "data",  "XDG_CONFIG_HOME=" + t / "home",
                                            "XDG_RUNTIME_DIR=" + t / "run", "QT_QPA_PLATFORM=xcb"};
    running.push_back(std::make_unique<Running>(
        std::vector<std::string>{"/usr/bin/Xvfb", display, "-screen", "0",
                                 std::to_string(screen.width) + "x" + std::to_string(screen.height) + "x24",
                                 "-nolisten", "tcp", "-noreset"},
        std::vector<std::string>{"HOME=" + t / "home"}));
    ASSERT_TRUE(waitFor([&] { return tool({"getdisplaygeometry"}).status == 0; }));
    running.push_back(std::make_unique<Running>(std::vector<std::string>{"/usr/bin/openbox"}, settings));
    // A window that stands before the manager does is not made the active one.
    ASSERT_TRUE(waitFor([&] { return tool({"get_desktop"}).status == 0; }));
    running.push_back(
        std::make_unique<Running>(std::vector<std::string>{ZIP_TALLY, "--stand-in", t / "si"}, settings));
    ASSERT_TRUE(titled(title + ": Bench")) << this->title();
  }
  void TearDown() override {
    while (!running.empty()) running.pop_back();  // the window before its screen
  }
  /// Asks the finds a question and gets to the first that answers it.
  void chooseFind(const std::string& question) const {
    keys({"slash", "ctrl+a"});
    type(question);
    rest();
    keys({"Return"});
    rest();
    keys({"Home", "Down"});
  }
  /// Goes from consent to consent, agrees to each, and starts; until a thing is gone.
  void agreeToAllAndStart(const std::string& going) const {
    ASSERT_TRUE(t.has(going));
    bool gone = false;
    for (int tick = 0; tick < 8 && !gone; ++tick) {
      keys({"space"});
      rest();
      gone = !t.has(going);
      if (!gone) keys({"Tab"});
    }
    ASSERT_TRUE(gone || waitFor([&] { return !t.has(going); })) << title();
  }
  /// The proof, from the job's own file, once the window has let go of it.
  Json proofAfterwards() {
    const std::string job = jobFile();
    EXPECT_FALSE(job.empty());
    Ran proved;
    EXPECT_TRUE(waitFor([&] {
      return (proved = runProgram({ZTALLY, "prove", "--job", job, "--json"})).status == 0;
    })) << proved.err;
    return proved.json();
  }
  /// Whether the job's file knows what comparing contents found. Nobody else may open it meanwhile; its
  /// letters can be read all the same.
  bool contentsCompared() const {
    for (const char* part : {"-wal", ""}) {
      std::ifstream in(jobFile() + part, std::ios::binary);
      const std::string all((std::istreambuf_iterator<char>(in)), std::istreambuf_iterator<char>());
      if (all.find("\"groups\":") != std::string::npos) return true;
    }
    return false;
  }
  std::vector<std::unique_ptr<Running>> running;
  TempFolder t;
  std::string display;
};

TEST_P(ByKeys, FromTheFirstKeyToTheProof) {
  begin("office", "Skerry Point office");
  const Screen screen = GetParam();
  const Ran geometry = tool({"getactivewindow", "getwindowgeometry", "--shell"});
  const auto value = [&](const std::string& name) {
    const auto at = geometry.out.find(name + "=");
    return at == std::string::npos ? 99'999 : std::atoi(geometry.out.c_str() + at + name.size() + 1);
  };
  constexpr int titleBar = 20;
  EXPECT_LE(value("HEIGHT"), screen.height - titleBar) << "it fits the screen with its title bar";
  EXPECT_LE(value("WIDTH"), screen.width);

  keys({"Return"});  // on the chosen drive: measures it
  ASSERT_TRUE(titled("Survey")) << title();
  keys({"ctrl+3"});
  ASSERT_TRUE(titled("Finds")) << title();
  rest();
  chooseFind("large, logger.raw");
  keys({"p"});
  rest();
  keys({"ctrl+4"});
  ASSERT_TRUE(titled("Plan")) << title();
  rest();
  keys({"ctrl+5"});
  ASSERT_TRUE(titled("Reclaim")) << title();
  rest();
  agreeToAllAndStart("si/drive/srv/virtual-machines/logger.raw");
  keys({"ctrl+6"});
  ASSERT_TRUE(titled("Proof")) << title();
  quitAfterTheRun();
  const Json proof = proofAfterwards();
  EXPECT_EQ(proof["lines"].size(), 1u);
  EXPECT_NEAR(proof["lines"][0]["actual_bytes"].get<double>(), 6.0e9, 1e8);
}

class JobsByKeys : public ByKeys {};

/// Job 3: an upgrade refuses for lack of room. Its need is a target as long as it runs; what is proposed
/// reaches it with nothing personal in it, and the proof says so.
TEST_P(JobsByKeys, AnUpgradeIsRefusedForLackOfRoom) {
  begin("ferry", "Skerry ferry booking laptop");
  keys({"ctrl+t"});
  ASSERT_TRUE(titled("Add a target")) << title();
  type("upgrade");
  keys({"Tab"});
  type("22GB");
  keys({"Tab", "space", "Return"});
  ASSERT_TRUE(titled("Bench")) << title();
  rest();
  keys({"ctrl+m"});
  ASSERT_TRUE(titled("Survey")) << title();
  rest();
  keys({"ctrl+p"});
  ASSERT_TRUE(titled("Plan")) << title();
  rest();
  keys({"ctrl+5"});
  ASSERT_TRUE(titled("Reclaim")) << title();
  rest();
  agreeToAllAndStart("si/drive/Windows/MEMORY.DMP");
  keys({"ctrl+6"});
  ASSERT_TRUE(titled("Proof")) << title();
  quitAfterTheRun();
  const Json proof = proofAfterwards();
  bool ours = false;
  for (const Json& target : proof["targets"]) {
    ours = ours || (target["label"] == "upgrade" && target["while_it_runs"]);
    EXPECT_TRUE(target["met"].get<bool>()) << target;
  }
  EXPECT_TRUE(ours);
  for (const Json& line : proof["lines"]) EXPECT_EQ(line["promised_bytes"], line["actual_bytes"]) << line;
  EXPECT_TRUE(t.has("si/drive/Users/clerk/Documents")) << "nothing personal went";
}

/// Job 7: a personal machine, slowly full. Its kinds; the trash; two files of one name of which one goes;
/// what arrived, by its age; small attachments are not worth it and are kept. What is kept and what is gone
/// is named.
TEST_P(JobsByKeys, APersonalMachineSlowlyFull) {
  begin("office", "Skerry Point office");
  keys({"Return"});
  ASSERT_TRUE(titled("Survey")) << title();
  keys({"ctrl+d"});  // calculating may take a while
  ASSERT_TRUE(waitFor([&] { return contentsCompared(); }));
  keys({"ctrl+3"});
  ASSERT_TRUE(titled("Finds")) << title();
  rest();
  chooseFind("namesakes, report");
  keys({"p"});
  rest();
  chooseFind("trash, warden, spent");
  keys({"p"});
  rest();
  chooseFind("arrivals, older 3 y");
  keys({"r"});
  rest();
  keys({"y"});
  rest();
  chooseFind("many-small");
  keys({"k"});
  rest();
  keys({"ctrl+5"});
  ASSERT_TRUE(titled("Reclaim")) << title();
  rest();
  const std::string home = "si/drive/home/";
  const std::string newest = home + "warden/Documents/sent/report-final.odt",
                    older = home + "warden/Documents/report-final.odt";
  ASSERT_TRUE(t.has(newest) && t.has(older));
  agreeToAllAndStart(home + "warden/.local/share/Trash/files/open-day-2024.mp4");
  keys({"ctrl+6"});
  ASSERT_TRUE(titled("Proof")) << title();
  quitAfterTheRun();
  const Json proof = proofAfterwards();
  std::map<std::string, Json> lines;
  for (const Json& line : proof["lines"]) lines[line["kind"]] = line;
  ASSERT_EQ(lines.size(), 3u) << proof["lines"];
  // What is written down beside held things takes a little.
  for (const char* kind : {"trash", "arrivals"})
    EXPECT_NEAR(lines[kind]["actual_bytes"].get<double>(), lines[kind]["promised_bytes"].get<double>(),
                65'536);
  EXPECT_TRUE(t.has(newest)) << "the newest stays";
  EXPECT_FALSE(t.has(older));
  EXPECT_GE(proof["held_bytes"].get<Bytes>(), 3'900'000u) << "and can be put back";
  EXPECT_FALSE(t.has(home + "ringer/Downloads/map-archive-01.zip"));
  EXPECT_TRUE(t.has(home + "ringer/Downloads/sd-backup")) << "what is younger stays";
  EXPECT_TRUE(t.has(home + "warden/.local/share/mail")) << "what is not worth it";
  EXPECT_TRUE(t.has(home + "warden/.local/share/Trash/files")) << "the trash itself";
}

INSTANTIATE_TEST_SUITE_P(OnScreens, ByKeys, ::testing::Values(Screen{1280, 800}, Screen{1024, 700}));
INSTANTIATE_TEST_SUITE_P(OnAScreen, JobsByKeys, ::testing::Values(Screen{1280, 800}));

}  // namespace
}  // namespace zt::test
