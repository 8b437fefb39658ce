// SPDX-License-Identifier: GPL-3.0-or-later
// What every file system must do: the same suite runs against the real adapter and the one in memory.
#include <gtest/gtest.h>

#include <map>
#include <set>

#include "core/os/linux_file_system.h"
#include "support/code_of.h"
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

using Worlds = ::testing::Types<RealWorld, MemoryWorld>;
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
