// SPDX-License-Identifier: GPL-3.0-or-later
// A register of which parts cannot be read any more: nothing that can is lost, and nobody works on with half
// of it unawares.
#include "core/job/register_mend.h"

#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>

#include "core/job/register.h"
#include "core/job/sqlite.h"
#include "support/code_of.h"
#include "support/drive_files.h"
#include "support/temp_folder.h"

namespace zt::test {
namespace {

constexpr int drivesNoted = 300;

/// With something in every table that fills many pages.
void fill(const PathBytes& file) {
  const auto r = Register::open(file).value();
  for (int i = 0; i < drivesNoted; ++i) {
    const std::string id = "drive-" + std::to_string(1000 + i);
    ASSERT_TRUE(r->noteDrive({id, std::string(200, 't'), "ext4", 1, 2, 3}));
    Marks said;
    said.put("kept/" + std::string(200, 'k'), {Mark::keep, 7, false});
    ASSERT_TRUE(r->noteMarks(id, said, {}));
    ASSERT_TRUE(r->say("word-" + std::to_string(1000 + i), std::string(200, 'w')));
  }
}

/// Pages of a table in the order of its keys, by the file system's own layout of a database.
std::vector<int> pagesOf(const PathBytes& file, const std::string& table) {
  SQLite::Database db(file, SQLite::OPEN_READONLY);
  std::vector<int> pages;
  SQLite::Statement q(db, "SELECT pageno FROM dbstat WHERE name=? AND pagetype='leaf' ORDER BY path");
  q.bind(1, table);
  while (q.executeStep()) pages.push_back(q.getColumn(0).getInt());
  return pages;
}

void spoil(const PathBytes& file, int page) {
  std::fstream f(file, std::ios::binary | std::ios::in | std::ios::out);
  f.seekp((page - 1) * 4096);
  const std::string rubbish = noise(4096, 7);
  f.write(rubbish.data(), 4096);
}

const MendedTable& tableOf(const MendedRegister& mended, const std::string& name) {
  for (const MendedTable& t : mended.tables)
    if (t.name == name) return t;
  throw std::out_of_range(name);
}

TEST(RegisterMend, WhatCanBeReadOfEachTableComesOver) {
  TempFolder t;
  const PathBytes file = t / "r.sqlite";
  ASSERT_NO_FATAL_FAILURE(fill(file));
  EXPECT_EQ(codeOf(mendRegister(file)), Errc::unsupported) << "nothing is damaged";
  const auto pages = pagesOf(file, "said");
  ASSERT_GT(pages.size(), 8u);
  spoil(file, pages[pages.size() / 2]);
  EXPECT_EQ(codeOf(Register::open(file)), Errc::corrupt) << "nobody works on with half of it unawares";
  const std::string damaged = t.read("r.sqlite");
  const auto mended = mendRegister(file);
  ASSERT_TRUE(mended) << mended.error().detail;
  EXPECT_EQ(mended->aside, file + ".damaged-1");
  EXPECT_EQ(t.read("r.sqlite.damaged-1"), damaged) << "it stays as it was";
  EXPECT_TRUE(mended->knowsWhatIsKept());
  EXPECT_TRUE(tableOf(*mended, "drive").whole);
  EXPECT_EQ(tableOf(*mended, "drive").rows, 300u);
  EXPECT_FALSE(tableOf(*mended, "said").whole);
  // One page of some twenty rows is lost, and those before it and behind it are not.
  EXPECT_GE(tableOf(*mended, "said").rows, 270u);
  const auto r = Register::open(file);
  ASSERT_TRUE(r);
  EXPECT_EQ((*r)->drives()->size(), 300u);
  EXPECT_EQ((*r)->said("word-1000"), std::string(200, 'w'));
  EXPECT_EQ((*r)->said("word-1299"), std::string(200, 'w'));
  EXPECT_TRUE((*r)->marks("drive-1150").locks("kept/" + std::string(200, 'k')));
}

TEST(RegisterMend, SaysWhenSomethingKeptMayBeForgotten) {
  TempFolder t;
  const PathBytes file = t / "r.sqlite";
  ASSERT_NO_FATAL_FAILURE(fill(file));
  spoil(file, pagesOf(file, "mark").at(3));
  const auto mended = mendRegister(file);
  ASSERT_TRUE(mended);
  EXPECT_FALSE(mended->knowsWhatIsKept());
  EXPECT_TRUE(tableOf(*mended, "said").whole);
}

/// Each page of it in turn: a register stands there afterwards, and what is damaged beside it.
TEST(RegisterMend, AnyPageMayBeDamaged) {
  TempFolder t;
  ASSERT_NO_FATAL_FAILURE(fill(t / "good.sqlite"));
  const auto pages = static_cast<int>(std::filesystem::file_size(t / "good.sqlite") / 4096);
  for (int page = 1; page <= pages; page += 1 + pages / 12) {
    const PathBytes file = t / ("r" + std::to_string(page) + ".sqlite");
    std::filesystem::copy_file(t / "good.sqlite", file);
    spoil(file, page);
    if (Register::open(file)) continue;  // nothing was there
    const auto mended = mendRegister(file);
    if (!mended) {
      EXPECT_EQ(page, 1) << "the first page says what it is";
      EXPECT_EQ(mended.error().code, Errc::notOurs);
      continue;
    }
    ASSERT_TRUE(Register::open(file)) << page;
    EXPECT_TRUE(std::filesystem::exists(mended->aside)) << page;
    std::uint64_t rows = 0;
    for (const MendedTable& table : mended->tables) rows += table.rows;
    EXPECT_GE(rows, drivesNoted * 2u) << page << ": at most one table is lost";
  }
}

}  // namespace
}  // namespace zt::test
