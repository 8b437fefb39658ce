// SPDX-License-Identifier: GPL-3.0-or-later
// What every file system must do: the same suite runs against the real adapter and the one in memory.
#include <gtest/gtest.h>

#include <algorithm>
#include <map>
#include <set>

#include "core/os/linux/linux_file_system.h"
#include "core/reclaim/watch.h"
#include "support/code_of.h"
#include "support/fault_file_system.h"
#include "support/memory_file_system.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

/// A file system with a root of its own, and a way to put things into it from outside.
class World {
public:
  virtual ~World() = default;
  virtual FileSystem& files() = 0;
  virtual PathBytes root() = 0;
  virtual void put(const std::string& path, const std::string& content) = 0;
  virtual void putLink(const std::string& from, const std::string& to) = 0;
};

class RealWorld final : public World {
public:
  FileSystem& files() override { return files_; }
  PathBytes root() override { return folder_.path(); }
  void put(const std::string& path, const std::string& content) override {
    path.back() == '/' ? folder_.folder(path) : folder_.file(path, content);
  }
  void putLink(const std::string& from, const std::string& to) override { folder_.link(from, to); }

private:
  TempFolder folder_;
  LinuxFileSystem files_;
};

class MemoryWorld final : public World {
public:
  FileSystem& files() override { return files_; }
  PathBytes root() override { return "/"; }
  void put(const std::string& path, const std::string& content) override { files_.add(path, content); }
  void putLink(const std::string& from, const std::string& to) override { files_.link(from, to); }

private:
  MemoryFileSystem files_;
};

/// Every decorator hands on all of it.
class ForwardedWorld final : public World {
public:
  FileSystem& files() override { return files_; }
  PathBytes root() override { return folder_.path(); }
  void put(const std::string& path, const std::string& content) override {
    path.back() == '/' ? folder_.folder(path) : folder_.file(path, content);
  }
  void putLink(const std::string& from, const std::string& to) override { folder_.link(from, to); }

private:
  TempFolder folder_;
  Watch watch_{std::chrono::seconds(10)};
  FaultFileSystem files_{watch_.over(std::make_shared<LinuxFileSystem>()),
                         [](std::string_view, std::string_view) { return Result<void>{}; }};
};

class Names final : public ScanSink {
public:
  bool take(std::span<const ScannedEntry> entries) override {
    for (const auto& e : entries) names.emplace(e.name), kinds[std::string(e.name)] = e.stat.kind;
    return true;
  }
  std::set<std::string> names;
  std::map<std::string, EntryKind> kinds;
};

template <class W>
class FileSystemContract : public ::testing::Test {
protected:
  void SetUp() override {
    world.put("a/file", "hello");
    world.put("a/b/deep", "x");
    root = world.files().openRoot(world.root()).value();
  }
  FolderPtr open(std::string_view path) { return world.files().openBeneath(*root, path).value(); }
  W world;
  FolderPtr root;
};

using Worlds = ::testing::Types<RealWorld, MemoryWorld, ForwardedWorld>;
TYPED_TEST_SUITE(FileSystemContract, Worlds);

TYPED_TEST(FileSystemContract, ScansAllEntriesOnceWithTheirKinds) {
  Names seen;
  ASSERT_TRUE(this->world.files().scan(*this->open("a"), seen));
  EXPECT_EQ(seen.names, (std::set<std::string>{"file", "b"}));
  EXPECT_EQ(seen.kinds["b"], EntryKind::folder);
  EXPECT_EQ(seen.kinds["file"], EntryKind::file);
}

TYPED_TEST(FileSystemContract, StatsAndReadsFiles) {
  auto& files = this->world.files();
  const auto at = this->open("a");
  EXPECT_EQ(files.stat(*at, "file")->length, 5u);
  EXPECT_EQ(files.stat(*at, "")->kind, EntryKind::folder);
  EXPECT_EQ(files.readFile(*at, "file", 100).value(), "hello");
  EXPECT_EQ(codeOf(files.readFile(*at, "file", 4)), Errc::badInput);
  EXPECT_EQ(codeOf(files.readFile(*at, "b", 100)), Errc::notAFile);
  EXPECT_EQ(codeOf(files.stat(*at, "none")), Errc::notThere);
}

TYPED_TEST(FileSystemContract, OpensOnlyBeneathTheRoot) {
  auto& files = this->world.files();
  EXPECT_TRUE(files.openBeneath(*this->root, ""));
  EXPECT_TRUE(files.openBeneath(*this->root, "a/b"));
  for (const char* path : {"..", "a/..", "a/../a", "/a", "/"})
    EXPECT_EQ(codeOf(files.openBeneath(*this->root, path)), Errc::outsideRoot) << path;
  EXPECT_EQ(codeOf(files.openBeneath(*this->root, "a/none")), Errc::notThere);
  EXPECT_EQ(codeOf(files.openBeneath(*this->root, "a/file")), Errc::notAFolder);
}

