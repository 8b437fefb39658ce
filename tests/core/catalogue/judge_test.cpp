// SPDX-License-Identifier: GPL-3.0-or-later
// What places say of entries: ages, newest ones, markers, forms, homes.
#include "core/catalogue/judge.h"

#include <gtest/gtest.h>

#include "support/fakes.h"
#include "support/memory_file_system.h"

namespace zt::test {
namespace {

struct Judged : ::testing::Test {
  void add(std::initializer_list<const char*> paths, int days = 0, std::string_view text = "x") {
    for (const char* path : paths) {
      files.add(path, std::string(text));
      if (days > 0) files.age(path, now - days * nsPerDay);
    }
  }
  void judgeAll(SystemFamily family = SystemFamily::linuxFamily, std::vector<HomeRoot> homes = {}) {
    survey = surveyOf(borrowed(files), "/");
    std::vector<SystemRoot> systems;
    if (family != SystemFamily::none) systems.push_back({"", "", family, certain, false});
    map = std::make_unique<PlaceMap>(systems, PathBytes{}, std::move(homes));
    JudgeOptions options;
    options.now = now;
    options.head = [this](NodeId node, std::size_t most) -> std::optional<std::string> {
      return files.content(survey->tree.path(node)).substr(0, most);
    };
    all = judge(*map, survey->tree, options);
  }
  const Sighting& at(const char* path) { return all.all[all.of[*survey->tree.find(path)]]; }
  Standing standing(const char* path) { return at(path).standing; }
  std::string place(const char* path) { return at(path).place == nullptr ? "" : at(path).place->id; }

