// SPDX-License-Identifier: GPL-3.0-or-later
// Comparing very many, very long and failing files. Under a sanitizer a twentieth of the many.
#include <gtest/gtest.h>

#include <fstream>

#include "core/match/duplicates.h"
#include "core/match/file_content.h"
#include "support/planned.h"
#include "support/scale.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

constexpr int many = crowd(100'000);

struct MatchCrowd : ::testing::Test {
  void look(const FileSystemPtr& on, const PathBytes& path) {
    files = on;
    survey = surveyOf(files, path);
    context = contextOf(survey);
    root = files->openRoot(path).value();
  }
  MatchResult run() { return match(*files, *root, *context, {}, {}, nullptr); }
  FileSystemPtr files;
  std::shared_ptr<Survey> survey;
  ContextPtr context;
  FolderPtr root;
};

TEST_F(MatchCrowd, OneSizeAndEqualHeadsForAll) {
  auto memory = std::make_shared<MemoryFileSystem>();
  const std::string head(300, 'h');
  for (int i = 0; i < many; ++i)  // each content twice
    memory->add("d" + std::to_string(i / 1000) + "/f" + std::to_string(i),
                head + std::to_string(1'000'000 + i / 2));
  look(memory, "/");
  const MatchResult result = run();
  EXPECT_EQ(result.groups.size(), static_cast<std::size_t>(many / 2));
  for (const EqualFiles& group : result.groups) ASSERT_EQ(group.nodes.size(), 2u);
}

TEST_F(MatchCrowd, OneGroupOfHalfOfThem) {
  auto memory = std::make_shared<MemoryFileSystem>();
  for (int i = 0; i < many / 2; ++i)
    memory->add("d" + std::to_string(i / 1000) + "/f" + std::to_string(i), "all of them the same");
  look(memory, "/");
  const MatchResult result = run();
  ASSERT_EQ(result.groups.size(), 1u);
  const auto find = duplicateFind(*context, result.groups.front(), {}, usualOrder());
  ASSERT_TRUE(find);
  EXPECT_EQ(numberIn(*find, "copies"), static_cast<std::uint64_t>(many / 2));
  EXPECT_EQ(find->items.size(), static_cast<std::size_t>(many / 2 - 1)) << "all but the one that stays";
}

/// A terabyte of length each, a few bytes of it stored: only those are read.
TEST_F(MatchCrowd, HolesOfATerabyte) {
  TempFolder t;
  constexpr Bytes length = Bytes{1} << 40;
  for (const char* name : {"a", "b", "c", "d"}) t.sparse(name, length);
  const auto write = [&](const char* name, Bytes at, const std::string& bytes) {
    std::fstream(t / name, std::ios::in | std::ios::out | std::ios::binary)
            .seekp(static_cast<std::streamoff>(at))
        << bytes;
  };
  write("a", 700'000'000'000, "something");
  write("b", 700'000'000'000, "something");
  write("c", 700'000'000'000, "somethinG");
  write("d", 700'000'000'001, "something");
  look(std::make_shared<LinuxFileSystem>(), t.path());
  const MatchResult result = run();
  ASSERT_EQ(result.groups.size(), 1u);
  EXPECT_EQ(result.groups.front().nodes.size(), 2u);
  EXPECT_LT(result.read, Bytes{1} << 20);
  const auto c = files->openFile(*root, "c").value(), a = files->openFile(*root, "a").value();
  EXPECT_EQ(firstDifference(*a, *c, {}).value(), std::optional<Bytes>(700'000'000'008));
}

/// A device that fails in the middle of one file: that one is left out and said, the others are told.
TEST_F(MatchCrowd, WhatFailsInTheMiddleIsLeftOut) {
  class Failing final : public ForwardingFileSystem {
  public:
    using ForwardingFileSystem::ForwardingFileSystem;
    Result<OpenedFilePtr> openFile(const Folder& at, std::string_view name) override {
      class Torn final : public OpenedFile {
      public:
        explicit Torn(OpenedFilePtr whole) : whole_(std::move(whole)) {}
        Result<EntryStat> stat() override { return whole_->stat(); }
        Result<std::size_t> read(Bytes offset, std::span<char> into) override {
          constexpr Bytes bad = 150'000;
          if (offset <= bad && bad < offset + into.size()) return failErrno("read", {}, EIO);
          return whole_->read(offset, into);
        }
        Result<Stretch> nextData(Bytes offset) override { return whole_->nextData(offset); }

      private:
        OpenedFilePtr whole_;
      };
      auto file = inner_.openFile(at, name);
      if (!file || name != "torn") return file;
      return OpenedFilePtr(std::make_unique<Torn>(std::move(*file)));
    }
  };
  TempFolder t;
  for (const char* name : {"one", "two", "torn"}) t.file(name, std::string(300'000, 'x'));
  look(std::make_shared<Failing>(std::make_shared<LinuxFileSystem>()), t.path());
  const MatchResult result = run();
  ASSERT_EQ(result.groups.size(), 1u);
  EXPECT_EQ(result.groups.front().nodes.size(), 2u);
  ASSERT_EQ(result.left.size(), 1u);
  EXPECT_EQ(result.left.front().error.path, "torn");
  EXPECT_EQ(result.left.front().error.sysErrno, EIO);
}

}  // namespace
}  // namespace zt::test