TYPED_TEST(FileSystemContract, RefusesNamesThatAreNoSingleParts) {
  auto& files = this->world.files();
  const auto at = this->open("a");
  for (const std::string& name :
       {std::string(".."), std::string("."), std::string("b/deep"), std::string("x\0y", 3)}) {
    EXPECT_EQ(codeOf(files.openFolder(*at, name)), Errc::outsideRoot) << name;
    EXPECT_EQ(codeOf(files.unlink(*at, name)), Errc::outsideRoot) << name;
    EXPECT_EQ(codeOf(files.rename(*at, "file", *at, name)), Errc::outsideRoot) << name;
    EXPECT_EQ(codeOf(files.makeFolder(*at, name, 0755)), Errc::outsideRoot) << name;
  }
  EXPECT_TRUE(files.stat(*at, "file"));
}

TYPED_TEST(FileSystemContract, RenamesButNeverOver) {
  auto& files = this->world.files();
  const auto a = this->open("a");
  const auto b = this->open("a/b");
  EXPECT_EQ(codeOf(files.rename(*a, "file", *b, "deep")), Errc::taken);
  EXPECT_EQ(codeOf(files.rename(*a, "none", *b, "x")), Errc::notThere);
  const auto inode = files.stat(*a, "file")->inode;
  ASSERT_TRUE(files.rename(*a, "file", *b, "moved"));
  EXPECT_EQ(files.stat(*b, "moved")->inode, inode);
  EXPECT_EQ(codeOf(files.stat(*a, "file")), Errc::notThere);
}

TYPED_TEST(FileSystemContract, RemovesFilesAndEmptyFoldersOnly) {
  auto& files = this->world.files();
  const auto a = this->open("a");
  EXPECT_EQ(codeOf(files.removeFolder(*a, "b")), Errc::taken);
  EXPECT_EQ(codeOf(files.removeFolder(*a, "file")), Errc::notAFolder);
  EXPECT_FALSE(files.unlink(*a, "b"));
  ASSERT_TRUE(files.unlink(*this->open("a/b"), "deep"));
  ASSERT_TRUE(files.removeFolder(*a, "b"));
  EXPECT_EQ(codeOf(files.unlink(*a, "gone")), Errc::notThere);
}

TYPED_TEST(FileSystemContract, MakesAFolderOnce) {
  auto& files = this->world.files();
  ASSERT_TRUE(files.makeFolder(*this->root, "new", 0700));
  EXPECT_EQ(files.stat(*this->root, "new")->mode & 0777u, 0700u);
  EXPECT_EQ(codeOf(files.makeFolder(*this->root, "new", 0700)), Errc::taken);
}

TYPED_TEST(FileSystemContract, CountsLinks) {
  this->world.putLink("a/file", "a/b/other");
  auto& files = this->world.files();
  EXPECT_EQ(files.stat(*this->open("a"), "file")->links, 2u);
  ASSERT_TRUE(files.unlink(*this->open("a"), "file"));
  EXPECT_EQ(files.stat(*this->open("a/b"), "other")->links, 1u);
}

TYPED_TEST(FileSystemContract, KeepsIdentityThroughARename) {
  auto& files = this->world.files();
  const auto a = this->open("a");
  const Identity before = identityOf(*files.stat(*a, "file"));
  ASSERT_TRUE(files.rename(*a, "file", *a, "renamed"));
  EXPECT_TRUE(sameContent(before, identityOf(*files.stat(*a, "renamed"))));
}

TYPED_TEST(FileSystemContract, SaysHowMuchRoomThereIs) {
  const auto usage = this->world.files().usage(*this->root);
  ASSERT_TRUE(usage);
  EXPECT_GT(usage->capacity, 0u);
  EXPECT_LE(usage->available, usage->free);
}

