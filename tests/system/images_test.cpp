// SPDX-License-Identifier: GPL-3.0-or-later
// Disk images of every format with every file system inside, against what the file systems' own programs and
// a real conversion say.
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cmath>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <random>
#include <regex>

#include "core/images/image_facts.h"
#include "core/os/linux/linux_file_system.h"
#include "support/code_of.h"
#include "support/loop_drive.h"
#include "support/run_program.h"

namespace zt::test {
namespace {

constexpr Bytes mb = 1'000'000;

Bytes occupiedBy(const std::string& path) {
  struct stat st {};
  must(::stat(path.c_str(), &st) == 0, "stat " + path);
  return static_cast<Bytes>(st.st_blocks) * 512;
}

/// A file of the machine that runs the test, as the core reads it.
struct RealFile {
  explicit RealFile(const std::string& path) {
    root = files.openRoot(std::filesystem::path(path).parent_path().string()).value();
    opened = files.openFile(*root, std::filesystem::path(path).filename().string()).value();
    source = std::make_unique<FileSource>(*opened, std::filesystem::file_size(path));
  }
  LinuxFileSystem files;
  FolderPtr root;
  OpenedFilePtr opened;
  std::unique_ptr<FileSource> source;
};

Result<ImageFacts> factsOf(const std::string& path, OpenBelow below = {}) {
  RealFile file(path);
  ImageOptions options;
  options.outside = occupiedBy(path);
  options.below = std::move(below);
  return lookInto(*file.source, options);
}

void run(std::vector<std::string> words) {
  words.front() = program(words.front());
  const Ran ran = runProgram(words);
  must(ran.status == 0, words.front() + " " + words[1] + ": " + ran.err);
}

/// What is to be said of a number in a program's words.
Bytes figure(const std::string& text, const std::string& pattern) {
  std::smatch found;
  must(std::regex_search(text, found, std::regex(pattern)), "no " + pattern + " in " + text);
  return std::stoull(found[1]);
}

/// Files of all sizes, a third of which are deleted again.
void furnish(const std::string& top, unsigned seed) {
  std::mt19937 random(seed);
  std::vector<std::string> made;
  for (int i = 0; i < 60; ++i) {
    const std::string path = top + "/d" + std::to_string(i % 7) + "/f" + std::to_string(i);
    std::filesystem::create_directories(std::filesystem::path(path).parent_path());
    std::string content(random() % 900'000, '\0');
    for (char& c : content) c = static_cast<char>(random());
    std::ofstream(path, std::ios::binary) << content;
    made.push_back(path);
  }
  ::sync();  // what is deleted then leaves its bytes behind
  for (const std::string& path : made)
    if (random() % 3 == 0) std::filesystem::remove(path);
}

/// What the guest's own tool says is used, of a file system in a raw file.
Bytes usedBy(const std::string& type, const std::string& image) {
  if (type == "ext4") {
    const std::string said = runProgram({program("dumpe2fs"), "-h", image}).out;
    const Bytes block = figure(said, "Block size: *(\\d+)");
    return (figure(said, "Block count: *(\\d+)") - figure(said, "Free blocks: *(\\d+)")) * block;
  }
  if (type == "xfs") {
    const std::string said =
        runProgram({program("xfs_db"), "-r", "-c", "sb 0", "-c", "p fdblocks dblocks blocksize", image}).out;
    return (figure(said, "\ndblocks = (\\d+)") - figure(said, "fdblocks = (\\d+)")) *
           figure(said, "blocksize = (\\d+)");
  }
  if (type == "btrfs")
    return figure(runProgram({program("btrfs"), "inspect-internal", "dump-super", image}).out,
                  "\nbytes_used\\s+(\\d+)");
  if (type == "ntfs") {
    const std::string said = runProgram({program("ntfsinfo"), "-m", image}).out;
    return (figure(said, "Volume Size in Clusters: (\\d+)") - figure(said, "Free Clusters: (\\d+)")) *
           figure(said, "Cluster Size: (\\d+)");
  }
  if (type == "vfat") {
    const std::string said = runProgram({program("fsck.vfat"), "-n", "-v", image}).out;
    return figure(said, "files, (\\d+)/") * figure(said, "(\\d+) bytes per cluster");
  }
  const std::string said = runProgram({program("dump.exfat"), image}).out;
  return (figure(said, "Total Clusters:\\s*(\\d+)") - figure(said, "Free Clusters:\\s*(\\d+)")) *
         figure(said, "Cluster size:\\s*(\\d+)");
}

Bytes clusterOf(const std::string& type) {
  return type == "vfat" || type == "exfat" ? 65536 : 4096;
}

struct Format {
  const char* name;     ///< in a test's name
  const char* kind;     ///< as qemu-img calls it
  const char* options;  ///< for -o; may be empty
  bool packed = false;
  const char* ours = nullptr;
  bool fine = true;      ///< its units are smaller than what the guest deleted
  bool mapTells = true;  ///< what `qemu-img map` says of it is what its tables say
};

/// Guest bytes that an image itself stores, as `qemu-img map` says.
Bytes mapped(const std::string& image, const char* kind) {
  const auto map = runProgram({program("qemu-img"), "map", "-f", kind, "--output=json", image}).json();
  Bytes sum = 0;
  for (const auto& part : map)
    if (part["data"].get<bool>() && part["depth"] == 0) sum += part["length"].get<Bytes>();
  return sum;
}

struct Guest {
  explicit Guest(const std::string& type, Bytes size = 300 * 1024 * 1024,
                 const std::vector<std::string>& make = {})
      : drive(type, size, {}, make) {
    if (!drive.mounted()) return;
    furnish(drive.path(), 7);
    drive.unmount();
  }
  /// The guest after it has given up what it has free.
  void trimInto(const std::string& image, const TempFolder& t) const {
    run({"cp", "--sparse=always", drive.image(), image});
    t.folder("trim");
    run({"mount", "-o", "loop", image, t / "trim"});
    run({"fstrim", t / "trim"});
    must(unmounted(t / "trim"), "umount");
  }
  LoopDrive drive;
};

class ImagesOfAFormat : public ::testing::TestWithParam<Format> {};

TEST_P(ImagesOfAFormat, AreTrueOutsideAndInside) {
  const Format& format = GetParam();
  const Guest guest("ext4");
  ZT_NEEDS(guest.drive);
  TempFolder t;
  const std::string givenUp = t / "given-up";
  guest.trimInto(givenUp, t);
  for (const bool full : {false, true}) {
    if (full && format.packed) continue;
    const std::string image = t / (full ? "full" : "sparse");
    std::vector<std::string> convert{"qemu-img", "convert", "-f", "raw", "-O", format.kind};
    if (full) convert.insert(convert.end(), {"-S", "0"});  // zeros are written, too
    if (format.packed) convert.push_back("-c");
    if (format.options[0] != 0) convert.insert(convert.end(), {"-o", format.options});
    convert.insert(convert.end(), {guest.drive.image(), image});
    run(convert);
    const auto facts = factsOf(image);
    ASSERT_TRUE(facts) << name(facts.error().code) << " " << facts.error().detail;
    EXPECT_EQ(facts->format, format.ours != nullptr ? format.ours : format.kind);
    EXPECT_GE(facts->guestLength, Bytes{300} * 1024 * 1024);
    ASSERT_EQ(facts->volumes.size(), 1u);
    EXPECT_EQ(facts->volumes[0].system, "ext4");
    EXPECT_EQ(facts->inside, usedBy("ext4", guest.drive.image()));
    if (format.mapTells) {
      EXPECT_EQ(facts->allocated, mapped(image, format.kind)) << full;
    }
    EXPECT_LE(facts->least, facts->most);
    EXPECT_LE(facts->most, facts->outside);
    // What a real conversion gives back.
    const std::string again = t / "again";
    const bool fixed = std::string(format.options).find("fixed") != std::string::npos;
    const auto convertAgain = [&](const char* kind, const std::string& from) {
      convert = {"qemu-img", "convert", "-f", kind, "-O", format.kind};
      if (format.packed) convert.push_back("-c");
      if (format.options[0] != 0 && !fixed) convert.insert(convert.end(), {"-o", format.options});
      convert.insert(convert.end(), {from, again});
      run(convert);
    };
    convertAgain(format.kind, image);
    // One of a fixed size stays that, and gives its zeros back where it lies.
    const bool lies = fixed && facts->format == "vhd";
    if (lies) {
      run({"cp", "--sparse=never", image, again});
      run({"fallocate", "--dig-holes", again});
    }
    const Bytes back = facts->outside > occupiedBy(again) ? facts->outside - occupiedBy(again) : 0;
    std::printf(
        "%s%s: outside %.1f MB, inside %.1f MB, least %.1f MB, a conversion gives %.1f MB, most %.1f MB\n",
        format.name, full ? " with zeros written" : "", static_cast<double>(facts->outside) / mb,
        static_cast<double>(*facts->inside) / mb, static_cast<double>(facts->least) / mb,
        static_cast<double>(back) / mb, static_cast<double>(facts->most) / mb);
    // A file in many pieces has a longer map of its own.
    EXPECT_LE(facts->least, back + (lies ? 65'536 : 0));
    EXPECT_GE(facts->most + 65'536, back);
    // And once its guest has given up what it has free.
    convertAgain("raw", givenUp);
    const Bytes trimmed = facts->outside > occupiedBy(again) ? facts->outside - occupiedBy(again) : 0;
    EXPECT_GE(facts->most + 65'536, trimmed) << trimmed;
    // Where a new image packs, or rounds up to its own units, it gives less.
    if (!format.packed && format.fine) {
      EXPECT_LE(facts->most, trimmed + facts->outside / 20 + 4'000'000) << trimmed;
    }
    if (full) {
      EXPECT_GT(facts->least, back / 2) << "and it is worth saying";
      EXPECT_TRUE(facts->most > facts->least || !format.fine);
    }
    std::filesystem::remove(again);
  }
}

INSTANTIATE_TEST_SUITE_P(
    Images, ImagesOfAFormat,
    ::testing::Values(Format{"raw", "raw", ""}, Format{"qcow2", "qcow2", ""},
                      Format{"qcow2Version2", "qcow2", "compat=0.10"},
                      Format{"qcow2Small", "qcow2", "cluster_size=512"},
                      Format{"qcow2Large", "qcow2", "cluster_size=2M", false, nullptr, false},
                      Format{"qcow2Parts", "qcow2", "extended_l2=on,cluster_size=128k"},
                      Format{"qcow2Packed", "qcow2", "", true},
                      Format{"qcow2PackedZstd", "qcow2", "compression_type=zstd", true},
                      Format{"qcow2OneBitCounts", "qcow2", "refcount_bits=1"}, Format{"qcow", "qcow", ""},
                      Format{"vhd", "vpc", "", false, "vhd", false},
                      Format{"vhdFixed", "vpc", "subformat=fixed", false, "vhd", true, false},
                      Format{"vhdx", "vhdx", "", false, nullptr, false, false},
                      Format{"vhdxFixed", "vhdx", "subformat=fixed", false, nullptr, false, false},
                      Format{"vmdk", "vmdk", ""},
                      Format{"vmdkStream", "vmdk", "subformat=streamOptimized", true},
                      Format{"vdi", "vdi", "", false, nullptr, false}),
    [](const auto& one) { return std::string(one.param.name); });

class ImagesWithAGuest : public ::testing::TestWithParam<const char*> {};

TEST_P(ImagesWithAGuest, CountWhatItsOwnToolCounts) {
  const std::string type = GetParam();
  TempFolder t;
  std::string raw = t / "guest.raw";
  std::unique_ptr<Guest> guest;
  if (type == "vfat") {  // this kernel may not know it: filled without it
    t.sparse("guest.raw", Bytes{300} << 20);
    run({"mkfs.vfat", "-F", "32", raw});
    t.file("content", std::string(40'000'000, 'c'));
    run({"mcopy", "-i", raw, t / "content", "::/content"});
    run({"mmd", "-i", raw, "::/folder"});
  } else {
    guest = std::make_unique<Guest>(type);
    ZT_NEEDS(guest->drive);
    raw = guest->drive.image();
  }
  const Bytes used = usedBy(type, raw);
  for (const char* kind : {"raw", "qcow2"}) {
    const std::string image = t / kind;
    run({"qemu-img", "convert", "-f", "raw", "-O", kind, raw, image});
    const auto facts = factsOf(image);
    ASSERT_TRUE(facts) << name(facts.error().code) << " " << facts.error().detail;
    ASSERT_TRUE(facts->inside);
    EXPECT_LE(std::llabs(static_cast<long long>(*facts->inside) - static_cast<long long>(used)),
              static_cast<long long>(clusterOf(type)))
        << *facts->inside << " " << used;
    EXPECT_TRUE(type == "vfat" ? facts->volumes[0].system == "fat32" : facts->volumes[0].system == type)
        << facts->volumes[0].system;
    EXPECT_FALSE(facts->unclean);
    Bytes free = 0;
    for (const Stretch& s : facts->volumes[0].free) free += s.size();
    EXPECT_GT(free, 0u);
    EXPECT_GE(facts->most, facts->least);
    std::printf("%s in %s: inside %.1f MB, as its own tool says %.1f MB; least %.1f, most %.1f MB\n",
                type.c_str(), kind, static_cast<double>(*facts->inside) / mb, static_cast<double>(used) / mb,
                static_cast<double>(facts->least) / mb, static_cast<double>(facts->most) / mb);
  }
}

INSTANTIATE_TEST_SUITE_P(Images, ImagesWithAGuest,
                         ::testing::Values("ext4", "xfs", "btrfs", "ntfs", "vfat", "exfat"),
                         [](const auto& one) { return std::string(one.param); });

/// Room in clusters, and records that lie in the groups they speak of: used and free are what the guest's own
/// tools and its bitmaps say.
TEST(Images, GuestsOfOtherMakesAreCounted) {
  const std::vector<std::vector<std::string>> makes{
      {"-O", "bigalloc", "-C", "16384"},
      {"-b", "1024", "-O", "bigalloc", "-C", "8192"},
      {"-b", "1024", "-O", "meta_bg,^resize_inode"},
      {"-b", "1024", "-O", "meta_bg,^resize_inode,sparse_super2"}};
  for (const auto& make : makes) {
    SCOPED_TRACE(make[1] + " " + make.back());
    const Guest guest("ext4", Bytes{300} << 20, make);
    ZT_NEEDS(guest.drive);
    const auto facts = factsOf(guest.drive.image());
    ASSERT_TRUE(facts) << name(facts.error().code) << " " << facts.error().detail;
    const Bytes used = usedBy("ext4", guest.drive.image());
    EXPECT_EQ(facts->inside, used);
    Bytes free = 0;
    for (const Stretch& s : facts->volumes.at(0).free) free += s.size();
    const Bytes length = std::filesystem::file_size(guest.drive.image());
    EXPECT_LE(free, length - used);
    EXPECT_GE(free + 65'536, length - used) << "it is known where its free room lies";
  }
}

TEST(Images, PartsOfBothTablesAreFound) {
  const Guest guest("ext4", Bytes{64} << 20);
  ZT_NEEDS(guest.drive);
  TempFolder t;
  for (const char* table : {"dos", "gpt"}) {
    const std::string disk = t / table;
    t.sparse(table, Bytes{256} << 20);
    t.file("table",
           std::string("label: ") + table + "\nstart=2048, size=131072\nstart=135168, size=65536" +
               (table[0] == 'd' ? ", type=5\nstart=137216, size=20480\nstart=161792, size=20480\n" : "\n"));
    run({"sh", "-c", "sfdisk -q " + disk + " < " + (t / "table")});
    run({"dd", "if=" + guest.drive.image(), "of=" + disk, "bs=1M", "seek=1", "conv=notrunc,sparse",
         "status=none"});
    const auto facts = factsOf(disk);
    ASSERT_TRUE(facts);
    EXPECT_EQ(facts->volumes.size(), table[0] == 'd' ? 3u : 2u);
    EXPECT_EQ(facts->volumes[0].system, "ext4");
    EXPECT_EQ(facts->volumes[0].on, (Stretch{Bytes{2048} * 512, Bytes{2048 + 131072} * 512}));
    EXPECT_EQ(facts->inside, usedBy("ext4", guest.drive.image()));
    if (table[0] != 'g') continue;
    // The first table overwritten: its copy at the end tells.
    run({"dd", "if=/dev/zero", "of=" + disk, "bs=512", "seek=1", "count=40", "conv=notrunc", "status=none"});
    const auto again = factsOf(disk);
    ASSERT_TRUE(again);
    EXPECT_EQ(again->volumes.size(), 2u);
    EXPECT_EQ(again->inside, facts->inside);
  }
}

TEST(Images, WhatLiesUponAnotherIsReadThroughIt) {
  const Guest guest("ext4", Bytes{64} << 20);
  ZT_NEEDS(guest.drive);
  TempFolder t;
  run({"qemu-img", "convert", "-f", "raw", "-O", "qcow2", guest.drive.image(), t / "base.qcow2"});
  run({"qemu-img", "create", "-q", "-f", "qcow2", "-b", "base.qcow2", "-F", "qcow2", t / "top.qcow2"});
  run({"qemu-io", "-c", "write -P 7 40M 1M", t / "top.qcow2"});
  const auto alone = factsOf(t / "top.qcow2");
  ASSERT_TRUE(alone);
  EXPECT_EQ(alone->backing, "base.qcow2");
  EXPECT_FALSE(alone->backingRead);
  EXPECT_FALSE(alone->inside) << "without what it lies upon nothing can be said of the guest";
  EXPECT_EQ(alone->allocated, Bytes{1} << 20);
}

/// On a drive the image below is found by the name that is written in the upper one; a chain that goes round
/// ends.
/// A child that holds one changed sector, by the format's own tables; all else is its parent's.
class Child {
public:
  explicit Child(const std::string& base) {
    std::ifstream file(base, std::ios::binary);
    bytes_.assign(std::istreambuf_iterator<char>(file), {});
  }
  template <class T>
  T get(std::size_t at) const {
    T value;
    std::memcpy(&value, bytes_.data() + at, sizeof value);
    return value;
  }
  template <class T>
  void put(std::size_t at, T value) {
    std::memcpy(bytes_.data() + at, &value, sizeof value);
  }
  void text(std::size_t at, std::string_view ascii, bool bigEndian) {
    for (std::size_t i = 0; i < ascii.size(); ++i) {
      bytes_[at + 2 * i] = bigEndian ? '\0' : ascii[i];
      bytes_[at + 2 * i + 1] = bigEndian ? ascii[i] : '\0';
    }
  }
  std::size_t append(std::string_view more, std::size_t aligned) {
    bytes_.resize((bytes_.size() + aligned - 1) / aligned * aligned);
    const std::size_t at = bytes_.size();
    bytes_ += more;
    return at;
  }
  void write(const std::string& path) const { std::ofstream(path, std::ios::binary) << bytes_; }
  std::string& bytes() { return bytes_; }

private:
  std::string bytes_;
};

/// The sum over a record, its own field left out, into that field.
void sumUp(Child& child, std::size_t at, std::size_t size, std::size_t field) {
  child.put<std::uint32_t>(at + field, 0);
  std::uint32_t sum = 0;
  for (std::size_t i = 0; i < size; ++i) sum += static_cast<unsigned char>(child.bytes()[at + i]);
  child.put<std::uint32_t>(at + field, __builtin_bswap32(~sum));
}

/// `block`: the guest's first block, its third sector changed.
void makeVhdChild(const std::string& base, const std::string& path, std::string_view block) {
  Child child(base);
  const std::string footer = child.bytes().substr(0, 512);
  const auto entries = __builtin_bswap32(child.get<std::uint32_t>(512 + 28));
  const auto table = __builtin_bswap64(child.get<std::uint64_t>(512 + 16));
  child.put<std::uint32_t>(60, __builtin_bswap32(4));  // differencing
  sumUp(child, 0, 512, 64);
  child.text(512 + 64, "base.vhd", true);
  sumUp(child, 512, 1024, 36);
  for (std::size_t i = 0; i < entries; ++i) child.put<std::uint32_t>(table + i * 4, 0xffffffffu);
  child.bytes().resize((table + entries * 4 + 511) / 512 * 512);
  std::string bitmap(512, '\0');
  bitmap[0] = '\x20';  // the third sector
  const std::size_t at = child.append(bitmap, 512);
  child.bytes() += block;
  child.put<std::uint32_t>(table, __builtin_bswap32(static_cast<std::uint32_t>(at / 512)));
  child.bytes() += child.bytes().substr(0, 512);
  child.write(path);
}

void makeVhdxChild(const std::string& base, const std::string& path, std::string_view block) {
  constexpr std::size_t mebi = 1 << 20;
  Child child(base);
  std::size_t table = 0, metadata = 0;
  for (std::size_t i = 0; i < child.get<std::uint32_t>(192 * 1024 + 8); ++i) {
    const std::size_t entry = 192 * 1024 + 16 + i * 32;
    (child.bytes()[entry] == '\x66' ? table : metadata) = child.get<std::uint64_t>(entry + 16);
  }
  const auto count = child.get<std::uint16_t>(metadata + 10);
  std::size_t unit = 0;
  for (std::size_t i = 0; i < count; ++i) {
    const std::size_t entry = metadata + 32 + i * 32;
    const std::size_t at = metadata + child.get<std::uint32_t>(entry + 16);
    if (child.bytes()[entry] != '\x37') continue;
    unit = child.get<std::uint32_t>(at);
    child.put<std::uint32_t>(at + 4, child.get<std::uint32_t>(at + 4) | 2u);
  }
  // One more item: where the parent is.
  const std::size_t entry = metadata + 32 + std::size_t{count} * 32, item = 512 * 1024;
  child.put<std::uint16_t>(metadata + 10, static_cast<std::uint16_t>(count + 1));
  child.bytes().replace(entry, 16,
                        std::string("\x2d\x5f\xd3\xa8\x0b\xb3\x4d\x45\xab\xf7\xd3\xd8\x48\x34\xab\x0c", 16));
  child.put<std::uint32_t>(entry + 16, item);
  child.put<std::uint32_t>(entry + 20, 200);
  const std::string_view key = "relative_path", value = ".\\base.vhdx";
  const std::size_t at = metadata + item;
  child.put<std::uint16_t>(at + 18, 1);
  child.put<std::uint32_t>(at + 20, 40);
  child.put<std::uint32_t>(at + 24, 80);
  child.put<std::uint16_t>(at + 28, static_cast<std::uint16_t>(key.size() * 2));
  child.put<std::uint16_t>(at + 30, static_cast<std::uint16_t>(value.size() * 2));
  child.text(at + 40, key, false);
  child.text(at + 80, value, false);
  const std::size_t ratio = (std::size_t{1} << 23) * 512 / unit;
  for (std::size_t i = 0; i <= ratio; ++i) child.put<std::uint64_t>(table + i * 8, 0);
  std::string bitmap(mebi, '\0');
  bitmap[0] = '\x04';  // the third sector
  const std::size_t map = child.append(bitmap, mebi);
  std::string whole(block.substr(0, std::min(block.size(), unit)));
  whole.resize(unit);
  const std::size_t data = child.append(whole, mebi);
  child.put<std::uint64_t>(table + ratio * 8, (std::uint64_t{map} / mebi << 20) | 6);
  child.put<std::uint64_t>(table, (std::uint64_t{data} / mebi << 20) | 7);
  child.write(path);
}

void makeVdiChild(const std::string& base, const std::string& path, std::string_view block) {
  Child child(base);
  const std::string own = child.bytes().substr(0x188, 16);
  child.put<std::uint32_t>(0x4c, 4);
  child.bytes().replace(0x1a8, 16, own);
  child.bytes()[0x188] = static_cast<char>(child.bytes()[0x188] ^ 1);
  const auto map = child.get<std::uint32_t>(0x154), data = child.get<std::uint32_t>(0x158),
             unit = child.get<std::uint32_t>(0x178), blocks = child.get<std::uint32_t>(0x180);
  for (std::size_t i = 0; i < blocks; ++i) child.put<std::uint32_t>(map + i * 4, 0xffffffffu);
  child.put<std::uint32_t>(map, 0);
  child.bytes().resize(data);
  child.bytes() += block.substr(0, unit);
  child.write(path);
}

/// Children of the other formats are read through to their parents, which are found by what the child says.
TEST(Images, ParentsOfOtherFormatsAreReadThrough) {
  const Guest guest("ext4", Bytes{64} << 20);
  ZT_NEEDS(guest.drive);
  TempFolder t;
  t.folder("drive");
  std::string block(std::size_t{2} << 20, '\0');
  std::ifstream(guest.drive.image(), std::ios::binary)
      .read(block.data(), static_cast<std::streamsize>(block.size()));
  std::uint32_t blockBits = 0, free = 0;
  std::memcpy(&blockBits, block.data() + 1024 + 24, 4);
  std::memcpy(&free, block.data() + 1024 + 12, 4);
  free -= 100;  // what the child's guest has written since
  std::memcpy(block.data() + 1024 + 12, &free, 4);
  for (const auto& [kind, name] :
       {std::pair("vpc", "vhd"), std::pair("vhdx", "vhdx"), std::pair("vdi", "vdi")})
    run({"qemu-img", "convert", "-f", "raw", "-O", kind, guest.drive.image(),
         t / ("drive/base." + std::string(name))});
  makeVhdChild(t / "drive/base.vhd", t / "drive/child.vhd", block);
  makeVhdxChild(t / "drive/base.vhdx", t / "drive/child.vhdx", block);
  makeVdiChild(t / "drive/base.vdi", t / "drive/child.vdi", block);
  const std::string job = t / "a.ztjob";
  ASSERT_EQ(runProgram({ZTALLY, "measure", t / "drive", "--job", job, "--job-on-drive"}).status, 0);
  const auto found = runProgram({ZTALLY, "match", "--job", job, "--least", "1", "--json"}).json();
  const Bytes used = usedBy("ext4", guest.drive.image());
  EXPECT_EQ(found["images"].size(), 6u) << found["left"].dump();
  for (const auto& image : found["images"]) {
    const bool child = image["path"].get<std::string>().starts_with("child");
    EXPECT_EQ(image["inside_bytes"], child ? used + 100 * (Bytes{1024} << blockBits) : used) << image["path"];
    if (child) {
      EXPECT_TRUE(image["backing_read"].get<bool>()) << image["path"] << image["backing"];
    }
  }
}

TEST(Images, ChainsAreFollowedOnTheDrive) {
  const Guest guest("ext4", Bytes{64} << 20);
  ZT_NEEDS(guest.drive);
  TempFolder t;
  t.folder("drive/deep");
  const std::string base = t / "drive/base.qcow2", top = t / "drive/deep/top.qcow2",
                    round = t / "drive/round.qcow2";
  run({"qemu-img", "convert", "-f", "raw", "-O", "qcow2", guest.drive.image(), base});
  run({"qemu-img", "create", "-q", "-f", "qcow2", "-b", "../base.qcow2", "-F", "qcow2", top});
  run({"qemu-img", "create", "-q", "-f", "qcow2", round, "64M"});
  for (const std::string& image : {top, round})
    run({"qemu-io", "-c", "write -P 7 40M 2M", "-f", "qcow2", image});
  run({"qemu-img", "rebase", "-u", "-f", "qcow2", "-b", "round.qcow2", "-F", "qcow2", round});
  const std::string job = t / "a.ztjob";
  ASSERT_EQ(runProgram({ZTALLY, "measure", t / "drive", "--job", job, "--job-on-drive"}).status, 0);
  const auto found = runProgram({ZTALLY, "match", "--job", job, "--least", "1", "--json"}).json();
  for (const auto& image : found["images"]) {
    const std::string path = image["path"];
    if (path == "round.qcow2") {
      EXPECT_FALSE(image["backing_read"].get<bool>());
      continue;
    }
    EXPECT_EQ(image["inside_bytes"], usedBy("ext4", guest.drive.image())) << path;
    EXPECT_TRUE(path != "deep/top.qcow2" || image["backing_read"].get<bool>()) << image.dump();
  }
  EXPECT_EQ(found["images"].size() + found["left"].size(), 3u) << found["left"].dump();
}

TEST(Images, WhatALoopDeviceHoldsIsInUse) {
  LoopDrive drive("ext4", Bytes{64} << 20);
  ZT_NEEDS(drive);
  furnish(drive.path(), 7);
  TempFolder t;
  const std::string job = t / "a.ztjob";
  const std::string folder = std::filesystem::path(drive.image()).parent_path().string();
  ASSERT_EQ(runProgram({ZTALLY, "measure", folder, "--job", job, "--job-on-drive"}).status, 0);
  const auto found = runProgram({ZTALLY, "match", "--job", job, "--least", "1", "--json"}).json();
  ASSERT_EQ(found["images"].size(), 1u);
  EXPECT_TRUE(found["images"][0]["in_use"].get<bool>());
}

TEST(Images, WhatIsCountedByNobodyComesBack) {
  const Guest guest("ext4", Bytes{64} << 20);
  ZT_NEEDS(guest.drive);
  TempFolder t;
  const std::string image = t / "a.qcow2";
  run({"qemu-img", "convert", "-f", "raw", "-O", "qcow2", guest.drive.image(), image});
  const auto before = factsOf(image);
  std::ofstream(image, std::ios::binary | std::ios::app) << std::string(5 * 1024 * 1024, 'x');
  const auto after = factsOf(image);
  ASSERT_TRUE(before && after);
  EXPECT_GE(after->least, before->least + 4 * 1024 * 1024);
  run({"qemu-img", "convert", "-f", "qcow2", "-O", "qcow2", image, t / "b.qcow2"});
  EXPECT_LE(after->least, after->outside - occupiedBy(t / "b.qcow2"));
  run({"qemu-img", "snapshot", "-c", "one", image});
  EXPECT_EQ(factsOf(image)->snapshots, 1u);
}

TEST(Images, WhatIsNoDiskIsNone) {
  TempFolder t;
  t.file("text", std::string(100'000, 'x'));
  std::string boot(100'000, '\x11');
  boot[510] = '\x55', boot[511] = '\xaa';
  t.file("boot-sector-sign-alone", boot);
  t.sparse("hole", Bytes{1} << 40);
  t.sparse("swap", Bytes{10} << 20);
  run({"mkswap", "-q", t / "swap"});
  for (const char* name : {"text", "boot-sector-sign-alone", "hole", "swap"}) {
    const auto facts = factsOf(t / name);
    ASSERT_FALSE(facts) << name;
    EXPECT_EQ(codeOf(facts), Errc::notOurs) << name;
  }
}

}  // namespace
}  // namespace zt::test
