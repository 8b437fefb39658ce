// SPDX-License-Identifier: GPL-3.0-or-later
// The whole job by real keys alone, from the first key after the start: the program itself on a virtual
// screen, under a window manager. What it did is read from the disk and from the job's file.
#include <gtest/gtest.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <filesystem>
#include <functional>
#include <thread>

#include "demo/builder.h"
#include "support/fakes.h"
#include "support/run_program.h"
#include "support/temp_folder.h"

extern char** environ;

namespace zt::test {
namespace {

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
      all.push_back(c == ' ' ? "space" : c == ',' ? "comma" : c == '.' ? "period" : std::string(1, c));
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
  TempFolder t;
  std::string display;
};

TEST_P(ByKeys, FromTheFirstKeyToTheProof) {
  for (const char* program : {"/usr/bin/Xvfb", "/usr/bin/openbox", "/usr/bin/xdotool"})
    if (::access(program, X_OK) != 0) {
      ASSERT_EQ(std::getenv("CI"), nullptr) << program << " is among the packages";
      GTEST_SKIP() << "SKIPPED, no " << program;
    }
  const Screen screen = GetParam();
  ASSERT_TRUE(demo::build(t / "si", SystemClock().now()));
  for (const char* folder : {"home", "data", "run"}) t.folder(folder);
  display = ":" + std::to_string(200 + ::getpid() % 400 + (screen.width == 1024 ? 400 : 0));
  const std::vector<std::string> settings{"DISPLAY=" + display,           "HOME=" + t / "home",
                                          "XDG_DATA_HOME=" + t / "data",  "XDG_CONFIG_HOME=" + t / "home",
                                          "XDG_RUNTIME_DIR=" + t / "run", "QT_QPA_PLATFORM=xcb"};
  const Running server({"/usr/bin/Xvfb", display, "-screen", "0",
                        std::to_string(screen.width) + "x" + std::to_string(screen.height) + "x24",
                        "-nolisten", "tcp", "-noreset"},
                       {"HOME=" + t / "home"});
  ASSERT_TRUE(waitFor([&] { return tool({"getdisplaygeometry"}).status == 0; }));
  const Running manager({"/usr/bin/openbox"}, settings);
  // A window that stands before the manager does is not made the active one.
  ASSERT_TRUE(waitFor([&] { return tool({"get_desktop"}).status == 0; }));
  const Running window({ZIP_TALLY, "--stand-in", t / "si"}, settings);
  ASSERT_TRUE(titled("Skerry Point office: Bench")) << title();
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
  keys({"slash"});
  type("large, logger.raw");
  rest();
  keys({"Return"});
  rest();
  keys({"Home", "Down", "p"});
  rest();
  keys({"ctrl+4"});
  ASSERT_TRUE(titled("Plan")) << title();
  rest();
  keys({"ctrl+5"});
  ASSERT_TRUE(titled("Reclaim")) << title();
  const std::string going = "si/drive/srv/virtual-machines/logger.raw";
  ASSERT_TRUE(t.has(going));
  rest();
  keys({"space", "Tab", "space"});  // agree, on to Start, start
  ASSERT_TRUE(waitFor([&] { return !t.has(going); })) << title();
  keys({"ctrl+6"});
  ASSERT_TRUE(titled("Proof")) << title();
  quitAfterTheRun();
  std::string job = jobFile();
  ASSERT_FALSE(job.empty());
  Ran proved;
  ASSERT_TRUE(waitFor([&] {
    return (proved = runProgram({ZTALLY, "prove", "--job", job, "--json"})).status == 0;
  })) << proved.err;
  EXPECT_EQ(proved.json()["lines"].size(), 1u);
  EXPECT_NEAR(proved.json()["lines"][0]["actual_bytes"].get<double>(), 6.0e9, 1e8);
}

INSTANTIATE_TEST_SUITE_P(OnScreens, ByKeys, ::testing::Values(Screen{1280, 800}, Screen{1024, 700}));

}  // namespace
}  // namespace zt::test
