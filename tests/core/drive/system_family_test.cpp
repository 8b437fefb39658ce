// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/drive/system_family.h"

#include <gtest/gtest.h>

#include "support/memory_file_system.h"

namespace zt::test {
namespace {

std::vector<SystemRoot> systemsOf(const std::vector<std::string>& paths) {
  MemoryFileSystem files;
  for (const std::string& path : paths) files.add(path, "x");
  const auto root = files.openRoot("/").value();
  return systemsIn(*namesOn(files, root));
}

const SystemRoot* of(const std::vector<SystemRoot>& all, SystemFamily family) {
  for (const auto& system : all)
    if (system.family == family) return &system;
  return nullptr;
}

TEST(SystemsIn, FindsNothingOnADriveOfData) {
  EXPECT_TRUE(systemsOf({"films/one.mp4", "notes.txt"}).empty());
  EXPECT_TRUE(systemsOf({}).empty());
}

TEST(SystemsIn, KnowsTheThreeFamiliesByTheirMarks) {
  const auto linuxes = systemsOf({"etc/os-release", "usr/bin/tool", "var/lib/dpkg/status", "bin/sh"});
  ASSERT_NE(of(linuxes, SystemFamily::linuxFamily), nullptr);
  EXPECT_TRUE(of(linuxes, SystemFamily::linuxFamily)->at.empty());
  const auto nts =
      systemsOf({"Windows/System32/config/SYSTEM", "Windows/System32/ntoskrnl.exe", "Users/kim/x"});
  ASSERT_NE(of(nts, SystemFamily::nt), nullptr);
  const auto macs =
      systemsOf({"System/Library/CoreServices/SystemVersion.plist", "Library/Caches/x", "Users/kim/x"});
  ASSERT_NE(of(macs, SystemFamily::mac), nullptr);
}

/// What is built like a system beside one in use is suspect, but for the parts of that one itself.
TEST(SystemsIn, ASystemIsNotAnotherOnesPart) {
  const std::vector<std::string> one{"etc/os-release", "var/lib/dpkg/status", "usr/bin/tool", "usr/sbin/init",
                                     "usr/etc/x"};
  EXPECT_EQ(systemsOf(one).size(), 1u);
  std::vector<std::string> two = one;
  for (const char* path : {"before/bin/tool", "before/sbin/init", "before/etc/x"}) two.emplace_back(path);
  const auto all = systemsOf(two);
  ASSERT_EQ(all.size(), 2u);
  EXPECT_EQ(all[1].at, "before");
  EXPECT_TRUE(all[1].previous);
}

TEST(SystemsIn, NamesOfNtAreTheSameInAnyCase) {
  EXPECT_NE(
      of(systemsOf({"WINDOWS/system32/CONFIG/system", "windows/SYSTEM32/ntoskrnl.exe"}), SystemFamily::nt),
      nullptr);
  EXPECT_TRUE(foldsCase(SystemFamily::nt));
  EXPECT_FALSE(foldsCase(SystemFamily::linuxFamily));
}

TEST(SystemsIn, OneSignAloneIsTreatedAsASystemThatIsNotCertain) {
  const auto all = systemsOf({"Windows/System32/x"});
  for (const auto& system : all) EXPECT_FALSE(system.certain) << name(system.family);
}

/// A folder that merely has a system's name is its owner's: of pictures of windows, of a library's books.
TEST(SystemsIn, AFolderOfASystemsNameAloneIsNoSystem) {
  EXPECT_TRUE(systemsOf({"Windows/oriel.jpg", "Windows/2019/bay.jpg"}).empty());
  EXPECT_TRUE(systemsOf({"Library/novels/a.epub", "System/readme.txt"}).empty());
  EXPECT_TRUE(systemsOf({"usr/letters.odt", "Users/me/a.odt", "Applications/for a post.odt"}).empty());
  // What else a system has beside it, or in it, makes it suspect.
  for (const std::vector<std::string>& suspect : {std::vector<std::string>{"Windows/WinSxS/x"},
                                                  {"windows/fonts/x"},
                                                  {"Windows/x", "Program Files/y"},
                                                  {"Windows/x", "Users/me/a.odt"},
                                                  {"System/Library/x"},
                                                  {"System/x", "Library/y", "Applications/z"},
                                                  {"etc/x", "usr/y"}}) {
    const auto all = systemsOf(suspect);
    ASSERT_FALSE(all.empty()) << suspect.front();
    EXPECT_FALSE(all.front().certain) << suspect.front();
  }
}

/// Where nothing is kept of the names of folders, nothing is guessed: a file by a system's name is no system.
TEST(SystemsIn, TakesNoFileForAFolderOfASystem) {
  for (const auto& system : systemsOf({"Windows", "etc", "System"}))
    EXPECT_FALSE(system.certain) << name(system.family);
}

TEST(SystemsIn, SaysTheNamesOfTheFamiliesAsDocumentsHaveThem) {
  EXPECT_EQ(name(SystemFamily::none), "none");
  EXPECT_EQ(name(SystemFamily::linuxFamily), "linux");
  EXPECT_EQ(name(SystemFamily::nt), "nt");
  EXPECT_EQ(name(SystemFamily::mac), "mac");
}

TEST(SystemNameOn, ReadsWhatASystemCallsItself) {
  MemoryFileSystem files;
  files.add("etc/os-release", "NAME=\"Harbour\"\nPRETTY_NAME=\"Harbour Linux 12\"\n");
  files.add("other/etc/os-release", "PRETTY_NAME='Jetty 3'\n");
  const auto root = files.openRoot("/").value();
  const auto called = [&](const char* at) {
    return systemNameOn(files, *root, {at, {}, SystemFamily::linuxFamily, true, false});
  };
  EXPECT_EQ(called(""), "Harbour Linux 12");
  EXPECT_EQ(called("other"), "Jetty 3");
  EXPECT_EQ(called("nowhere"), "");
}

}  // namespace
}  // namespace zt::test
