// SPDX-License-Identifier: GPL-3.0-or-later
// Finds of what is known: leftovers, caches, trash of three families, packages, arrivals, backups; their
// evidence, the ladder, and what may be proposed.
#include <gtest/gtest.h>

#include "core/detect/trash_info.h"
#include "core/finds/evidence.h"
#include "core/plan/ladder.h"
#include "core/plan/plan_json.h"
#include "core/plan/proposer.h"
#include "core/query/narrowing.h"
#include "support/planned.h"

namespace zt::test {
namespace {

constexpr TimeNs today = 1'800'000'000 * nsPerSecond;

struct Knowing : ::testing::Test {
  void add(const std::string& path, std::size_t size, int days = 400) {
    files->add(path, std::string(size, 'x'));
    files->age(path, today - days * nsPerDay);
  }
  void text(const std::string& path, const std::string& content) { files->add(path, content); }
  void look(SystemFamily family = SystemFamily::linuxFamily) {
    survey = surveyOf(files, "/");
    options.now = today;
    if (options.largeBytes == 0) options.largeBytes = 5'000;
    std::vector<SystemRoot> systems;
    if (family != SystemFamily::none) systems.push_back({"", "", family, true, false});
    context = std::make_shared<FindContext>(survey, PlaceMap(std::move(systems), {}), options);
    auto detected = detectAll(craft->detectors, {context, files, files->openRoot("/").value()}, {}, {});
    for (const auto& problem : detected.problems) ADD_FAILURE() << problem.detector << problem.error.detail;
    finds = std::move(detected.finds);
    for (Find& f : finds) priceOffers(f, craft->steps);
  }
  const Find* find(std::string_view kind, std::string_view place = {}) const {
    for (const Find& f : finds)
      if (f.kind == kind && (place.empty() || f.place == place || f.items.front().path == place)) return &f;
    return nullptr;
  }
  std::string fact(const Find& f, std::string_view id) const {
    for (const Fact& x : f.facts)
      if (x.id == id && std::holds_alternative<std::string>(x.value)) return std::get<std::string>(x.value);
    return {};
  }
  Evidence evidence(const Find& f) const {
    const Find* one = &f;
    return EvidenceDesk(*context, std::span(&one, 1), 0).of(f);
  }
  std::shared_ptr<MemoryFileSystem> files = std::make_shared<MemoryFileSystem>();
  std::shared_ptr<Survey> survey;
  FindOptions options;
  ContextPtr context;
  std::shared_ptr<const Craft> craft = builtInCraft();
  std::vector<Find> finds;
};

TEST_F(Knowing, WeighsThePackagesOfPacman) {
  text("etc/os-release", "ID=demo\n");
  const auto package = [&](const std::string& name, const std::string& rest, const std::string& list) {
    const std::string at = "var/lib/pacman/local/" + name + "-1.0-1/";
    text(at + "desc", "%NAME%\n" + name + "\n\n%VERSION%\n1.0-1\n\n%ARCH%\nx86_64\n\n" + rest);
    text(at + "files", "%FILES%\nusr/\n" + list + "\n%BACKUP%\netc/x\tabc\n");
  };
  package("viewer", "%DEPENDS%\nviewer-data>=1\nglibc\n", "usr/bin/viewer\n");
  package("viewer-data", "%REASON%\n1\n", "usr/share/viewer/data\n");
  package("glibc", "%REASON%\n1\n", "usr/lib/libc.so.6\n");
  text("var/lib/pacman/local/torn-1/desc", "%NAME%\n../../etc\n%VERSION%\n1\n");
  add("usr/bin/viewer", 9'000);
  add("usr/share/viewer/data", 20'000);
  add("usr/lib/libc.so.6", 9'000);
  look();
  std::map<std::string, const Find*> programs;
  for (const Find& f : finds)
    if (f.kind == "programs") programs[fact(f, "package")] = &f;
  ASSERT_TRUE(programs.contains("viewer"));
  EXPECT_EQ(programs.size(), 3u) << "a name that climbs is no package";
  EXPECT_EQ(programs["viewer"]->items[0].occupied,
            survey->tree.occupied(survey->tree.find("usr/bin/viewer").value()) +
                survey->tree.occupied(survey->tree.find("usr/share/viewer/data").value()))
      << "with what is there for it alone";
  EXPECT_EQ(fact(*programs["viewer"], "command"), "pacman -Rs viewer");
  EXPECT_EQ(fact(*programs["viewer"], "goes-with"), "viewer-data");
  EXPECT_EQ(programs["viewer-data"]->standing, Standing::bedrock) << "somebody else's need";
  EXPECT_EQ(programs["glibc"]->standing, Standing::bedrock);
}

TEST_F(Knowing, TellsRuntimesThatNobodyNames) {
  text("etc/os-release", "ID=demo\n");
  const auto branch = [&](const std::string& path, const std::string& metadata) {
    text("var/lib/flatpak/" + path + "/abc123/metadata", metadata);
    add("var/lib/flatpak/" + path + "/abc123/files/lib", 9'000);
  };
  branch("app/org.demo.Viewer/x86_64/stable",
         "[Application]\nname=org.demo.Viewer\nruntime=org.demo.Platform/x86_64/2\n");
  branch("runtime/org.demo.Platform/x86_64/2", "[Runtime]\nname=x\n[Extension org.demo.GL]\nversion=1\n");
  branch("runtime/org.demo.Platform/x86_64/1", "[Runtime]\n");
  branch("runtime/org.demo.Platform.Locale/x86_64/2", "[Runtime]\n");
  branch("runtime/org.demo.GL.driver/x86_64/1", "[Runtime]\n");
  branch("runtime/org.other.Platform/x86_64/9", "[Runtime]\n");
  const auto unused = [&] {
    look();
    std::set<std::string> names;
    for (const Find& f : finds)
      if (fact(f, "wanted") == "unused") names.insert(fact(f, "package"));
    return names;
  };
  using Names = std::set<std::string>;
  EXPECT_EQ(unused(), (Names{"org.demo.Platform/x86_64/1", "org.other.Platform/x86_64/9"}));
  const Find* app = nullptr;
  for (const Find& f : finds)
    if (f.kind == "programs" && fact(f, "package") == "org.demo.Viewer") app = &f;
  ASSERT_NE(app, nullptr);
  EXPECT_EQ(app->offers.front().action, "advise") << "only its manager can let it go";
  EXPECT_FALSE(mayPropose(*app, {}));
  files->add("var/lib/flatpak/app/org.demo.Torn/x86_64/stable/abc/files/x", "1");
  EXPECT_EQ(unused(), Names{}) << "of one it is not known what it needs";
}

/// What was noted with a file says that it can be fetched again, whatever it is called.
TEST_F(Knowing, BelievesARecordedOrigin) {
  for (const char* name : {"a.pdf", "b.pdf", "c.pdf", "d.pdf"})
    add(std::string("home/warden/Downloads/") + name, 1'500'000, 200);
  files->add("home/warden/Downloads/small.pdf", "x")->attributes["user.xdg.origin.url"] =
      "https://x.example/";
  const auto node = [&](const char* name) {
    return files->add(std::string("home/warden/Downloads/") + name, std::string(1'500'000, 'x'));
  };
  node("a.pdf")->attributes["user.xdg.origin.url"] = "https://x.example/a.pdf";
  node("b.pdf")->attributes["user.Zone.Identifier"] =
      "[ZoneTransfer]\r\nZoneId=3\r\nHostUrl=https://x.example/b\r\n";
  node("c.pdf")->attributes["user.Zone.Identifier"] = "[ZoneTransfer]\r\nZoneId=3\r\n";
  look();
  std::set<std::string> again;
  for (const Find& f : finds)
    if (f.kind == "arrivals" && fact(f, "arrived") == "can-be-fetched")
      for (const Subject& s : f.items) again.emplace(baseName(s.path));
  EXPECT_EQ(again, (std::set<std::string>{"a.pdf", "b.pdf"}));
}

/// What was thrown away and the record of it are one thing to a rule.
TEST_F(Knowing, ARuleOnATrashTakesRecordsAlong) {
  const auto thrown = [&](const std::string& name, const char* when) {
    add("home/warden/.local/share/Trash/files/" + name, 9'000);
    text("home/warden/.local/share/Trash/info/" + name + ".trashinfo",
         "[Trash Info]\nPath=/x/" + name + "\nDeletionDate=" + when + "\n");
  };
  thrown("first", "2020-01-01T10:00:00");
  thrown("second", "2021-01-01T10:00:00");
  thrown("third", "2022-01-01T10:00:00");
  look();
  const Find* trash = find("trash");
  ASSERT_NE(trash, nullptr);
  ASSERT_EQ(trash->items.size(), 6u);
  const auto names = [&](const Narrowing& by) {
    std::vector<std::string> all;
    for (const Find& f : narrowed(std::span(&trash, 1), by, *context))
      for (const Subject& s : f.items) all.emplace_back(baseName(s.path));
    std::sort(all.begin(), all.end());
    return all;
  };
  using Names = std::vector<std::string>;
  EXPECT_EQ(names({0, 1, {}, {}}), (Names{"first", "first.trashinfo", "second", "second.trashinfo"}));
  EXPECT_EQ(names({timeOfDate("2020-06-01T00:00:00"), 0, {}, {}}), (Names{"first", "first.trashinfo"}));
  EXPECT_EQ(names({0, 0, {trash->items.front().path}, {}}).size(), 4u);
  EXPECT_EQ(names({0, 9, {}, {}}), Names{});
  const KnownKinds kinds = knownKinds(*craft);
  const Find again = findFromJson(toJson(*trash), kinds).value();
  EXPECT_EQ(again.items.back().recordOf, trash->items.back().recordOf)
      << "also of a job that was opened again";
  EXPECT_FALSE(again.items.back().recordOf.empty());
}

/// What is known by its form lies in a thousand folders: one find, and not a thousand.
TEST_F(Knowing, GathersWhatIsSmallAndEverywhere) {
  text("etc/os-release", "ID=demo\n");
  options.largeBytes = 50'000;
  for (int i = 0; i < 60; ++i)
    add("home/warden/code/part-" + std::to_string(i) + "/__pycache__/a.cpython-311.pyc", 4'000);
  add("home/warden/code/big/__pycache__/b.cpython-311.pyc", 90'000);
  add("home/ringer/tool/x/__pycache__/c.cpython-311.pyc", 4'000);
  look();
  std::multiset<std::size_t> things;
  for (const Find& f : finds)
    if (f.kind == "caches") things.insert(f.items.size());
  EXPECT_EQ(things, (std::multiset<std::size_t>{1, 1, 60})) << "what is large stands for itself";
  const Find* many = nullptr;
  for (const Find& f : finds)
    if (f.items.size() == 60) many = &f;
  ASSERT_NE(many, nullptr);
  EXPECT_EQ(many->place, "home/warden/code");
}

TEST_F(Knowing, ARuleLeavesAWholeAlone) {
  add("boot/one", 9'000);
  add("boot/two", 9'000);
  look();
  Find both = pickedFind(*context, survey->tree.find("boot/one").value());
  both.items.push_back(context->subject(survey->tree.find("boot/two").value()));
  const Find* one = &both;
  EXPECT_EQ(narrowed(std::span(&one, 1), {0, 1, {}, {}}, *context).size(), 1u);
  both.whole = true;
  EXPECT_TRUE(narrowed(std::span(&one, 1), {0, 1, {}, {}}, *context).empty());
  EXPECT_EQ(narrowed(std::span(&one, 1), {today, 0, {}, {}}, *context).size(), 1u);
}

TEST_F(Knowing, EmptiesAFolderAndLeavesItStanding) {
  add("var/cache/man/index.db", 9'000);
  add("var/cache/man/CACHEDIR.TAG", 8'000);
  look();
  const Find* f = find("caches");
  ASSERT_NE(f, nullptr);
  EXPECT_EQ(f->place, "var/cache/man");
  EXPECT_EQ(f->items.size(), 2u);
  EXPECT_EQ(f->offers.front().action, "empty");
  EXPECT_EQ(f->standing, Standing::rebuilds);
  EXPECT_TRUE(mayPropose(*f, {}));
  for (const Subject& s : f->items) EXPECT_NE(s.path, "var/cache/man") << "the folder is nobody's to take";
}

TEST_F(Knowing, LeavesWhatIsHeldOpenAndSaysSo) {
  add("home/kim/.cache/tool/data", 9'000);
  add("home/kim/.cache/tool/lock", 100);
  look();
  options.openInodes = {
      {{0, survey->tree.inode(survey->tree.find("home/kim/.cache/tool/lock").value())}, "tool"}};
  look();
  const Find* f = find("caches");
  ASSERT_NE(f, nullptr);
  ASSERT_EQ(f->items.size(), 1u);
  EXPECT_EQ(f->items[0].path, "home/kim/.cache/tool/data");
  EXPECT_EQ(numberIn(*f, "held-open"), 1u);
  // It comes later, whichever folder goes: named once, with who holds it.
  const NodeId lock = survey->tree.find("home/kim/.cache/tool/lock").value();
  const std::vector<Subject> both{context->subject(survey->tree.find("home").value()),
                                  context->subject(lock)};
  EXPECT_EQ(context->openIn(both), std::vector<NodeId>{lock});
  EXPECT_EQ(context->holderOf(lock), "tool");
  EXPECT_TRUE(context->openIn(f->items).empty());
  EXPECT_EQ(context->gainOf(std::span(both).subspan(1)).sure, 0u);
}

TEST_F(Knowing, SkipsWhatADeeperPlaceKeeps) {
  add("home/kim/.cache/JetBrains/ide/caches/a", 9'000);
  add("home/kim/.cache/JetBrains/ide/LocalHistory/b", 9'000);
  add("home/kim/.cache/JetBrains/ide/other/c", 9'000);
  look();
  for (const Find& f : finds)
    for (const Subject& s : f.items)
      EXPECT_TRUE(f.kind != "caches" || s.path.find("LocalHistory") == PathBytes::npos) << s.path;
  EXPECT_NE(find("caches"), nullptr);
}

TEST_F(Knowing, TellsTheOldTrashFromTheYoung) {
  text("home/kim/.local/share/Trash/files/old", std::string(9'000, 'x'));
  text("home/kim/.local/share/Trash/info/old.trashinfo",
       "[Trash Info]\nPath=/home/kim/old\nDeletionDate=2026-01-01T10:00:00\n");
  text("home/kim/.local/share/Trash/files/new", std::string(8'000, 'x'));
  text("home/kim/.local/share/Trash/info/new.trashinfo",
       "[Trash Info]\nPath=/home/kim/new\nDeletionDate=2027-01-10T10:00:00\n");
  text("home/kim/.local/share/Trash/files/odd", std::string(7'000, 'x'));
  look();
  int seen = 0;
  for (const Find& f : finds) {
    if (f.kind != "trash") continue;
    ++seen;
    const bool old = fact(f, "thrown-away") == "long-ago";
    EXPECT_EQ(f.standing, old ? Standing::spent : Standing::ownersCall);
    EXPECT_EQ(f.regret, old ? Regret::none : Regret::wayBack);
    EXPECT_EQ(f.items.size(), old ? 2u : 3u);
    EXPECT_EQ(numberIn(f, "no-date"), old ? 0u : 1u) << "without a date it is taken for young";
  }
  EXPECT_EQ(seen, 2);
}

TEST_F(Knowing, ReadsTheTrashOfTheNtFamily) {
  std::string record(24, '\0');
  record[0] = 2;
  const std::uint64_t time = 116'444'736'000'000'000 + 1'600'000'000ULL * 10'000'000;
  for (int i = 0; i < 8; ++i)
    record[static_cast<std::size_t>(16 + i)] = static_cast<char>(time >> (8 * i) & 0xFF);
  record += std::string("\5\0\0\0", 4);
  for (const char c : std::string("C:\\a")) record += std::string{c, '\0'};
  record += std::string(2, '\0');
  text("$Recycle.Bin/S-1-5-21-1/$RABC123.txt", std::string(9'000, 'x'));
  text("$Recycle.Bin/S-1-5-21-1/$IABC123.txt", record);
  text("$Recycle.Bin/S-1-5-21-1/desktop.ini", "x");
  text("$Recycle.Bin/S-1-5-21-1/$RLONELY", std::string(6'000, 'x'));
  text("$Recycle.Bin/S-1-5-21-1/$ICUT", "cut");
  look(SystemFamily::none);
  std::size_t things = 0;
  for (const Find& f : finds)
    if (f.kind == "trash") {
      things += f.items.size();
      for (const Subject& s : f.items) EXPECT_EQ(s.path.find("desktop.ini"), PathBytes::npos);
      EXPECT_TRUE(fact(f, "thrown-away") != "long-ago" || f.items[0].origin == "C:/a");
    }
  EXPECT_EQ(things, 3u) << "a thing with its record, and one without";
}

TEST_F(Knowing, TakesSupersededKernelsAsOneThingEach) {
  add("var/lib/dpkg/status", 100);
  for (const char* v : {"6.1.0-9", "6.1.0-17", "6.1.0-25"}) {
    add(std::string("boot/vmlinuz-") + v, 9'000);
    add(std::string("boot/initrd.img-") + v, 9'000);
    add(std::string("usr/lib/modules/") + v + "/x.ko", 9'000);
  }
  options.machine.kernel = "6.1.0-17";
  look();
  const Find* f = find("packages");
  ASSERT_NE(f, nullptr);
  EXPECT_EQ(fact(*f, "kernel-version"), "6.1.0-9") << "the running one and the newest stay";
  EXPECT_EQ(f->items.size(), 3u);
  ASSERT_EQ(f->offers.size(), 1u);
  EXPECT_EQ(f->offers[0].action, "advise");
  EXPECT_EQ(f->offers[0].gain.sure, 0u) << "nobody is sure of what others do";
  EXPECT_EQ(std::count_if(finds.begin(), finds.end(), [](const Find& x) { return x.kind == "packages"; }), 1);
  // A running kernel that is not there says that the list cannot be trusted.
  options.machine.kernel = "5.0.0";
  look();
  EXPECT_EQ(find("packages"), nullptr);
}

/// Whether a memory file is used, and what sets it up, by the system's own settings.
TEST_F(Knowing, TellsWhatAMemoryFileIsFor) {
  text("etc/os-release", "ID=demo\n");
  text("etc/fstab", "# /swap.img none swap\n  /swapfile none swap sw 0 0\n");
  text("etc/default/grub", "#resume=no\nGRUB_CMDLINE_LINUX=\"resume=UUID=1\"\n");
  text("etc/systemd/system/var-swap.swap", "[Swap]\n");
  for (const char* file : {"swapfile", "swap.img", "var/swap"}) add(file, 9'000);
  look();
  options.openInodes = {{{0, survey->tree.inode(survey->tree.find("swapfile").value())}, "swap"}};
  options.machine.memory = 18'000;
  options.live = true;
  look();
  const Find* used = find("memory-files", "swapfile");
  ASSERT_NE(used, nullptr);
  EXPECT_EQ(fact(*used, "memory-set-up"), "fstab");
  EXPECT_EQ(fact(*used, "memory-use"), "now");
  EXPECT_EQ(numberIn(*used, "installed-memory"), 18'000u);
  EXPECT_TRUE(hasFact(*used, "memory-resume"));
  EXPECT_EQ(fact(*find("memory-files", "swap.img"), "memory-set-up"), "none")
      << "it is only named in a comment";
  EXPECT_EQ(fact(*find("memory-files", "swap.img"), "memory-use"), "not-now");
  EXPECT_EQ(fact(*find("memory-files", "var/swap"), "memory-set-up"), "unit");
  text("etc/default/grub", "#resume=UUID=1\n");
  look();
  EXPECT_FALSE(hasFact(*find("memory-files", "swapfile"), "memory-resume"));
}

/// Its own system would take along what persons left in an earlier one: no proposal does that, and what they
/// left goes by their own hand.
TEST_F(Knowing, NoProposalTakesPersonsThingsAlongWithAnEarlierSystem) {
  for (const char* own : {"Windows.old/Windows/System32/ntoskrnl.exe", "Windows.old/Windows/WinSxS/x.dll"})
    add(own, 90'000);
  const auto leftovers = [&](bool persons) {
    if (persons) add("Windows.old/Users/kim/Pictures/a.jpg", 50'000);
    survey = surveyOf(files, "/");
    options.now = today;
    options.largeBytes = 5'000;
    std::vector<SystemRoot> systems{{"", "", SystemFamily::nt, true, false},
                                    {"Windows.old", "", SystemFamily::nt, true, true}};
    context = std::make_shared<FindContext>(survey, PlaceMap(std::move(systems), {}), options);
    auto detected = detectAll(craft->detectors, {context, files, files->openRoot("/").value()}, {}, {});
    std::vector<Find> all;
    for (Find& f : detected.finds)
      if (f.kind == "leftovers") priceOffers(f, craft->steps), all.push_back(std::move(f));
    return all;
  };
  const auto alone = leftovers(false);
  ASSERT_EQ(alone.size(), 1u);
  EXPECT_EQ(alone[0].offers[0].action, "advise");
  EXPECT_TRUE(mayPropose(alone[0], {}));
  const auto both = leftovers(true);
  ASSERT_EQ(both.size(), 2u);
  for (const Find& f : both) {
    EXPECT_FALSE(mayPropose(f, {})) << f.place;
    if (hasFact(f, "personal-files")) {
      EXPECT_EQ(f.standing, Standing::unjudged);
      EXPECT_EQ(f.offers[0].action, "discard") << "by their own hand";
    } else {
      EXPECT_EQ(numberIn(f, "takes-along"), 1u);
    }
  }
}

TEST_F(Knowing, WeighsProgramsByWhatTheyOccupy) {
  text("var/lib/dpkg/status",
       "Package: painter\nStatus: install ok installed\nArchitecture: amd64\nDepends: colours\n\n"
       "Package: colours\nStatus: install ok installed\nArchitecture: amd64\n\n"
       "Package: base\nStatus: install ok installed\nEssential: yes\nArchitecture: amd64\n\n");
  text("var/lib/apt/extended_states", "Package: colours\nAuto-Installed: 1\n\n");
  text("var/lib/dpkg/info/painter.list", "/.\n/usr\n/usr/bin/painter\n/usr/share/none\n");
  text("var/lib/dpkg/info/colours:amd64.list", "/usr/share/colours/a\n");
  text("var/lib/dpkg/info/base.list", "/usr/bin/base\n");
  add("usr/bin/painter", 9'000);
  add("usr/share/colours/a", 8'000);
  add("usr/bin/base", 7'000);
  look();
  const Find* painter = find("programs", "painter");
  ASSERT_NE(painter, nullptr);
  EXPECT_EQ(painter->gain.atMost, survey->tree.occupied(*survey->tree.find("usr/bin/painter")) +
                                      survey->tree.occupied(*survey->tree.find("usr/share/colours/a")))
      << "with what is there for it alone";
  EXPECT_EQ(painter->gain.when, GainTime::later);
  EXPECT_EQ(fact(*painter, "goes-with"), "colours");
  EXPECT_EQ(fact(*find("programs", "colours"), "wanted"), "pulled-in");
  EXPECT_EQ(find("programs", "base")->standing, Standing::bedrock);
  for (const Find& f : finds) EXPECT_TRUE(f.kind != "programs" || !mayPropose(f, {})) << f.id;
}

TEST_F(Knowing, FollowsTheUsersOwnFolderForDownloads) {
  text("home/kim/.config/user-dirs.dirs", "XDG_DOWNLOAD_DIR=\"$HOME/Eingang\"\n");
  add("home/kim/Eingang/setup.deb", 9'000);
  add("home/kim/Eingang/letter.odt", 9'000);
  add("home/lee/Downloads/disk.iso", 9'000);
  look();
  int fetch = 0;
  int papers = 0;
  for (const Find& f : finds)
    if (f.kind == "arrivals") {
      (fact(f, "arrived") == "can-be-fetched" ? fetch : papers)++;
      EXPECT_FALSE(mayPropose(f, {})) << "nobody's but a person's";
    }
  EXPECT_EQ(fetch, 2);
  EXPECT_EQ(papers, 1);
}

TEST_F(Knowing, TellsStaleCopiesFromLivingOnes) {
  add("srv/pc-backup-2019.img", 9'000, 900);
  add("srv/pc-backup-now.img", 9'000, 1);
  add("srv/holiday-2019-07-01.jpg", 9'000, 900);
  for (const char* day : {"2024-01-01", "2024-02-01", "2024-03-01", "2024-04-01"})
    add(std::string("srv/days/") + day + "/own.jpg", 9'000, 900);
  look();
  EXPECT_NE(find("stale-backups", "srv/pc-backup-2019.img"), nullptr);
  EXPECT_EQ(find("stale-backups", "srv/pc-backup-now.img"), nullptr);
  EXPECT_EQ(find("stale-backups", "srv/holiday-2019-07-01.jpg"), nullptr);
  EXPECT_EQ(find("stale-backups", "srv/days"), nullptr) << "dated, but nothing is shared: pictures by day";
}

TEST_F(Knowing, KnowsNamesakesAndUsualSizes) {
  add("home/kim/film.mkv", 1'200'000);
  add("srv/copy/film.mkv", 1'200'000);
  add("srv/other/film.mkv", 1'100'000);
  look();
  const Find* film = find("large", "home/kim/film.mkv");
  ASSERT_NE(film, nullptr);
  const Evidence e = evidence(*film);
  ASSERT_EQ(e.namesakes.size(), 1u) << "same name and same length";
  EXPECT_EQ(e.namesakes[0].path, "srv/copy/film.mkv");
  add("usr/lib/big", 9'000);
  look();
  const Find* tree = find("components", "usr");
  ASSERT_NE(tree, nullptr);
  EXPECT_TRUE(tree->offers.empty());
  EXPECT_EQ(evidence(*tree).size, SizeVerdict::small) << "a system is bigger than that";
}

TEST_F(Knowing, BuildsTheLadderFromTheGround) {
  add("var/cache/man/index.db", 9'000);
  add("var/crash/20240101.crash", 8'000);
  add("home/kim/film.mkv", 50'000);
  add("home/kim/.local/share/flatpak/x", 9'000);
  look();
  std::vector<const Find*> all;
  for (const Find& f : finds) all.push_back(&f);
  const Ladder ladder = ladderOf(all, *context, {});
  const auto at = [&](Regret r) { return ladder.rungs[static_cast<std::size_t>(r)]; };
  EXPECT_GT(at(Regret::timeOrBandwidth).adds, 8'999u);
  EXPECT_GT(at(Regret::wayBack).adds, 7'999u);
  EXPECT_EQ(at(Regret::personalGone).steps, 0u) << "never by itself";
  EXPECT_GE(ladder.decisions, 1u);
  Marks marks;
  marks.set("var/cache/man", Mark::keep);
  EXPECT_EQ(ladderOf(all, *context, marks).rungs[1].steps, 0u);
}

TEST_F(Knowing, AdvisesAndTouchesNothing) {
  add("var/log/journal/m/system.journal", 9'000);
  look();
  const Find* f = find("leftovers");
  ASSERT_NE(f, nullptr);
  const auto line = lineFor(*f, craft->steps, "advise", {});
  ASSERT_TRUE(line);
  Plan plan;
  plan.lines.push_back(*line);
  EXPECT_EQ(plannedGain(plan, *context).sure, 0u);
  EXPECT_GT(plannedGain(plan, *context).atMost, 0u);
  EXPECT_TRUE(consentFor(plan).lines.empty()) << "nothing is done here, so nobody is asked";
  EXPECT_TRUE(outermostItems(plan, context->gain).empty());
  EXPECT_TRUE(checkLocks(plan, *context, {}));
}

TEST_F(Knowing, FindsStoresOfManySmallFiles) {
  for (int i = 0; i < 2'100; ++i) add("home/kim/letters/" + std::to_string(i), 100, 10);
  add("home/kim/few/a", 9'000, 10);
  look();
  const Find* f = find("many-small");
  ASSERT_NE(f, nullptr);
  EXPECT_EQ(f->items.front().path, "home/kim/letters");
  EXPECT_FALSE(mayPropose(*f, {}));
}

/// A data drive with a folder called like a system's: nothing of it may be taken for junk.
TEST_F(Knowing, TakesNothingForJunkOnADataDrive) {
  for (const char* path :
       {"tmp/a", "var/tmp/b", "var/cache/man/c", "Windows/Temp/d", "Windows.old/e", "Library/Caches/f",
        "private/tmp/g", "home/kim/.cache/h", "Users/kim/AppData/Local/Temp/i"})
    add(path, 9'000);
  look(SystemFamily::none);
  for (const Find& f : finds) EXPECT_FALSE(mayPropose(f, {})) << f.kind << " " << f.place;
}

}  // namespace
}  // namespace zt::test
