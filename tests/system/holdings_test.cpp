// SPDX-License-Identifier: GPL-3.0-or-later
// Promises on drives with a history: random writes, reflinks, overwrites, compression, inline files,
// snapshots, nested subvolumes and deletions; then a random set of files and points goes, and the drive's own
// counter must rise by what was promised. One seed in ten of those that `ZT_SOAK=10` takes.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <linux/fs.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <map>
#include <random>
#include <set>

#include "core/job/job.h"
#include "core/os/btrfs/btrfs_search.h"
#include "core/os/btrfs/linux_btrfs.h"
#include "support/fakes.h"
#include "support/scale.h"
#include "support/seed.h"
#include "system/history.h"

namespace zt::test {
namespace {

struct Kind {
  const char* type;
  const char* options;
};

class Histories : public ::testing::TestWithParam<Kind> {};

TEST_P(Histories, WhatIsSureComesFree) {
  const Kind kind = GetParam();
  const bool isBtrfs = kind.type == std::string("btrfs");
  const unsigned first = drawSeed();
  double promised = 0, freed = 0;
  for (unsigned i = 0; i < seedsFor(100); ++i) {
    const unsigned seed = first + i;
    SCOPED_TRACE("seed " + std::to_string(seed));
    LoopDrive drive(kind.type, Bytes{600} << 20, i % 2 == 0 ? kind.options : "");
    ZT_NEEDS(drive);
    History history(drive.path(), isBtrfs, kind.type != std::string("ext4"), seed);
    history.live();
    auto job = Job::create(realWorkshop(), drive.path(), false, {}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    const FindContext& context = *job->surveys().context();
    const Holdings* holdings = context.gain.holdings();
    if (isBtrfs && !history.points().empty()) {
      ASSERT_NE(holdings, nullptr);
      EXPECT_EQ(holdings->points.size(), history.points().size());
    }
    std::vector<NodeId> nodes;
    const std::vector<PathBytes> files = history.someFiles();
    for (const auto& f : files) {
      const auto node = context.tree.find(f);
      ASSERT_TRUE(node) << f;
      nodes.push_back(*node);
    }
    GainModel::Points points(holdings != nullptr ? holdings->points.size() : 0, false);
    std::vector<std::string> dropped;
    for (std::size_t p = 0; p < points.size(); ++p) {
      if (history.coin()) continue;
      points[p] = true;
      dropped.push_back(holdings->points[p].path);
    }
    const GainBounds gain = context.gain.of(nodes, points);
    EXPECT_LE(gain.sure, gain.atMost);
    const Bytes before = freeOn(drive.path());
    for (const auto& f : files) fs::remove(drive / f);
    for (const auto& p : dropped) btrfs({"subvolume", "delete", drive / p});
    if (isBtrfs) btrfs({"filesystem", "sync", drive.path()});
    if (isBtrfs) btrfs({"subvolume", "sync", "-s", "1", drive.path()});
    waitForCounter(drive.path());
    const auto rose = static_cast<SignedBytes>(freeOn(drive.path())) - static_cast<SignedBytes>(before);
    const SignedBytes slack = std::max<SignedBytes>(rose / 1000, 256 * 1024);
    EXPECT_LE(std::abs(static_cast<SignedBytes>(gain.sure) - rose), isBtrfs ? slack : 65'536)
        << "promised " << gain.sure << ", rose " << rose << ", " << dropped.size() << " points, "
        << files.size() << " files";
    promised += static_cast<double>(gain.sure);
    freed += static_cast<double>(rose);
  }
  std::printf("%s: %u histories, sure %.2f MB, freed %.2f MB\n", kind.type, seedsFor(100), promised / 1e6,
              freed / 1e6);
}

/// The whole way with a target that only snapshots reach: it is met, and what the proof says of its lines
/// adds up to what the counter rose by.
TEST(PointsOnBtrfs, AreLetGoToMeetATarget) {
  const unsigned first = drawSeed();
  unsigned met = 0;
  for (unsigned i = 0; i < seedsFor(100); ++i) {
    const unsigned seed = first + i;
    SCOPED_TRACE("seed " + std::to_string(seed));
    LoopDrive drive("btrfs", Bytes{600} << 20, i % 2 == 0 ? "compress=zstd" : "");
    ZT_NEEDS(drive);
    History history(drive.path(), true, true, seed);
    history.live();
    auto job = Job::create(realWorkshop(), drive.path(), false, {}).value();
    ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
    const FindContext& context = *job->surveys().context();
    Bytes held = 0;
    for (const Find& find : *job->surveys().finds())
      if (find.kind == "points") held += find.gain.sure;
    if (held < 100'000) continue;  // hardly anything was kept
    const Bytes before = freeOn(drive.path());
    Target target;
    target.bytes = before + held / 4;
    ASSERT_TRUE(job->planBook().setTargets({target}));
    const auto proposal = job->planBook().propose({});
    ASSERT_TRUE(proposal);
    EXPECT_TRUE(proposal->reached);
    ASSERT_TRUE(job->planBook().set(proposal->plan));
    const PlannedGain planned = job->planBook().planned();
    const auto report = job->reclaim(job->planBook().consent().token, {});
    ASSERT_TRUE(report);
    const auto proof = job->prove();
    ASSERT_TRUE(proof);
    waitForCounter(drive.path());
    const auto rose = static_cast<SignedBytes>(freeOn(drive.path())) - static_cast<SignedBytes>(before);
    EXPECT_GE(freeOn(drive.path()), target.bytes);
    SignedBytes lines = 0;
    for (const auto& line : proof->lines) lines += line.actual;
    const SignedBytes slack = std::max<SignedBytes>(rose / 1000, 256 * 1024);
    EXPECT_LE(std::abs(lines - rose), slack);
    EXPECT_LE(std::abs(static_cast<SignedBytes>(planned.sure) - rose), slack);
    for (const PointSeries& series : context.points.series())
      EXPECT_TRUE(fs::exists(drive / context.points[series.points.back()].path)) << "the newest stays";
    ++met;
  }
  std::printf("%u of %u drives had something to let go, all met\n", met, seedsFor(100));
  EXPECT_GT(met, 0u);
}

/// A drive's image as it lies in its file, with bytes that somebody changed.
class ImageDevice final : public BtrfsDevice {
public:
  explicit ImageDevice(const std::string& path) {
    std::ifstream in(path, std::ios::binary);
    bytes_.assign(std::istreambuf_iterator<char>(in), {});
  }
  bool read(Bytes at, std::span<char> into) override {
    if (at > bytes_.size() || into.size() > bytes_.size() - at) return false;
    const auto from = static_cast<std::size_t>(at);
    for (std::size_t node = from; node < from + into.size(); node += 16384) read_.insert(node);
    std::copy_n(bytes_.begin() + static_cast<std::ptrdiff_t>(at), into.size(), into.begin());
    return true;
  }
  std::string& bytes() { return bytes_; }
  std::set<std::size_t> read_;  ///< where nodes were read, and what lies between them

private:
  std::string bytes_;
};

/// CRC-32C by its definition, a bit at a time.
void putChecksum(std::string& bytes, std::size_t node, std::size_t size) {
  std::uint32_t crc = ~0u;
  for (std::size_t i = node + 32; i < node + size; ++i) {
    crc ^= static_cast<unsigned char>(bytes[i]);
    for (int bit = 0; bit < 8; ++bit) crc = crc >> 1 ^ ((crc & 1) != 0 ? 0x82F63B78u : 0);
  }
  crc = ~crc;
  for (std::size_t i = 0; i < 4; ++i) bytes[node + i] = static_cast<char>(crc >> (8 * i));
}

Result<StoredSizes> readFrom(ImageDevice& device) {
  BtrfsNodes nodes([&](std::uint64_t id) { return id == 1 ? &device : nullptr; });
  if (auto begun = nodes.begin(1); !begun) return tl::unexpected(begun.error());
  const auto roots = readBtrfsRoots(nodes, {});
  if (!roots) return tl::unexpected(roots.error());
  return readBtrfsForest(nodes, *roots, {});
}

/// A node whose bytes changed is never believed. Where its checksum was made to fit: a clear no or other
/// figures, in bounded time, and nothing worse.
TEST(BtrfsTrees, LiesEndInAClearNo) {
  LoopDrive drive("btrfs", Bytes{200} << 20);
  ZT_NEEDS(drive);
  const unsigned seed = drawSeed();
  SCOPED_TRACE("seed " + std::to_string(seed));
  History(drive.path(), true, true, seed).live();
  drive.unmount();
  ImageDevice device(drive.image());
  const auto good = readFrom(device);
  ASSERT_TRUE(good) << name(good.error().code);
  EXPECT_GT(good->trees.size(), 2u);
  std::string& bytes = device.bytes();
  constexpr std::size_t nodeSize = 16384;
  // Those that were read for themselves; what lay between them was read past.
  std::vector<std::size_t> nodes;
  for (const std::size_t at : std::set<std::size_t>(device.read_)) {
    const std::string one = bytes.substr(at, nodeSize);
    bytes[at + 200] = static_cast<char>(~bytes[at + 200]);
    const bool isSuperblock = at == 0x10000;
    if (!readFrom(device) && !isSuperblock) nodes.push_back(at);
    bytes.replace(at, nodeSize, one);
  }
  ASSERT_GT(nodes.size(), 10u);
  std::mt19937_64 random(seed);
  int refused = 0;
  for (int i = 0; i < 600; ++i) {
    const std::size_t node = nodes[random() % nodes.size()];
    const std::string kept = bytes.substr(node, nodeSize);
    const std::size_t at = node + 32 + (random() % 2 == 0 ? random() % 200 : random() % (nodeSize - 40));
    for (std::size_t k = 0; k < 1 + random() % 8; ++k) bytes[at + k] = static_cast<char>(random());
    const bool differs = bytes.compare(node, nodeSize, kept) != 0;
    const bool fits = i % 3 != 0;
    if (fits) putChecksum(bytes, node, nodeSize);
    const auto read = readFrom(device);
    refused += !read;
    if (differs && !fits) {
      EXPECT_FALSE(read) << "bytes " << at - node << " of the node at " << node;
    }
    bytes.replace(node, nodeSize, kept);
  }
  EXPECT_GT(refused, 150);
  const auto again = readFrom(device);
  ASSERT_TRUE(again);
  EXPECT_EQ(again->held.size(), good->held.size());
}

/// What the kernel tells item by item, and what the nodes on the device tell, is the same.
TEST(BtrfsTrees, NodesAndKernelAgree) {
  LoopDrive drive("btrfs", Bytes{300} << 20);
  ZT_NEEDS(drive);
  const unsigned seed = drawSeed();
  SCOPED_TRACE("seed " + std::to_string(seed));
  History(drive.path(), true, true, seed).live();
  const int fd = ::open(drive.path().c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  const auto byNodes = readMountedBtrfs(fd, {});
  const auto roots = searchBtrfsRoots(fd);
  ASSERT_TRUE(byNodes && roots);
  const auto byKernel = searchBtrfsTrees(fd, *roots, {});
  ::close(fd);
  ASSERT_TRUE(byKernel);
  const auto sums = [](const StoredSizes& sizes) {
    std::map<std::vector<std::uint32_t>, Bytes> all;
    for (const auto& held : sizes.held) {
      std::vector<std::uint32_t> who;
      for (const auto& run : sizes.sets.runs(held.holders))
        for (auto t = run.from; t < run.to; ++t) who.push_back(t);
      if (held.bytes > 0) all[who] += held.bytes;
    }
    return all;
  };
  EXPECT_EQ(sums(*byNodes), sums(*byKernel));
  EXPECT_EQ(byNodes->reaches.size(), byKernel->reaches.size());
  EXPECT_EQ(byNodes->files.size(), byKernel->files.size());
}

/// Measuring one folder again knows of the others what it knew.
TEST_P(Histories, OneFolderMeasuredAgainKeepsTheRest) {
  const Kind kind = GetParam();
  LoopDrive drive(kind.type, Bytes{600} << 20, kind.options);
  ZT_NEEDS(drive);
  const unsigned seed = drawSeed();
  SCOPED_TRACE("seed " + std::to_string(seed));
  History history(drive.path(), kind.type == std::string("btrfs"), kind.type != std::string("ext4"), seed);
  history.live();
  auto job = Job::create(realWorkshop(), drive.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  const auto gainOf = [&](const std::vector<PathBytes>& paths) {
    const FindContext& c = *job->surveys().context();
    std::vector<NodeId> nodes;
    for (const auto& p : paths)
      if (const auto node = c.tree.find(p)) nodes.push_back(*node);
    return c.gain.of(nodes);
  };
  std::vector<std::vector<PathBytes>> sets;
  std::vector<GainBounds> before;
  for (int i = 0; i < 5; ++i) sets.push_back(history.someFiles()), before.push_back(gainOf(sets.back()));
  ASSERT_TRUE(job->measurer().measureAgain("d1", {}, {}, nullptr));
  for (std::size_t i = 0; i < sets.size(); ++i) EXPECT_EQ(gainOf(sets[i]), before[i]);
}

INSTANTIATE_TEST_SUITE_P(OnReal, Histories,
                         ::testing::Values(Kind{"btrfs", "compress=zstd"}, Kind{"xfs", ""}, Kind{"ext4", ""}),
                         [](const auto& one) { return std::string(one.param.type); });

}  // namespace
}  // namespace zt::test
