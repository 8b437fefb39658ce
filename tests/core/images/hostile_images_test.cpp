// SPDX-License-Identifier: GPL-3.0-or-later
// Images, tables and file systems whose own records lie: bounded work, and a clear word.
#include <gtest/gtest.h>

#include "core/images/bundle.h"
#include "core/images/image_facts.h"
#include "core/images/partitions.h"
#include "demo/guest_disks.h"
#include "support/code_of.h"
#include "support/memory_file_system.h"
#include "support/sparse_bytes.h"

namespace zt::test {
namespace {

constexpr Bytes cluster = 65536;

SparseBytes put(Bytes length, const demo::Pieces& pieces) {
  SparseBytes disk(length);
  for (const auto& [at, bytes] : pieces) disk.put(at, bytes);
  return disk;
}

/// 64 MB of file, 1 GB of guest, 10 MB used, 8 MB idle.
constexpr Bytes fileSize = Bytes{64} << 20;
SparseBytes goodQcow() {
  return put(fileSize, demo::qcow2Disk(fileSize, Bytes{1} << 30, Bytes{10} << 20, Bytes{8} << 20));
}

Result<ImageFacts> look(DiskBytes& disk, bool zeros = false) {
  ImageOptions options;
  options.outside = disk.length();
  options.readZeros = zeros;
  return lookInto(disk, options);
}

Errc problem(DiskBytes& disk) {
  const auto facts = look(disk);
  return facts ? Errc::cancelled : facts.error().code;
}

TEST(HostileImages, TheGoodOneIsUnderstood) {
  SparseBytes disk = goodQcow();
  const auto facts = look(disk);
  ASSERT_TRUE(facts) << facts.error().detail;
  EXPECT_EQ(facts->format, "qcow2");
  EXPECT_EQ(facts->guestLength, Bytes{1} << 30);
  EXPECT_EQ(facts->inside, Bytes{10} << 20);
  EXPECT_EQ(facts->volumes.at(0).system, "ext4");
  EXPECT_GT(facts->most, Bytes{30} << 20);
  SparseBytes raw = put(fileSize, demo::rawDisk(fileSize, Bytes{10} << 20));
  EXPECT_EQ(look(raw)->inside, Bytes{10} << 20);
}

TEST(HostileImages, AbsurdSizesAreRefused) {
  struct Lie {
    const char* what;
    Bytes at;
    std::uint64_t value;
    std::size_t size;
  };
  for (const Lie& lie :
       {Lie{"clusters of 2^60", 20, 60, 4}, Lie{"clusters of 2", 20, 1, 4},
        Lie{"a first table of 32 GB", 36, 0xffffffff, 4}, Lie{"a table outside", 40, Bytes{1} << 50, 8},
        Lie{"counts outside", 48, Bytes{1} << 50, 8}, Lie{"counts of 2^200 bits", 96, 200, 4},
        Lie{"a name of a gigabyte", 16, 1 << 30, 4}}) {
    SparseBytes disk = goodQcow();
    if (lie.at == 16) disk.big(8, 512, 8);
    disk.big(lie.at, lie.value, lie.size);
    EXPECT_EQ(problem(disk), Errc::corrupt) << lie.what;
    EXPECT_LT(disk.read_, Bytes{64} << 20) << lie.what;
  }
}

TEST(HostileImages, TablesThatContradictThemselvesAreSaidToBe) {
  SparseBytes loop = goodQcow();  // the second entry leads to the first one's table
  const Bytes l1 = 2 * cluster;
  loop.put(l1 + 8, bytesAt(loop, l1, 8).value());
  EXPECT_EQ(problem(loop), Errc::corrupt);

  SparseBytes overlap = goodQcow();
  const Bytes l2 = Fields(bytesAt(overlap, l1, 8).value()).be64(0) & 0x00fffffffffffe00ull;
  overlap.put(l2 + 8, bytesAt(overlap, l2, 8).value());
  const auto facts = look(overlap);
  ASSERT_FALSE(facts);
  EXPECT_EQ(codeOf(facts), Errc::corrupt);
  EXPECT_FALSE(facts.error().detail.empty());

  SparseBytes itself = goodQcow();  // a table that is its own first cluster
  itself.big(l2, l2 | std::uint64_t{1} << 63, 8);
  EXPECT_EQ(problem(itself), Errc::corrupt);
}

/// What a table leads to is in use, whatever the counts say.
TEST(HostileImages, ACountOfZeroIsNotBelieved) {
  SparseBytes honest = goodQcow();
  for (Bytes at = 0; at < fileSize; at += 4096) {  // all of the file has room
    const auto bytes = bytesAt(honest, at, 4096).value();
    honest.put(at, bytes);
  }
  const Bytes told = look(honest)->least;
  EXPECT_NEAR(static_cast<double>(told), 8.0 * 1024 * 1024, 2.0 * cluster);
  SparseBytes lying = honest;
  for (int i = 100; i < 200; ++i) lying.big(3 * cluster + static_cast<Bytes>(i) * 2, 0, 2);
  EXPECT_EQ(look(lying)->least, told);
}

TEST(HostileImages, ABillionEntriesAreBounded) {
  SparseBytes disk(Bytes{1} << 40);
  disk.put(0, bytesAt(*std::make_unique<SparseBytes>(goodQcow()), 0, 104).value());
  disk.big(24, Bytes{1} << 60, 8);
  disk.big(36, 4 << 20, 4);  // four million tables, all but one in holes
  for (Bytes i = 0; i < Bytes{4} << 20; i += 4096) disk.big(2 * cluster + i, (1000 + i) * cluster, 8);
  const auto facts = look(disk);
  EXPECT_TRUE(facts || facts.error().code == Errc::corrupt);
  EXPECT_LT(disk.read_, Bytes{200} << 20);
}

TEST(HostileImages, PartsThatMakeNoSenseAreNone) {
  SparseBytes overlapping = put(fileSize, demo::rawDisk(fileSize, 4096));
  overlapping.little(462 + 4, 0x83, 1);
  overlapping.little(462 + 8, 4096, 4);
  overlapping.little(462 + 12, 4096, 4);
  EXPECT_FALSE(readPartitions(overlapping));
  SparseBytes outside = put(fileSize, demo::rawDisk(fileSize, 4096));
  outside.little(446 + 12, 0xffffffff, 4);
  EXPECT_FALSE(readPartitions(outside));
  SparseBytes chain(fileSize);  // an extended part whose next one is itself
  chain.little(510, 0xaa55, 2);
  chain.little(446 + 4, 5, 1);
  chain.little(446 + 8, 2048, 4);
  chain.little(446 + 12, 100'000, 4);
  const Bytes at = Bytes{2048} * 512;
  chain.little(at + 510, 0xaa55, 2);
  chain.little(at + 450, 0x83, 1);
  chain.little(at + 454, 8, 4);
  chain.little(at + 458, 100, 4);
  chain.little(at + 466, 5, 1);
  const auto parts = readPartitions(chain);
  ASSERT_TRUE(parts);
  EXPECT_EQ(parts->parts.size(), 1u);
  SparseBytes gpt(fileSize);
  gpt.put(512, "EFI PART");
  gpt.little(512 + 72, 2, 8);
  gpt.little(512 + 80, 0xffffffff, 4);
  gpt.little(512 + 84, 128, 4);
  EXPECT_FALSE(readPartitions(gpt));
}

TEST(HostileImages, FileSystemsThatLieAreLeftAlone) {
  const Bytes super = (Bytes{1} << 20) + 1024;
  struct Lie {
    Bytes at;
    std::uint64_t value;
    std::size_t size;
  };
  for (const Lie& lie : {Lie{24, 40, 4}, Lie{32, 0, 4}, Lie{12, 0xffffffff, 4}, Lie{4, 0, 4}}) {
    SparseBytes disk = put(fileSize, demo::rawDisk(fileSize, Bytes{10} << 20));
    disk.little(super + lie.at, lie.value, lie.size);
    const auto facts = look(disk);
    ASSERT_TRUE(facts) << "the disk is a disk all the same";
    EXPECT_FALSE(facts->inside) << lie.at;
  }
  SparseBytes xfs(fileSize);
  xfs.put(0, "XFSB");
  xfs.big(4, 4096, 4);
  xfs.big(8, 1000, 8);
  xfs.big(84, 1000, 4);
  xfs.big(88, 1, 4);
  xfs.big(102, 512, 2);
  xfs.put(512, "XAGF");
  xfs.big(512 + 16, 5, 4);
  xfs.big(512 + 28, 1, 4);
  xfs.put(5 * 4096, "ABTB");
  xfs.big(5 * 4096 + 12, 5, 4);  // its right neighbour is itself
  std::stop_token stop;
  EXPECT_EQ(codeOf(readXfs(xfs, stop)), Errc::corrupt);
}

TEST(HostileImages, ABundleIsReadByItsBands) {
  const std::string plist =
      "<plist><dict><key>band-size</key><integer>8388608</integer>"
      "<key>diskimage-bundle-type</key><string>com.apple.diskimage.sparsebundle</string>"
      "<key>size</key><integer>67108864</integer></dict></plist>";
  const auto plan = parseBundle(plist);
  ASSERT_TRUE(plan);
  EXPECT_EQ(plan->bandSize, Bytes{8} << 20);
  EXPECT_EQ(codeOf(parseBundle("<plist/>")), Errc::notOurs);
  std::string absurd = plist;
  absurd.replace(absurd.find("8388608"), 7, "1      ");
  EXPECT_EQ(codeOf(parseBundle(absurd)), Errc::corrupt);

  SparseBytes disk = put(fileSize, demo::rawDisk(fileSize, Bytes{10} << 20));
  MemoryFileSystem files;
  std::vector<Bytes> there;
  for (Bytes band = 0; band < 3; ++band) {  // of eight; the last one there is short
    there.push_back(band);
    files.add("bands/" + std::to_string(band),
              bytesAt(disk, band * plan->bandSize, band == 2 ? 100'000 : plan->bandSize).value());
  }
  const auto folder = files.openBeneath(*files.openRoot("/").value(), "bands").value();
  BandedSource bands(*plan, there, [&](Bytes number) -> Result<BandedSource::Band> {
    auto file = files.openFile(*folder, std::to_string(number));
    if (!file) return tl::unexpected(file.error());
    return BandedSource::Band{std::move(*file), files.content("bands/" + std::to_string(number)).size()};
  });
  const auto image = readBundle(bands, {});
  ASSERT_TRUE(image);
  ImageOptions options;
  options.outside = 2 * plan->bandSize + 100'000;
  const auto facts = lookInto(bands, *image, options);
  ASSERT_TRUE(facts);
  EXPECT_EQ(facts->format, "sparse-bundle");
  EXPECT_EQ(facts->inside, Bytes{10} << 20);
  EXPECT_EQ(facts->allocated, options.outside);
  EXPECT_LE(facts->least, facts->most);
}

TEST(DiskBytes, CountsOnlyWholeUnitsInCommon) {
  EXPECT_EQ(common({{0, 100}, {200, 300}}, {{50, 250}}, 1), 100u);
  EXPECT_EQ(common({{0, 100}, {200, 300}}, {{50, 250}}, 40), 40u) << "nothing of 80 to 80, and 200 to 240";
  EXPECT_EQ(common({}, {{1, 2}}, 1), 0u);
}

}  // namespace
}  // namespace zt::test
