// SPDX-License-Identifier: GPL-3.0-or-later
// Very many of one thing: bounded lists, true sums. Under a sanitizer a twentieth of it.
#include <gtest/gtest.h>

#include "support/planned.h"
#include "support/scale.h"

namespace zt::test {
namespace {

constexpr TimeNs crowdDay = 1'800'000'000 * nsPerSecond;
constexpr int million = crowd(1'000'000);

struct Crowd : ::testing::Test {
  Crowd() {
    files->capacity = Bytes{1} << 44;
    files->add("etc/os-release", "ID=demo\n");
    files->add("etc/passwd", "kim:x:1000:1000::/home/kim:/bin/sh\n");
  }
  void one(const std::string& path, Bytes occupied = 4096) {
    const auto node = files->add(path, "x");
    node->stat.modified = crowdDay - 400 * nsPerDay;
    node->stat.occupied = occupied;
  }
  std::shared_ptr<MemoryFileSystem> files = std::make_shared<MemoryFileSystem>();
};

TEST_F(Crowd, AMillionArrivals) {
  for (int i = 0; i < million; ++i) one("home/kim/Downloads/a" + std::to_string(i) + ".zip");
  const Measured m(files, "/", true, crowdDay);
  Bytes sum = 0;
  for (const Find& f : m.finds) {
    if (f.kind != "arrivals") continue;
    EXPECT_LE(f.items.size(), FindOptions().mostItems);
    sum += f.gain.atMost;
    EXPECT_EQ(f.items.size() + numberIn(f, "left-out"), static_cast<std::uint64_t>(million));
  }
  EXPECT_GT(sum, 0u);
  const Proposal p = m.propose(Bytes{1} << 40);
  EXPECT_TRUE(p.plan.lines.empty()) << "arrivals are a person's";
}

/// One place of a million files, and a form that speaks in fifty thousand folders.
TEST_F(Crowd, AMillionPlaces) {
  for (int i = 0; i < million; ++i)
    one("home/kim/.cache/thumbnails/large/" + std::to_string(i % 1000) + "/" + std::to_string(i) + ".png");
  for (int i = 0; i < million / 20; ++i)
    one("home/kim/projects/p" + std::to_string(i) + "/__pycache__/mod.cpython-311.pyc", 512);
  const Measured m(files, "/", true, crowdDay);
  Bytes sum = 0;
  for (const Find& f : m.finds)
    if (f.kind == "caches" || f.kind == "many-small") sum += f.gain.atMost;
  EXPECT_GE(sum, static_cast<Bytes>(million) * 4096) << "all of the thumbnails in one";
  EXPECT_LT(m.finds.size(), 1'000u) << "and the many places are not a list of as many";
}

TEST_F(Crowd, FiftyThousandPackages) {
  constexpr int packages = 50'000;
  std::string status;
  for (int p = 0; p < packages; ++p) {
    const std::string name = "parcel-" + std::to_string(p);
    status += "Package: " + name +
              "\nStatus: install ok installed\nArchitecture: amd64\nVersion: 1\nDepends: parcel-" +
              std::to_string(p / 2) + "\n\n";
    one("usr/share/" + name + "/data");
    files->add("var/lib/dpkg/info/" + name + ".list", "/.\n/usr\n/usr/share/" + name + "/data\n");
  }
  files->add("var/lib/dpkg/status", status);
  const Measured m(files, "/", true, crowdDay);
  std::size_t programs = 0;
  for (const Find& f : m.finds) programs += f.kind == "programs";
  EXPECT_GT(programs, 0u);
  EXPECT_LE(programs, static_cast<std::size_t>(packages));
  for (const PlanLine& line : m.propose(Bytes{1} << 40).plan.lines)
    EXPECT_FALSE(line.items.front().path.starts_with("usr/")) << line.items.front().path;
}

}  // namespace
}  // namespace zt::test
