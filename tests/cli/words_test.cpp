// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/words.h"

#include <gtest/gtest.h>

#include <set>

namespace zt::cli {
namespace {

TEST(CliWords, HaveASentenceForEveryError) {
  std::set<std::string> seen;
  for (int code = 0; code <= static_cast<int>(Errc::io); ++code) {
    const std::string text = sentence({static_cast<Errc>(code), "open", "a\nb", 0, "detail"});
    EXPECT_NE(text.find("a\\x0ab"), std::string::npos) << text;
    EXPECT_NE(text.find("detail"), std::string::npos) << text;
    seen.insert(text);
  }
  EXPECT_EQ(seen.size(), static_cast<std::size_t>(Errc::io) + 1);
}

TEST(CliWords, GiveTheDocumentedStatus) {
  const auto status = [](Errc code) { return exitFor({code, "x", {}, 0, {}}); };
  for (const Errc code : {Errc::bedrock, Errc::outsideRoot, Errc::noConsent, Errc::onDrive, Errc::changed,
                          Errc::inUse, Errc::conflict})
    EXPECT_EQ(status(code), refused) << name(code);
  EXPECT_EQ(status(Errc::badInput), usage);
  for (const Errc code :
       {Errc::notThere, Errc::notPermitted, Errc::corrupt, Errc::tooNew, Errc::notOurs, Errc::busy, Errc::io})
    EXPECT_EQ(status(code), failed) << name(code);
}

TEST(CliWords, NameFinds) {
  Find f;
  f.kind = FindKind::dormant;
  f.files = 1;
  f.band = AgeBand::older;
  f.items.push_back({1, "old\x01", {}, 5, {}, {}});
  EXPECT_EQ(title(f), "old\\x01");
  EXPECT_EQ(why(f), "nothing in it modified for more than three years; 1 file");
  f.kind = FindKind::old;
  EXPECT_EQ(title(f), "old files in /");
  f.kind = FindKind::trash;
  f.place = "home/w/Trash";
  EXPECT_EQ(title(f), "trash home/w/Trash");
}

}  // namespace
}  // namespace zt::cli
