// SPDX-License-Identifier: GPL-3.0-or-later
// What other systems keep on their drives: measured by names and times, and never anybody's to take from
// here.
#include "core/points/foreign_points.h"

#include <gtest/gtest.h>

#include "support/planned.h"

namespace zt::test {
namespace {

constexpr TimeNs now = 1'800'000'000 * nsPerSecond;
const std::string nt = "System Volume Information/";
const std::string store = "{3808876b-c176-4e48-b7ae-04046e6cc752}";

TEST(ForeignPoints, TellTheirTimeByTheirIdentifier) {
  // Made on 2021-05-03 at 07:18:35 UTC.
  EXPECT_EQ(timeOfIdentifier("{c63fb000-abdf-11eb-8339-8cdcd4557abc}") / nsPerSecond / 86'400, 18'750);
  EXPECT_EQ(timeOfIdentifier("{c63fb000-abdf-41eb-8339-8cdcd4557abc}"), 0) << "a random one";
  EXPECT_EQ(timeOfIdentifier("{ffffffff-ffff-1fff-8339-8cdcd4557abc}"), 0) << "a time beyond belief";
  for (const char* none : {"", "{}", "{c63fb000}", "restore", "{zzzzzzzz-abdf-11eb-8339-8cdcd4557abc}"})
    EXPECT_EQ(timeOfIdentifier(none), 0) << none;
}

TEST(ForeignPoints, OfNtAreMeasuredAndOnlyAdvised) {
  const auto files = std::make_shared<MemoryFileSystem>();
  const auto add = [&](const std::string& path, std::size_t size, int days) {
    files->add(path, std::string(size, 'x'));
    files->age(path, now - days * nsPerDay);
  };
  add(nt + "{c63fb000-abdf-11eb-8339-8cdcd4557abc}" + store, 40'000, 10);
  add(nt + "{C63FB000-ABDF-11EC-8339-8CDCD4557ABC}" + store, 30'000, 10);
  add(nt + "{c63fb000-abdf-41eb-8339-8cdcd4557abc}" + store, 20'000, 5);
  add(nt + store, 60'000, 1);
  add(nt + "tracking.log", 20'000, 1);
  add("Users/{c63fb000-abdf-11eb-8339-8cdcd4557abc}" + store, 20'000, 1);
  const Measured m(files, "/", false, now);
  const PointModel& points = m.context->points;
  ASSERT_EQ(points.size(), 3u);
  EXPECT_TRUE(points[0].foreign);
  EXPECT_LT(points[0].taken, points[1].taken);
  EXPECT_EQ(points[2].taken, now - 5 * nsPerDay) << "by its file, where the name does not say";
  EXPECT_EQ(points.lock(0), PointLock::foreign);
  EXPECT_EQ(points.lock(2), PointLock::newest);
  EXPECT_EQ(points.of({true, true, false}).frees, points.own(0) + points.own(1));
  EXPECT_GE(points.own(0), 40'000u);
  const Find* find = nullptr;
  for (const Find& f : m.finds)
    if (f.kind == "points") find = &f;
  ASSERT_NE(find, nullptr);
  EXPECT_EQ(find->items.size(), 2u);
  ASSERT_EQ(find->offers.size(), 1u);
  EXPECT_EQ(find->offers[0].action, "advise");
  EXPECT_FALSE(lineFor(*find, m.craft->steps, "discard", m.marks));
  EXPECT_TRUE(lineFor(*find, m.craft->steps, "advise", m.marks));
}

TEST(ForeignPoints, OfMacAreFoldersNamedByDate) {
  const auto files = std::make_shared<MemoryFileSystem>();
  for (const char* name : {"2012-01-05-101500", "2012-01-06-101500", "Latest", "2012-13-06-101500"})
    files->add(".MobileBackups/studio/" + std::string(name) + "/Volume/f", std::string(9'000, 'x'));
  const Measured m(files, "/", false, now);
  const PointModel& points = m.context->points;
  ASSERT_EQ(points.size(), 2u);
  EXPECT_EQ(points[0].path, ".MobileBackups/studio/2012-01-05-101500");
  EXPECT_EQ(points.lock(0), PointLock::foreign);
  EXPECT_EQ(points.lock(1), PointLock::newest);
  EXPECT_GE(points.own(0), 9'000u);
}

}  // namespace
}  // namespace zt::test