TYPED_TEST(FileSystemContract, MakesAFileByRangesAndNeverOver) {
  auto& files = this->world.files();
  const auto at = this->open("a");
  EXPECT_EQ(codeOf(files.createFile(*at, "file", 0600)), Errc::taken);
  EXPECT_EQ(codeOf(files.createFile(*at, "b", 0600)), Errc::taken);
  EXPECT_EQ(codeOf(files.createFile(*at, "..", 0600)), Errc::outsideRoot);
  EXPECT_EQ(codeOf(files.createFile(*at, "", 0600)), Errc::outsideRoot);
  auto made = files.createFile(*at, "new", 0640);
  ASSERT_TRUE(made);
  ASSERT_TRUE((*made)->write(6, std::string("world")));
  ASSERT_TRUE((*made)->write(0, std::string("hello")));
  EXPECT_EQ((*made)->stat()->length, 11u);
  ASSERT_TRUE((*made)->sync());
  EXPECT_EQ(files.readFile(*at, "new", 100).value(), std::string("hello\0world", 11))
      << "between them: zeros";
  EXPECT_EQ(files.stat(*at, "new")->mode & 0777u, 0640u);
  ASSERT_TRUE((*made)->setLength(2));
  EXPECT_EQ(files.readFile(*at, "new", 100).value(), "he");
  ASSERT_TRUE((*made)->setLength(4));
  EXPECT_EQ(files.readFile(*at, "new", 100).value(), std::string("he\0\0", 4));
}

TYPED_TEST(FileSystemContract, ChangesAFileWhereItLies) {
  auto& files = this->world.files();
  const auto at = this->open("a");
  EXPECT_EQ(codeOf(files.openToChange(*at, "b")), Errc::notAFile);
  EXPECT_EQ(codeOf(files.openToChange(*at, "none")), Errc::notThere);
  const auto inode = files.stat(*at, "file")->inode;
  auto open = files.openToChange(*at, "file");
  ASSERT_TRUE(open);
  ASSERT_TRUE((*open)->write(1, std::string("u")));
  EXPECT_EQ(files.readFile(*at, "file", 100).value(), "hullo");
  EXPECT_EQ(files.stat(*at, "file")->inode, inode);
}

