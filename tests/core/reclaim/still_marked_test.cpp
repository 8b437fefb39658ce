// SPDX-License-Identifier: GPL-3.0-or-later
// What a place needs near a thing, or must not have there, is asked once more when the thing goes.
#include "core/reclaim/still_marked.h"

#include <gtest/gtest.h>

#include "core/reclaim/run.h"
#include "support/planned.h"

namespace zt::test {
namespace {

constexpr TimeNs goingDay = 1'800'000'000 * nsPerSecond;

struct StillMarked : ::testing::Test {
  void look(SystemFamily family) {
    survey = surveyOf(borrowed(files), "/");
    FindOptions options;
    options.now = goingDay;
    std::vector<SystemRoot> systems{{"", "", family, true, false}};
    context = std::make_shared<FindContext>(survey, PlaceMap(std::move(systems), {}), options);
    root = files.openRoot("/").value();
  }
  Errc check(const char* path) {
    const GuardedDrive drive{borrowed(files), borrowed(open), context, {}, root, "0123456789abcdef", {}};
    const auto still = checkStillMarked(drive, context->tree.find(path).value());
    return still ? Errc::cancelled : still.error().code;
  }
  void old(const std::string& path) {
    files.add(path, std::string(9'000, 'x'));
    files.age(path, goingDay - 400 * nsPerDay);
  }
  static constexpr Errc fits = Errc::cancelled;
  MemoryFileSystem files;
  FakeOpenFiles open;
  std::shared_ptr<Survey> survey;
  ContextPtr context;
  FolderPtr root;
};

TEST_F(StillMarked, AnUpdateThatWaitsSinceKeepsItsFiles) {
  old("Windows/SoftwareDistribution/Download/part/a.cab");
  files.add("Windows/WinSxS/manifest", "m");
  look(SystemFamily::nt);
  ASSERT_EQ(context->standing[context->tree.find("Windows/SoftwareDistribution/Download/part").value()],
            Standing::rebuilds);
  EXPECT_EQ(check("Windows/SoftwareDistribution/Download/part"), fits);
  files.add("Windows/WinSxS/PENDING.xml", "<>");
  EXPECT_EQ(check("Windows/SoftwareDistribution/Download/part"), Errc::changed)
      << "in any case of its letters";
}

TEST_F(StillMarked, ASignThatHasGoneSpeaksNoMore) {
  old("home/w/p/target/debug/deps/x.o");
  files.add("home/w/p/target/CACHEDIR.TAG", "Signature: 8a477f597d28d172789f06886806bc55");
  files.add("home/w/p/Cargo.toml", "[package]");
  look(SystemFamily::linuxFamily);
  ASSERT_EQ(context->standing[context->tree.find("home/w/p/target").value()], Standing::rebuilds);
  EXPECT_EQ(check("home/w/p/target"), fits);
  ASSERT_TRUE(files.unlink(*files.openBeneath(*root, "home/w/p").value(), "Cargo.toml"));
  EXPECT_EQ(check("home/w/p/target"), Errc::changed);
}

TEST_F(StillMarked, AnyOfSeveralSignsCounts) {
  old("var/cache/dnf/a.rpm");
  look(SystemFamily::linuxFamily);
  EXPECT_EQ(check("var/cache/dnf/a.rpm"), fits);
  files.add("usr/lib/sysimage/libdnf5/offline/state", "staged");
  EXPECT_EQ(check("var/cache/dnf/a.rpm"), Errc::changed);
}

TEST_F(StillMarked, WhatCannotBeToldIsNotTakenForAbsent) {
  old("var/cache/dnf/a.rpm");
  look(SystemFamily::linuxFamily);
  files.failCall(files.calls().size() + 1, Errc::io);
  EXPECT_EQ(check("var/cache/dnf/a.rpm"), Errc::io);
}

/// Through a whole run: the line is refused and the file stays.
TEST(Run, LeavesWhatIsWaitedForSince) {
  MemoryFileSystem files;
  files.add("etc/os-release", "ID=demo\n");
  files.add("usr/bin/sh", "x");
  files.add("var/cache/dnf/a.rpm", std::string(9'000, 'x'));
  files.age("var/cache/dnf/a.rpm", goingDay - 400 * nsPerDay);
  const Measured m(borrowed(files), "/", true, goingDay);
  Plan plan;
  plan.lines.push_back(m.line("var/cache/dnf/a.rpm"));
  files.add("var/lib/dnf/system-upgrade/state", "staged");
  FakeOpenFiles open;
  MemoryJournal journal;
  Runner runner(m.guarded(open), journal, 1);
  const auto report = runner.carryOut(plan, consentFor(plan).token, {});
  ASSERT_TRUE(report);
  EXPECT_NE(report->lines[0].state, LineOutcome::State::done);
  EXPECT_TRUE(files.has("var/cache/dnf/a.rpm"));
}

}  // namespace
}  // namespace zt::test
