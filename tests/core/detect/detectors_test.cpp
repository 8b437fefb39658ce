// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include "core/detect/trash_info.h"
#include "support/code_of.h"
#include "support/planned.h"

namespace zt::test {
namespace {

constexpr TimeNs presentTime = 2'000'000'000 * nsPerSecond;

/// Adds a file of some age, and sets the folders above to that age where they are younger.
void addAged(MemoryFileSystem& files, const std::string& path, std::size_t size, double days) {
  const auto time = presentTime - static_cast<TimeNs>(days * 86400) * nsPerSecond;
  files.add(path, std::string(size, 'x'))->stat.modified = time;
  for (std::string_view up = parentPath(path); !up.empty(); up = parentPath(up))
    files.add(std::string(up) + "/")->stat.modified = time;
}

TEST(Large, FindsBigFilesAnywhereAndLocksBedrock) {
  MemoryFileSystem files;
  addAged(files, "boot/big.img", 9000, 10);
  addAged(files, "home/w/film.mp4", 50'000, 10);
  addAged(files, "home/w/small", 100, 10);
  const Measured m(borrowed(files), "/", true, presentTime);
  ASSERT_NE(m.find("large", "home/w/film.mp4"), nullptr);
  ASSERT_NE(m.find("large", "boot/big.img"), nullptr);
  EXPECT_EQ(m.find("large", "boot/big.img")->standing, Standing::bedrock);
  EXPECT_EQ(codeOf(lineFor(*m.find("large", "boot/big.img"), m.craft->steps, "discard", {})), Errc::bedrock);
  EXPECT_EQ(m.find("large", "home/w/small"), nullptr);
}

TEST(Dormant, FoldsNestedFoldersIntoTheirTopAndPassesOverBusyOnes) {
  MemoryFileSystem files;
  addAged(files, "old/a/x", 9000, 800);
  addAged(files, "old/b/y", 9000, 900);
  addAged(files, "busy/a/x", 9000, 800);
  addAged(files, "busy/new", 10, 3);
  const Measured m(borrowed(files), "/", false, presentTime);
  ASSERT_NE(m.find("dormant", "old"), nullptr);
  EXPECT_EQ(m.find("dormant", "old/a"), nullptr);
  EXPECT_EQ(m.find("dormant", "busy"), nullptr);
  ASSERT_NE(m.find("dormant", "busy/a"), nullptr);
}

TEST(Old, GathersByPlaceAndAgeBand) {
  MemoryFileSystem files;
  addAged(files, "home/w/docs/a", 100, 500);
  addAged(files, "home/w/pics/b", 100, 600);
  addAged(files, "home/w/pics/c", 100, 2000);
  addAged(files, "home/w/new", 100, 5);
  const Measured m(borrowed(files), "/", true, presentTime);
  int found = 0;
  for (const Find& f : m.finds)
    if (f.kind == "old") {
      ++found;
      EXPECT_EQ(f.place, "home/w");
      EXPECT_EQ(f.items.size(), f.band == AgeBand::older ? 1u : 2u);
    }
  EXPECT_EQ(found, 2);
}

TEST(Trash, ReadsWhereThingsCameFromAndTakesTheInfoAlong) {
  MemoryFileSystem files;
  const std::string trash = "home/w/.local/share/Trash";
  files.add(trash + "/files/open day.mp4", std::string(9000, 'x'));
  files.add(trash + "/info/open day.mp4.trashinfo",
            "[Trash Info]\nPath=/home/w/open%20day.mp4\nDeletionDate=2026-04-12T10:15:00\n");
  files.add("home/v/Trash/notes.txt", "no trash");
  const Measured m(borrowed(files), "/", true, presentTime);
  const Find* f = m.find("trash", trash);
  ASSERT_NE(f, nullptr);
  ASSERT_EQ(f->items.size(), 2u);
  EXPECT_EQ(f->items[0].origin, "/home/w/open day.mp4");
  EXPECT_EQ(f->items[0].deleted, "2026-04-12T10:15:00");
  EXPECT_EQ(m.find("trash", "home/v/Trash"), nullptr);
  EXPECT_EQ(m.find("large", trash + "/files/open day.mp4"), nullptr)
      << "what is in the trash belongs to the trash";
}

TEST(TrashInfo, ReadsHostileText) {
  EXPECT_EQ(parseTrashInfo("[Trash Info]\nPath=a%0Ab%ff\n")->path, "a\nb\xFF");
  EXPECT_EQ(parseTrashInfo("[Trash Info]\nPath=x\nDeletionDate=yesterday\n")->deleted, "");
  for (const char* text :
       {"", "Path=x", "[Other]\nPath=x", "[Trash Info]\nPath=", "[Trash Info]\nPath=a%00b", "[Trash Info]\n"})
    EXPECT_FALSE(parseTrashInfo(text)) << text;
}

TEST(AgeBand, TurnsAtTheLines) {
  EXPECT_EQ(ageBand(presentTime - nsPerDay / 2, presentTime), AgeBand::today);
  EXPECT_EQ(ageBand(presentTime - 364 * nsPerDay, presentTime), AgeBand::year);
  EXPECT_EQ(ageBand(presentTime - 366 * nsPerDay, presentTime), AgeBand::threeYears);
  EXPECT_EQ(ageBand(presentTime - 5000 * nsPerDay, presentTime), AgeBand::older);
  EXPECT_EQ(ageBand(presentTime + nsPerDay, presentTime), AgeBand::today);
}

TEST(Find, SaysHowManyNamesLieElsewhere) {
  MemoryFileSystem files;
  files.add("a/big", std::string(9000, 'x'));
  files.add("b/");
  files.link("a/big", "b/again");
  const Measured m(borrowed(files));
  const Find picked = pickedFind(*m.context, *m.survey->tree.find("a"));
  EXPECT_EQ(picked.linksElsewhere, 1u);
  EXPECT_EQ(picked.gain.sure, 4096u) << "only the folder's own block";
}

}  // namespace
}  // namespace zt::test