TYPED_TEST(FileSystemContract, CopiesStretchesOfAnotherFile) {
  auto& files = this->world.files();
  const auto at = this->open("a");
  std::string bytes(300'000, 'x');
  bytes.replace(100'000, 5, "salt!");
  this->world.put("a/source", bytes);
  auto source = files.openFile(*at, "source");
  ASSERT_TRUE(source);
  auto made = files.createFile(*at, "copy", 0600);
  ASSERT_TRUE(made);
  EXPECT_EQ((*made)->copy(**source, {0, 150'000}).value(), 150'000u);
  EXPECT_EQ((*made)->copy(**source, {150'000, 900'000}).value(), 150'000u) << "less only at its end";
  EXPECT_EQ(files.readFile(*at, "copy", 1'000'000).value(), bytes);
}

TYPED_TEST(FileSystemContract, PunchesWhatReadsAsZerosThen) {
  auto& files = this->world.files();
  const auto at = this->open("a");
  this->world.put("a/full", std::string(64 * 1024, 'x'));
  auto open = files.openToChange(*at, "full");
  ASSERT_TRUE(open);
  const auto punched = (*open)->punch({4096, 32 * 1024});
  if (!punched && punched.error().code == Errc::unsupported) GTEST_SKIP() << "no holes here";
  ASSERT_TRUE(punched);
  const std::string now = files.readFile(*at, "full", 1'000'000).value();
  ASSERT_EQ(now.size(), 64u * 1024);
  EXPECT_EQ(now.substr(0, 4096), std::string(4096, 'x'));
  EXPECT_EQ(now.substr(4096, 28 * 1024), std::string(28 * 1024, '\0'));
  EXPECT_EQ(now.substr(32 * 1024), std::string(32 * 1024, 'x'));
}

TYPED_TEST(FileSystemContract, GivesASecondNameAndSymbolicLinks) {
  auto& files = this->world.files();
  const auto a = this->open("a");
  const auto b = this->open("a/b");
  ASSERT_TRUE(files.link(*a, "file", *b, "again"));
  EXPECT_EQ(files.stat(*b, "again")->inode, files.stat(*a, "file")->inode);
  EXPECT_EQ(files.stat(*a, "file")->links, 2u);
  EXPECT_EQ(codeOf(files.link(*a, "file", *b, "deep")), Errc::taken);
  EXPECT_EQ(codeOf(files.link(*a, "none", *b, "x")), Errc::notThere);
  EXPECT_FALSE(files.link(*a, "b", *a, "folder-again"));
  ASSERT_TRUE(files.makeSymlink(*a, "points", "../somewhere/else"));
  EXPECT_EQ(files.stat(*a, "points")->kind, EntryKind::symlink);
  EXPECT_EQ(codeOf(files.makeSymlink(*a, "file", "x")), Errc::taken);
  EXPECT_EQ(codeOf(files.makeSymlink(*a, "x/y", "x")), Errc::outsideRoot);
}

TYPED_TEST(FileSystemContract, SetsTimesModesAndOwnersOfTheEntryItselfAlone) {
  auto& files = this->world.files();
  const auto a = this->open("a");
  ASSERT_TRUE(files.makeSymlink(*a, "points", "file"));
  const EntryStat before = *files.stat(*a, "file");
  ASSERT_TRUE(files.setTimes(*a, "points", 1'000'000'000'000, 2'000'000'123'000));
  EXPECT_EQ(files.stat(*a, "points")->modified, 2'000'000'123'000);
  EXPECT_EQ(files.stat(*a, "file")->modified, before.modified) << "no link is followed";
  ASSERT_TRUE(files.setTimes(*a, "file", -1'500'000'000, 3'000'000'456'000));
  EXPECT_EQ(files.stat(*a, "file")->modified, 3'000'000'456'000);
  EXPECT_EQ(files.stat(*a, "file")->accessed, -1'500'000'000) << "before 1970";
  ASSERT_TRUE(files.setTimes(*a, "", 1'000'000'000'000, 4'000'000'000'000));
  EXPECT_EQ(files.stat(*a, "")->modified, 4'000'000'000'000) << "the folder itself";
  ASSERT_TRUE(files.setMode(*a, "file", 0751));
  EXPECT_EQ(files.stat(*a, "file")->mode & 07777u, 0751u);
  EXPECT_EQ(codeOf(files.setMode(*a, "points", 0600)), Errc::unsupported);
  ASSERT_TRUE(files.setMode(*a, "", 0711));
  EXPECT_EQ(files.stat(*a, "")->mode & 07777u, 0711u);
  const EntryStat own = *files.stat(*a, "file");
  ASSERT_TRUE(files.setOwner(*a, "file", own.owner, own.group));
  EXPECT_EQ(codeOf(files.setOwner(*a, "none", 1, 1)), Errc::notThere);
  if (own.owner != 0) return;
  ASSERT_TRUE(files.setOwner(*a, "points", 1234, 2345));
  EXPECT_EQ(files.stat(*a, "points")->owner, 1234u);
  EXPECT_EQ(files.stat(*a, "points")->group, 2345u);
  EXPECT_EQ(files.stat(*a, "file")->owner, own.owner);
}

TYPED_TEST(FileSystemContract, KeepsAttributesOfFilesAndFolders) {
  auto& files = this->world.files();
  const auto a = this->open("a");
  const auto set = files.setAttribute(*a, "file", "user.berth", std::string("7\0b", 3));
  if (!set && set.error().code == Errc::unsupported) GTEST_SKIP() << "no attributes here";
  ASSERT_TRUE(set);
  EXPECT_EQ(files.attribute(*a, "file", "user.berth").value(), std::string("7\0b", 3));
  ASSERT_TRUE(files.setAttribute(*a, "", "user.berth", "9"));
  const auto names = files.attributes(*a, "file");
  ASSERT_TRUE(names);
  EXPECT_NE(std::find(names->begin(), names->end(), "user.berth"), names->end());
  ASSERT_TRUE(files.setAttribute(*a, "file", "user.berth", std::nullopt));
  EXPECT_EQ(codeOf(files.attribute(*a, "file", "user.berth")), Errc::notThere);
  EXPECT_EQ(codeOf(files.setAttribute(*a, "file", "user.berth", std::nullopt)), Errc::notThere);
  EXPECT_EQ(codeOf(files.setAttribute(*a, "../file", "user.berth", "x")), Errc::outsideRoot);
}

TEST(LinuxFileSystem, FollowsNoLinkBelowTheRoot) {
  TempFolder t;
  t.file("outside/secret", "s");
  t.folder("root");
  t.symlink("../outside", "root/door");
  LinuxFileSystem files;
  const auto root = files.openRoot(t / "root").value();
  EXPECT_EQ(codeOf(files.openFolder(*root, "door")), Errc::notAFolder);
  EXPECT_EQ(codeOf(files.openBeneath(*root, "door")), Errc::notAFolder);
  EXPECT_EQ(codeOf(files.openBeneath(*root, "door/deeper")), Errc::outsideRoot);
  EXPECT_EQ(files.stat(*root, "door")->kind, EntryKind::symlink);
}

TEST(MemoryFileSystem, FailsTheNthCallAndRecordsAll) {
  MemoryFileSystem files;
  files.add("a/file", "x");
  files.failCall(2, Errc::noSpace);
  const auto root = files.openRoot("/").value();
  EXPECT_EQ(codeOf(files.makeFolder(*root, "b", 0700)), Errc::noSpace);
  EXPECT_TRUE(files.makeFolder(*root, "b", 0700));
  EXPECT_EQ(files.calls(), (std::vector<std::string>{"open-root /", "make-folder b", "make-folder b"}));
}

}  // namespace
}  // namespace zt::test
