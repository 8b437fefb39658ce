// SPDX-License-Identifier: GPL-3.0-or-later
// The validator of place files, a user's own file, and what comes with the program.
#include <gtest/gtest.h>

#include <set>

#include "core/catalogue/place_map.h"
#include "support/code_of.h"

namespace zt::test {
namespace {

std::string problem(std::string_view toml) {
  const Catalogue::Text text{"f.toml", toml};
  const auto parsed = Catalogue::parse(std::span(&text, 1), SystemFamily::linuxFamily);
  if (parsed) return {};
  EXPECT_EQ(codeOf(parsed), Errc::badInput);
  return parsed.error().detail;
}

TEST(ReadPlaces, SaysWhatIsWrongAndWhere) {
  const std::string good = "[[place]]\nid='a'\npaths=['b']\nstanding='spent'\nwhat='w'\n";
  EXPECT_EQ(problem(good), "");
  const std::pair<std::string, std::string> bad[] = {
      {"x", "f.toml, line 1"},
      {"place = 3", "line 1"},
      {"[[place]]\nid='a'", "line 1: no paths"},
      {"[[place]]\nid='a'\npaths=['..']\nstanding='spent'", "line 1: climbing path"},
      {"[[place]]\nid='a'\npaths=['b/../c']", "climbing path"},
      {"[[place]]\nid='a'\npaths=['/b']", "no path from the top"},
      {"[[place]]\nid='a'\npaths=['b/{user}/c']", "{user} stands first"},
      {"[[place]]\nid='a'\npaths=['b/**']", "** stands alone, and before something"},
      {"[[place]]\nid='a'\npaths=['**']", "needs something in it"},
      {"[[place]]\nid='a'\npaths=['b']\n\nstanding='x'", "line 5: standing is unknown: x"},
      {"[[place]]\nid='a'\npaths=['b']\nregret='much'", "line 4: regret is unknown"},
      {"[[place]]\nid='a'\npaths=['b']\ncolour='red'", "line 4: unknown key: colour"},
      {"[[place]]\nid='a'\npaths=['b']\nage='ten'", "line 4: age is no number"},
      {"[[place]]\nid='a'\npaths=['b']\nage=-1", "line 4: age"},
      {"[[place]]\nid='a'\npaths=['b']\nwhole=1", "line 4: whole is neither"},
      {"[[place]]\nid='a'\npaths='b'", "line 3: paths is no list"},
      {"[[place]]\nid='a'\npaths=['b']\nif=['near:x']", "no marker: near:x"},
      {"[[place]]\nid='a'\npaths=['b']\nneeds=['luck']", "unknown need: luck"},
      {"[[place]]\nid='a'\npaths=['b']\nusual='much'", "usual is no span"},
      {"[[place]]\nid='a'\npaths=['b']\ngo='owner'", "command is missing"},
      {"[[place]]\npaths=['b']\nstanding='spent'", "no id"},
      {good + "\n" + good, "line 7: two places are called a"},
      {good + "[[place]]\nid='c'\npaths=['b']", "c and a speak for one path: b"},
  };
  for (const auto& [toml, said] : bad)
    EXPECT_NE(problem(toml).find(said), std::string::npos) << toml << "\n" << problem(toml);
}

TEST(ReadPlaces, ComesWithPlacesOfThreeFamiliesThatAreWhole) {
  std::set<std::string> ids;
  for (const auto family : {SystemFamily::linuxFamily, SystemFamily::nt, SystemFamily::mac}) {
    const Catalogue& c = KnownPlaces::builtIn()->of(family);
    EXPECT_GT(c.places().size(), 80u) << name(family);
    for (const auto& p : c.places()) {
      ids.insert(p->id);
      EXPECT_FALSE(p->what.empty()) << p->id;
      const bool goes = p->standing >= Standing::ownersCall;
      EXPECT_TRUE(!goes || !p->lost.empty() || !p->back.empty() || p->regret == Regret::none) << p->id;
      EXPECT_TRUE(p->standing != Standing::spent || p->regret != Regret::personalGone) << p->id;
      EXPECT_TRUE(p->standing != Standing::rebuilds || p->regret <= Regret::timeOrBandwidth) << p->id;
      EXPECT_TRUE(p->standing > Standing::unjudged || p->go != LetGo::here)
          << p->id << ": nothing to let go here";
    }
  }
  EXPECT_GE(ids.size(), 250u);
}

TEST(ReadPlaces, LetsAUsersFileAddAndTighten) {
  const auto known = KnownPlaces::withOwn(
      "[[place]]\nfamily='linux'\nid='shop-samples'\npaths=['srv/samples/"
      "*']\nstanding='spent'\nregret='none'\nwhat='w'\n"
      "[[place]]\nfamily='any'\nid='shop-archive'\npaths=['{user}/archive']\nstanding='kept'\nwhat='w'\n",
      "places.toml");
  ASSERT_TRUE(known) << known.error().detail;
  const PlaceMap map({{"", "", SystemFamily::linuxFamily, true, false}}, {}, {}, *known);
  EXPECT_EQ(map.standing("srv/samples/one"), Standing::spent);
  EXPECT_EQ(map.standing("home/kim/archive/x"), Standing::kept);
  EXPECT_EQ(map.standing("usr/bin/sh"), Standing::bedrock) << "the rest stays";
}

TEST(ReadPlaces, AnEmptyFileSaysNothingAndNoTextIsObeyed) {
  EXPECT_TRUE(KnownPlaces::withOwn("", "places.toml"));
  EXPECT_TRUE(KnownPlaces::withOwn("# later\n", "places.toml"));
  const auto known = KnownPlaces::withOwn(
      "[[place]]\nfamily='linux'\nid='mine'\npaths=['srv/x']\nstanding='kept'\nwhat=\"a\\u001b[2Jb\"\n",
      "places.toml");
  ASSERT_TRUE(known) << known.error().detail;
  EXPECT_EQ((*known)->find("mine")->what.find('\x1b'), std::string::npos);
}

TEST(ReadPlaces, LetsNobodyLoosenBedrock) {
  const auto own = [](const std::string& path, const std::string& id = "mine") {
    return KnownPlaces::withOwn("[[place]]\nfamily='linux'\nid='" + id + "'\npaths=['" + path +
                                    "']\nstanding='spent'\nregret='none'\nwhat='w'\n",
                                "places.toml");
  };
  for (const char* path : {"usr", "usr/share/doc", "etc/*", "boot/vmlinuz-*", "lib[3-6x]*", "*/.snapshots"}) {
    const auto known = own(path);
    ASSERT_FALSE(known) << path;
    EXPECT_NE(known.error().detail.find("would loosen"), std::string::npos);
  }
  EXPECT_FALSE(own("odd", "settings"));
  // What hides behind wildcards is stopped where it is looked up.
  const auto sly = own("*/bin");
  if (sly) {
    const PlaceMap map({{"", "", SystemFamily::linuxFamily, true, false}}, {}, {}, *sly);
    EXPECT_EQ(map.standing("usr/bin/sh"), Standing::bedrock);
    EXPECT_TRUE(map.locked("usr/bin"));
  }
  EXPECT_FALSE(KnownPlaces::withOwn("[[place]]\nid='a'\npaths=['b']\nwhat='w'", "places.toml"))
      << "whose places these are has to be said";
}

}  // namespace
}  // namespace zt::test
