// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/kind_list.h"

#include <gtest/gtest.h>

#include "core/base/path_bytes.h"
#include "core/catalogue/catalogue.h"

namespace zt::test {
namespace {

bool made(const char* pattern, const char* name) {
  const auto read = MadeName::read(pattern);
  EXPECT_TRUE(read) << pattern;
  return read && read->fits(name);
}

TEST(MadeName, KnowsWhatProgramsDrawByLot) {
  EXPECT_TRUE(made("{hex:32}.png", "0123456789abcdefABCDEF0123456789.png"));
  EXPECT_FALSE(made("{hex:32}.png", "0123456789abcdef.png"));
  EXPECT_FALSE(made("{hex:32}.png", "holiday-at-the-pier-with-all-of.png"));
  EXPECT_TRUE(made("{hex}", "deadbeef"));
  EXPECT_FALSE(made("{hex}", "facade")) << "a word of few letters is no number";
  EXPECT_TRUE(made("tmp.{lot:10}", "tmp.aB3dE6gH9j"));
  EXPECT_FALSE(made("tmp.{lot:10}", "tmp.letter"));
  EXPECT_TRUE(made("cc{lot:6}.o", "ccAb12Cd.o"));
  EXPECT_TRUE(made("core.*.{digits}.zst", "core.a.b.77.zst"));
  EXPECT_FALSE(made("core.*.{digits}.zst", "core.a.b.seven.zst"));
  EXPECT_TRUE(made("*[[][0-9]].png", "logo[1].png"));
  EXPECT_FALSE(MadeName::read("{luck}"));
  EXPECT_FALSE(MadeName::read("[a-z"));
  EXPECT_FALSE(MadeName::read("{hex:0}"));
}

TEST(MadeName, AnOpenEndTakesNoNameWithAnEnding) {
  EXPECT_TRUE(made("data_*", "data_3"));
  EXPECT_FALSE(made("data_*", "data_thesis.odt"));
  EXPECT_TRUE(made("lib*.so.[0-9]*", "libtool.so.1.2"));
}

TEST(KindList, TellsNamesFromWays) {
  std::string wrong;
  const std::vector<std::string> patterns{"*.js", "./stats", "normal/{hex:32}.png", "**/deps/*.d"};
  const auto list = KindList::read(patterns, wrong);
  ASSERT_TRUE(list) << wrong;
  const auto fits = [&](const char* path) { return list->fits(splitPath(path), 1, false); };
  EXPECT_TRUE(fits("top/a/b/c.min.js"));
  EXPECT_TRUE(fits("top/stats"));
  EXPECT_FALSE(fits("top/a/stats"));
  EXPECT_TRUE(fits("top/normal/0123456789abcdef0123456789abcdef.png"));
  EXPECT_FALSE(fits("top/0123456789abcdef0123456789abcdef.png"));
  EXPECT_TRUE(fits("top/a/deps/x.d"));
  EXPECT_TRUE(fits("top/deps/x.d"));
  EXPECT_FALSE(fits("top/x.d"));
  EXPECT_FALSE(fits("top/.js")) << "a name, not an ending";
}

/// A place that may go by itself says what its maker makes there, and no list takes what persons make.
TEST(KindList, EveryPlaceThatGoesHasOneAndNoneTakesPersonalThings) {
  const std::vector<std::string> personal{
      "thesis.odt", "letter.docx", "scan.pdf",  "pier.jpg",   "IMG_0001.HEIC", "song.flac", "film.mkv",
      "vault.kdbx", "id_ed25519",  "mail.mbox", "1.eml",      "guest.qcow2",   "disk.vhdx", "backup.tar.gz",
      "photos.zip", "wallet.dat",  "notes.md",  "table.xlsx", "store.sqlite",  "plan.dwg",  "no-ending"};
  for (const auto family : {SystemFamily::linuxFamily, SystemFamily::nt, SystemFamily::mac})
    for (const auto& place : KnownPlaces::builtIn()->of(family).places()) {
      if (!place->byKinds()) continue;
      EXPECT_FALSE(place->holds.empty()) << place->id;
      for (const std::string& name : personal)
        for (const char* folder : {"top/", "top/a/", "top/src/main/"}) {
          // A program's own store may be called so ("wallet.dat" among an editor's indexes): told by its way
          // alone.
          if (name == "wallet.dat") continue;
          const std::string path = folder + name;
          EXPECT_FALSE(place->holds.fits(splitPath(path), 1, foldsCase(family)))
              << place->id << " takes " << path;
        }
    }
}

}  // namespace
}  // namespace zt::test
