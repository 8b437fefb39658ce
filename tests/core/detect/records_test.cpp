// SPDX-License-Identifier: GPL-3.0-or-later
// Records that other programs keep, taken for hostile: trash records, package lists, user folders, kernel
// names.
#include <gtest/gtest.h>

#include <random>
#include <set>
#include <utility>

#include "core/detect/kernels.h"
#include "core/detect/package_records.h"
#include "core/detect/recycle_record.h"
#include "core/detect/snaps.h"
#include "core/detect/user_dirs.h"
#include "support/seed.h"

namespace zt::test {
namespace {

std::string number(std::uint64_t value, int bytes) {
  std::string out;
  for (int i = 0; i < bytes; ++i) out += static_cast<char>(value >> (8 * i) & 0xFF);
  return out;
}
std::string utf16(std::string_view ascii) {
  std::string out;
  for (const char c : ascii) out += std::string{c, '\0'};
  return out;
}
constexpr std::uint64_t epoch = 116'444'736'000'000'000;
const std::string head2 = number(2, 8) + number(123'456, 8) + number(epoch + 10'000'000ULL * 86'400, 8);

TEST(RecycleRecord, ReadsBothVersions) {
  const auto two = parseRecycleRecord(head2 + number(9, 4) + utf16("C:\\a.txt") + number(0, 2));
  ASSERT_TRUE(two);
  EXPECT_EQ(two->path, "C:\\a.txt");
  EXPECT_EQ(two->bytes, 123'456u);
  EXPECT_EQ(two->deleted, 86'400 * nsPerSecond);
  std::string path = utf16("C:\\old.txt");
  path.resize(520, '\0');
  const auto one = parseRecycleRecord(number(1, 8) + number(7, 8) + number(epoch + 10, 8) + path);
  ASSERT_TRUE(one);
  EXPECT_EQ(one->path, "C:\\old.txt");
}

TEST(RecycleRecord, BelievesNothingThatDoesNotFit) {
  const std::string good = head2 + number(9, 4) + utf16("C:\\a.txt") + number(0, 2);
  for (std::size_t size = 0; size < good.size(); ++size)
    EXPECT_FALSE(parseRecycleRecord(std::string_view(good).substr(0, size))) << size;
  EXPECT_FALSE(parseRecycleRecord(good + "x"));
  EXPECT_FALSE(parseRecycleRecord(head2 + number(0xFFFFFFFF, 4) + utf16("C:")));
  EXPECT_FALSE(parseRecycleRecord(head2 + number(0, 4)));
  EXPECT_FALSE(parseRecycleRecord(number(3, 8) + good.substr(8)));
  EXPECT_FALSE(parseRecycleRecord(head2 + number(1, 4) + number(0, 2))) << "no path";
  const auto never = parseRecycleRecord(number(2, 8) + number(1, 8) + number(~0ULL, 8) + number(2, 4) +
                                        utf16("x") + number(0, 2));
  ASSERT_TRUE(never);
  EXPECT_EQ(never->deleted, 0) << "a time that cannot be is none";
  const auto broken =
      parseRecycleRecord(head2 + number(3, 4) + number(0xD800, 2) + utf16("x") + number(0, 2));
  ASSERT_TRUE(broken);
  EXPECT_EQ(broken->path, "\xEF\xBF\xBDx");
}

TEST(UserDirs, SaysWhereDownloadsArrive) {
  EXPECT_EQ(downloadFolder("XDG_DOWNLOAD_DIR=\"$HOME/Arrivals/in\"\n"), "Arrivals/in");
  EXPECT_EQ(downloadFolder("# x\n  XDG_DOWNLOAD_DIR=\"$HOME/a\\\"b/\""), "a\"b");
  EXPECT_EQ(downloadFolder("XDG_DOWNLOAD_DIR=\"$HOME/a\"\nXDG_DOWNLOAD_DIR=\"$HOME/b\"\n"), "b");
  for (const char* bad :
       {"", "XDG_DOWNLOAD_DIR=\"$HOME/\"", "XDG_DOWNLOAD_DIR=\"$HOME/../x\"", "XDG_DOWNLOAD_DIR=\"/etc\"",
        "XDG_DOWNLOAD_DIR=\"$HOME/open", "XDG_DOWNLOAD_DIR=$HOME/x"})
    EXPECT_EQ(downloadFolder(bad), std::nullopt) << bad;
}

constexpr std::string_view status =
    "Package: editor\nStatus: install ok installed\nArchitecture: amd64\nDepends: words (>= 2), shell | "
    "other\n"
    "Description: x\n more: of it\n\n"
    "Package: words\nStatus: install ok installed\n\n"
    "Package: shell\nStatus: install ok installed\nEssential: yes\n\n"
    "Package: gone\nStatus: deinstall ok config-files\n\n"
    "no field at all\n\n"
    "Package: Bad Name\nStatus: install ok installed\n";

TEST(PackageRecords, ReadsWhatIsInstalledAndCountsWhatIsTorn) {
  std::size_t torn = 0;
  auto all = parseDpkgStatus(status, &torn);
  ASSERT_EQ(all.size(), 3u);
  EXPECT_EQ(torn, 2u);
  EXPECT_EQ(all[0].needs, (std::vector<std::string>{"words", "shell", "other"}));
  EXPECT_TRUE(all[2].essential);
  markAutomatic("Package: words\nArchitecture: amd64\nAuto-Installed: 1\n\n", all);
  EXPECT_TRUE(all[0].byHand);
  EXPECT_FALSE(all[1].byHand);
  EXPECT_EQ(PackageGraph(all).goesWith("editor"), (std::vector<std::string>{"words"}))
      << "nothing else needs it";
  EXPECT_TRUE(PackageGraph(all).goesWith("none").empty());
}

TEST(PackageRecords, BearsAnyCut) {
  for (std::size_t size = 0; size < status.size(); ++size) (void)parseDpkgStatus(status.substr(0, size));
  EXPECT_TRUE(parseDpkgStatus(std::string(100'000, 'x')).empty());
  EXPECT_TRUE(parseDpkgStatus(std::string(1000, '\0')).empty());
}

TEST(PackageRecords, BearsThatPackagesNeedEachOther) {
  auto all = parseDpkgStatus(
      "Package: aa\nStatus: install ok installed\nDepends: bb\n\nPackage: bb\nStatus: install ok "
      "installed\nDepends: "
      "aa\n\n");
  markAutomatic("Package: bb\nAuto-Installed: 1\n", all);
  EXPECT_EQ(PackageGraph(all).goesWith("aa"), (std::vector<std::string>{"bb"}));
}

/// What can be reached from somebody's wish when the package is not there, and what then can not: word by
/// word.
std::vector<std::string> goneWithout(const std::vector<PackageRecord>& all, const std::string& name) {
  const auto reached = [&](std::set<std::string> from, const std::string& without) {
    for (bool more = true; std::exchange(more, false);)
      for (const PackageRecord& p : all)
        if (p.name != without && from.contains(p.name))
          for (const std::string& need : p.needs)
            more = (need != without && from.insert(need).second) || more;
    return from;
  };
  std::set<std::string> wished;
  for (const PackageRecord& p : all)
    if (p.name != name && (p.byHand || p.essential)) wished.insert(p.name);
  const std::set<std::string> stay = reached(wished, name);
  std::vector<std::string> gone;
  for (const std::string& brought : reached({name}, ""))
    if (brought != name && !stay.contains(brought)) gone.push_back(brought);
  return gone;
}

TEST(PackageRecords, WhatGoesWithAPackageIsWhatNobodyElseReaches) {
  std::mt19937 lot(drawSeed());
  for (int round = 0; round < 300; ++round) {
    std::vector<PackageRecord> all(2 + lot() % 12);
    for (std::size_t i = 0; i < all.size(); ++i) {
      all[i].name = "p" + std::to_string(i);
      all[i].byHand = lot() % 3 == 0;
      all[i].essential = lot() % 8 == 0;
      for (auto more = lot() % 4; more > 0; --more)
        all[i].needs.push_back("p" + std::to_string(lot() % all.size()));
    }
    const PackageGraph graph(all);
    for (const PackageRecord& p : all)
      EXPECT_EQ(graph.goesWith(p.name), goneWithout(all, p.name)) << "round " << round << ", " << p.name;
  }
}

TEST(Kernels, OrdersVersionsByTheirNumbers) {
  EXPECT_TRUE(olderVersion("6.1.0-9-amd64", "6.1.0-25-amd64"));
  EXPECT_FALSE(olderVersion("6.1.0-25-amd64", "6.1.0-9-amd64"));
  EXPECT_TRUE(olderVersion("5.10.0", "6.1.0"));
  EXPECT_TRUE(olderVersion("6.1", "6.1.1"));
  EXPECT_FALSE(olderVersion("6.1.0", "6.1.0"));
  EXPECT_FALSE(olderVersion("", ""));
}

TEST(SnapState, NamesWhatIsSwitchedOff) {
  const auto named = [](const char* snaps) {
    std::string all;
    for (const SnapRevision& r : disabledInState(std::string(R"({"data":{"snaps":)") + snaps + "}}"))
      all += r.name + "_" + r.revision + " ";
    return all;
  };
  EXPECT_EQ(named(R"({"a":{"current":"3","sequence":[{"revision":"2"},{"revision":"3"}]}})"), "a_2 ");
  EXPECT_EQ(named(R"({"a":{"current":3,"sequence":[{"snap":{"revision":2}},{"snap":{"revision":3}}]}})"),
            "a_2 ");
  EXPECT_EQ(named(R"({"a":{"current":"9","sequence":[{"revision":"2"},{"revision":"3"}]}})"), "")
      << "a list without the current one is not to be trusted";
  EXPECT_EQ(named(R"({"a":{"sequence":[{"revision":"2"}]}})"), "");
  EXPECT_EQ(named(R"({"../a":{"current":"3","sequence":[{"revision":"2"},{"revision":"3"}]}})"), "");
  EXPECT_EQ(named(R"({"a":{"current":"3","sequence":[{"revision":"2/../../x"},{"revision":"3"}]}})"), "");
  EXPECT_EQ(named("[]"), "");
  EXPECT_TRUE(disabledInState("no json").empty());
}

}  // namespace
}  // namespace zt::test