  MemoryFileSystem files;
  bool certain = true;
  TimeNs now = 1'800'000'000 * nsPerSecond;  // all is old but for what is made younger
  std::shared_ptr<Survey> survey;
  std::unique_ptr<PlaceMap> map;
  Sightings all;
};

TEST_F(Judged, LeavesAloneWhatIsTooYoung) {
  add({"tmp/build/a.tmp", "tmp/build/b.tmp"}, 20);
  add({"tmp/fresh/a.tmp"}, 20);
  add({"tmp/fresh/b.tmp"}, 1);
  judgeAll();
  EXPECT_EQ(standing("tmp/build/a.tmp"), Standing::spent);
  EXPECT_EQ(standing("tmp/fresh/a.tmp"), Standing::unjudged) << "one young file keeps its neighbours";
  EXPECT_EQ(at("tmp/fresh/a.tmp").verdict, Verdict::tooYoung);
}

/// What only looks like a system is nobody's to take apart.
TEST_F(Judged, SaysNothingMildOfASystemThatIsNotCertain) {
  add({"tmp/build/a.tmp", "var/cache/apt/archives/a.deb", "var/log/mail.log.2.gz"}, 90);
  judgeAll();
  EXPECT_EQ(standing("tmp/build/a.tmp"), Standing::spent) << "it would, if it were one";
  certain = false;
  judgeAll();
  for (const char* path : {"tmp/build/a.tmp", "var/cache/apt/archives/a.deb", "var/log/mail.log.2.gz"}) {
    EXPECT_EQ(at(path).verdict, Verdict::uncertain) << path;
    EXPECT_LE(standing(path), Standing::unjudged) << path;
  }
}

/// Somebody works in a repository that lies where packages are fetched to.
TEST_F(Judged, LeavesAWorkingCopyThatLiesInACache) {
  add({"home/kim/shop/package.json", "home/kim/shop/package-lock.json", "home/kim/shop/node_modules/a/i.js",
       "home/kim/shop/node_modules/mine/i.js", "home/kim/shop/node_modules/mine/.git/HEAD"},
      100);
  judgeAll();
  EXPECT_EQ(standing("home/kim/shop/node_modules/a/i.js"), Standing::rebuilds);
  EXPECT_EQ(at("home/kim/shop/node_modules/mine/i.js").verdict, Verdict::foreign);
  EXPECT_LE(standing("home/kim/shop/node_modules/mine/i.js"), Standing::unjudged);
}

TEST_F(Judged, LetsTheNewestOfASeriesStay) {
  add({"var/log/mail.log.1"}, 31);
  add({"var/log/mail.log.2.gz"}, 60);
  add({"var/log/boot.log.1"}, 90);
  judgeAll();
  EXPECT_EQ(at("var/log/mail.log.1").verdict, Verdict::stays);
  EXPECT_EQ(standing("var/log/mail.log.1"), Standing::unjudged) << "a person may be asked";
  EXPECT_EQ(standing("var/log/mail.log.2.gz"), Standing::spent);
  add({"timeshift/snapshots/2023-01-01/x", "timeshift/snapshots/2023-02-01/x"}, 31);
  judgeAll();
  EXPECT_EQ(at("timeshift/snapshots/2023-02-01").verdict, Verdict::stays);
  EXPECT_FALSE(at("timeshift/snapshots/2023-02-01").isNewestToAskFor()) << "the newest way back stays";
  EXPECT_EQ(at("var/log/boot.log.1").verdict, Verdict::stays) << "a series of its own";
}

TEST_F(Judged, AsksMarkersBeforeItSpeaks) {
  add({"var/cache/dnf/a"});
  add({"var/lib/dnf/system-upgrade/list"});
  judgeAll();
  EXPECT_EQ(at("var/cache/dnf/a").verdict, Verdict::unmarked) << "an upgrade is prepared";
  EXPECT_LE(standing("var/cache/dnf/a"), Standing::unjudged);
}

TEST_F(Judged, KnowsFormsInHomesAlone) {
  add({"home/kim/shop/package.json", "home/kim/shop/package-lock.json", "home/kim/shop/node_modules/m/i.js",
       "home/kim/other/node_modules/m/i.js", "home/kim/shop/.git/HEAD", "usr/lib/x/node_modules/m/i.js",
       "usr/lib/x/package.json", "usr/lib/x/package-lock.json", "odd/shop/package.json",
       "odd/shop/package-lock.json", "odd/shop/node_modules/i.js"},
      100);
  judgeAll();
  EXPECT_EQ(place("home/kim/shop/node_modules/m/i.js"), "any-node-modules");
  EXPECT_EQ(standing("home/kim/shop/node_modules"), Standing::rebuilds);
  EXPECT_TRUE(all.part[*survey->tree.find("home/kim/shop/node_modules/m")]);
  EXPECT_EQ(place("home/kim/other/node_modules/m/i.js"), "home") << "no lock file beside it";
  EXPECT_EQ(place("home/kim/shop/.git/HEAD"), "any-version-store");
  EXPECT_EQ(standing("usr/lib/x/node_modules/m/i.js"), Standing::bedrock);
  EXPECT_EQ(standing("odd/shop/node_modules/i.js"), Standing::unjudged);
}

/// Anybody can put a tag anywhere: it says what a backup may skip, not that it comes back.
TEST_F(Judged, ATagAloneSaysNothing) {
  add({"home/kim/a/data"}, 40);
  add({"home/kim/a/CACHEDIR.TAG"}, 40, "Signature: 8a477f597d28d172789f06886806bc55\n# made by a program\n");
  judgeAll();
  EXPECT_EQ(place("home/kim/a/data"), "home");
  EXPECT_EQ(standing("home/kim/a/data"), Standing::ownersCall);
}

TEST_F(Judged, TellsCachesFromRecordsOfOneProgram) {
  add({"home/kim/.config/Shell App/Preferences", "home/kim/.config/Shell App/Cache/Cache_Data/f_00001a",
       "home/kim/.config/Shell App/IndexedDB/x", "home/kim/.config/JetBrains/tool/x",
       "home/kim/.cache/JetBrains/tool/LocalHistory/x", "home/kim/.cache/JetBrains/tool/caches/content.dat",
       "home/kim/.cache/rclone/vfs/remote/new.odt"},
      30);
  judgeAll();
  EXPECT_EQ(standing("home/kim/.config/Shell App/Cache/Cache_Data/f_00001a"), Standing::rebuilds);
  EXPECT_EQ(standing("home/kim/.config/Shell App/IndexedDB/x"), Standing::kept);
  EXPECT_EQ(standing("home/kim/.config/Shell App/Preferences"), Standing::kept);
  EXPECT_EQ(standing("home/kim/.cache/JetBrains/tool/LocalHistory/x"), Standing::kept);
  EXPECT_EQ(standing("home/kim/.cache/JetBrains/tool/caches/content.dat"), Standing::rebuilds);
  EXPECT_EQ(standing("home/kim/.cache/rclone/vfs/remote/new.odt"), Standing::unjudged);
}

TEST_F(Judged, TakesHomesFromTheDrivesOwnList) {
  add({"srv/people/kim/.cache/thumbnails/normal/0123456789abcdef0123456789abcdef.png",
       "srv/people/kim/.ssh/id",
       "srv/people/other/.cache/thumbnails/normal/0123456789abcdef0123456789abcdef.png"},
      30);
  judgeAll(SystemFamily::linuxFamily, {{"srv/people/kim", SystemFamily::linuxFamily}});
  EXPECT_EQ(standing("srv/people/kim/.cache/thumbnails/normal/0123456789abcdef0123456789abcdef.png"),
            Standing::rebuilds);
  EXPECT_EQ(standing("srv/people/kim/.ssh/id"), Standing::kept);
  EXPECT_EQ(place("srv/people/other/.cache/thumbnails/normal/0123456789abcdef0123456789abcdef.png"),
            "served-data");
  EXPECT_TRUE(map->locked("srv/people")) << "what holds a home does not go as a whole";
}

TEST_F(Judged, KnowsNoHomesThatAreNone) {
  add({"Users/Anna/AppData/Local/Temp/a.tmp", "Users/Public/AppData/Local/Temp/a.tmp",
       "Users/DEFAULT/NTUSER.DAT"},
      30);
  judgeAll(SystemFamily::nt);
  EXPECT_EQ(place("Users/Anna/AppData/Local/Temp/a.tmp"), "nt-user-temporary");
  EXPECT_EQ(standing("Users/Anna/AppData/Local/Temp/a.tmp"), Standing::spent);
  EXPECT_EQ(place("Users/Public/AppData/Local/Temp/a.tmp"), "nt-personal-folders");
  EXPECT_EQ(standing("Users/DEFAULT/NTUSER.DAT"), Standing::bedrock);
}

/// An earlier system is what it is made of; somebody's things in it are theirs, whatever they are called.
TEST_F(Judged, LooksIntoTheHomesOfAnEarlierSystem) {
  const auto earlier = [this](const char* own) {
    MemoryFileSystem drive;
    for (const char* path : {"Windows.old/Windows/System32/x.dll", "Windows.old/Users/Kim/desktop.ini",
                             "Windows.old/USERS/Kim/ntuser.dat"})
      drive.add(path, "x");
    if (own != nullptr) drive.add(own, "x");
    survey = surveyOf(borrowed(drive), "/");
    map =
        std::make_unique<PlaceMap>(std::vector<SystemRoot>{{"", "", SystemFamily::nt, true, false},
                                                           {"Windows.old", "", SystemFamily::nt, true, true}},
                                   PathBytes{});
    all = judge(*map, survey->tree, {now, {}});
    EXPECT_EQ(at("Windows.old/Windows/System32/x.dll").standing, Standing::ownersCall);
    EXPECT_EQ(at("Windows.old/Windows/System32/x.dll").regret, Regret::wayBack);
    EXPECT_TRUE(all.part[*survey->tree.find("Windows.old/Windows/System32")]) << "its parts stay together";
    return own == nullptr ? Standing::ownersCall : at(own).standing;
  };
  EXPECT_EQ(earlier(nullptr), Standing::ownersCall);
  EXPECT_EQ(earlier("Windows.old/Users/Kim/thesis.tex"), Standing::unjudged);
  EXPECT_EQ(earlier("Windows.old/Users/Kim/Desktop/no-ending"), Standing::unjudged);
  EXPECT_EQ(at("Windows.old/Users/Kim/Desktop").verdict, Verdict::personal) << "by the highest folder";
  EXPECT_FALSE(all.part[*survey->tree.find("Windows.old/Users/Kim/Desktop/no-ending")]);
}

TEST_F(Judged, JudgesBundlesAsAWhole) {
  add({"Users/kim/Pictures/Best.photoslibrary/originals/a.jpg", "Applications/Tool.app/Contents/Caches/a"},
      90);
  judgeAll(SystemFamily::mac);
  EXPECT_EQ(place("Users/kim/Pictures/Best.photoslibrary/originals/a.jpg"), "mac-photo-library");
  EXPECT_TRUE(all.part[*survey->tree.find("Users/kim/Pictures/Best.photoslibrary/originals")]);
  EXPECT_EQ(standing("Applications/Tool.app/Contents/Caches/a"), Standing::kept);
}

TEST_F(Judged, LooksForFormsOnDataDrives) {
  add({"shop/Cargo.toml", "shop/target/CACHEDIR.TAG", "shop/target/debug/x", "disk.qcow2", "usr/share/x"},
      60);
  judgeAll(SystemFamily::none);
  EXPECT_EQ(standing("usr/share/x"), Standing::unjudged);
  EXPECT_EQ(place("disk.qcow2"), "any-guest-images");
}

}  // namespace
}  // namespace zt::test
