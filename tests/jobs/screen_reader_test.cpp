// SPDX-License-Identifier: GPL-3.0-or-later
// The six stations with a screen reader's eyes: through the accessibility bus of a real desktop session.
#include <gtest/gtest.h>
#include <unistd.h>

#include <filesystem>

#include "core/os/system_clock.h"
#include "demo/builder.h"
#include "support/run_program.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

using Json = nlohmann::json;

Json heardAtAllStations(const TempFolder& t) {
  for (const char* folder : {"home", "data", "run"}) t.folder(folder);
  std::filesystem::permissions(t / "run", std::filesystem::perms::owner_all);
  const std::string session =
      "/usr/libexec/at-spi-bus-launcher --launch-immediately >/dev/null 2>&1 & openbox >/dev/null 2>&1 & "
      "sleep 0.5; "
      "\"$0\" --stand-in \"$1\" >/dev/null 2>&1 & program=$!; "
      "timeout 200 /usr/bin/python3 \"$2\" 'Skerry Point office'; kill $program";
  const Ran ran = runProgram({"/usr/bin/env",
                              "HOME=" + t / "home",
                              "XDG_DATA_HOME=" + t / "data",
                              "XDG_CONFIG_HOME=" + t / "home",
                              "XDG_RUNTIME_DIR=" + t / "run",
                              "QT_QPA_PLATFORM=xcb",
                              "QT_LINUX_ACCESSIBILITY_ALWAYS_ON=1",
                              "LC_ALL=C.UTF-8",
                              "/usr/bin/xvfb-run",
                              "-a",
                              "-s",
                              "-screen 0 1280x800x24",
                              "/usr/bin/dbus-run-session",
                              "--",
                              "/bin/bash",
                              "-c",
                              session,
                              ZIP_TALLY,
                              t / "si",
                              ZT_SCREEN_READER});
  EXPECT_FALSE(ran.out.empty()) << ran.err;
  return Json::parse(ran.out, nullptr, false);
}

TEST(ScreenReader, EverythingAtTheSixStationsHasAName) {
  for (const char* needed :
       {"/usr/bin/Xvfb", "/usr/bin/dbus-run-session", "/usr/libexec/at-spi-bus-launcher"})
    if (::access(needed, X_OK) != 0) {
      ASSERT_EQ(std::getenv("CI"), nullptr) << needed << " is among the packages";
      GTEST_SKIP() << "SKIPPED, no " << needed;
    }
  TempFolder t;
  ASSERT_TRUE(demo::build(t / "si", SystemClock().now(), "office"));
  const Json heard = heardAtAllStations(t);
  ASSERT_TRUE(heard.is_object());
  ASSERT_EQ(heard.size(), 6u);
  for (const auto& [station, things] : heard.items()) {
    EXPECT_GE(things.size(), 3u) << station;
    bool balance = false;
    for (const Json& thing : things) {
      const std::string what = station + ": " + thing.dump();
      EXPECT_FALSE(thing["name"].get<std::string>().empty()) << what;
      balance = balance || thing["name"] == "Balance";
      // What is painted says its table, too.
      if (thing["role"] == "filler") {
        EXPECT_FALSE(thing["description"].get<std::string>().empty()) << what;
      }
      if (thing.contains("table") && thing["table"]["rows"] > 0) {
        bool says = false;
        for (const Json& cell : thing["table"]["cells"][0]) says = says || !cell.get<std::string>().empty();
        EXPECT_TRUE(says) << what;
      }
    }
    EXPECT_TRUE(balance) << station << ": how it stands is heard everywhere";
  }
}

}  // namespace
}  // namespace zt::test
