// SPDX-License-Identifier: GPL-3.0-or-later
// Somebody's things in every place that may go, on a real drive whose things are all old: none of them may
// ever be proposed, and what is really waste around them still is.
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <random>
#include <set>

#include "core/job/job.h"
#include "support/fakes.h"
#include "support/loop_drive.h"
#include "support/run_program.h"
#include "support/seed.h"

namespace zt::test {
namespace {

namespace fs = std::filesystem;

/// A place that may go: a folder in which traps are laid, what is waste in it, and what must be there for the
/// place to speak.
struct Nook {
  const char* folder;
  const char* waste;
  std::vector<const char*> signs = {};
};

const std::vector<Nook>& linuxNooks() {
  static const std::vector<Nook> all{
      {"tmp/job", "tmp/job.tmp"},
      {"var/tmp/job", "var/tmp/build-7.tmp"},
      {"var/cache/apt/archives", "var/cache/apt/archives/tool_1.0_amd64.deb"},
      {"var/cache/dnf", "var/cache/dnf/base/packages/tool.rpm"},
      {"var/cache/pacman/pkg",
       "var/cache/pacman/pkg/tool-1-x86_64.pkg.tar.zst",
       {"var/cache/pacman/pkg/tool-2-x86_64.pkg.tar.zst", "var/cache/pacman/pkg/tool-3-x86_64.pkg.tar.zst"}},
      {"var/cache/man", "var/cache/man/de/index.db"},
      {"var/log/old", "var/log/syslog.7.gz", {"var/log/syslog.6.gz"}},
      {"var/lib/systemd/coredump",
       "var/lib/systemd/coredump/core.tool.1000.0123456789abcdef0123456789abcdef.77.1600000000.zst"},
      {"var/crash", "var/crash/_usr_bin_tool.1000.crash"},
      {"home/kim/.cache", "home/kim/.cache/thumbnails/normal/0123456789abcdef0123456789abcdef.png"},
      {"home/kim/.cache/thumbnails/large",
       "home/kim/.cache/thumbnails/large/fedcba9876543210fedcba9876543210.png"},
      {"home/kim/.cache/obexd", "home/kim/.cache/fontconfig/0123456789abcdef0123456789abcdef-le64.cache-7"},
      {"home/kim/.cache/mozilla/firefox/k.default/cache2/entries",
       "home/kim/.cache/mozilla/firefox/k.default/cache2/entries/0123456789ABCDEF0123456789ABCDEF01234567"},
      {"home/kim/.cache/pip/http-v2", "home/kim/.cache/pip/wheels/a/tool-1-py3-none-any.whl"},
      {"home/kim/.npm/_cacache",
       "home/kim/.npm/_cacache/content-v2/sha512/aa/bb/0123456789abcdef0123456789abcdef"},
      {"home/kim/.cargo/registry/src/tool", "home/kim/.cargo/registry/cache/index/tool-1.0.0.crate"},
      {"home/kim/shop/node_modules/tool",
       "home/kim/shop/node_modules/tool/index.js",
       {"home/kim/shop/package.json", "home/kim/shop/package-lock.json"}},
      {"home/kim/engine/target/debug",
       "home/kim/engine/target/debug/deps/libtool-0123456789abcdef.rlib",
       {"home/kim/engine/Cargo.toml", "home/kim/engine/target/CACHEDIR.TAG"}},
      {"home/kim/press",
       "home/kim/press/CMakeFiles/tool.dir/main.cpp.o",
       {"home/kim/press/CMakeCache.txt", "home/kim/press/CMakeFiles/x"}},
      {"home/kim/desk/__pycache__", "home/kim/desk/__pycache__/tool.cpython-311.pyc"},
      {"home/kim/desk/.tox/py", "home/kim/desk/.tox/py/lib/python3/site-packages/tool/core.py"},
      {"home/kim/Downloads/parts.part", "home/kim/Downloads/film.mkv.part"},
  };
  return all;
}

const std::vector<Nook>& ntNooks() {
  static const std::vector<Nook> all{
      {"Windows/Temp/work", "Windows/Temp/setup7.tmp"},
      {"Users/Kim/AppData/Local/Temp/work", "Users/Kim/AppData/Local/Temp/~DF0123456789.tmp"},
      {"Windows/SoftwareDistribution/Download/a1", "Windows/SoftwareDistribution/Download/a1/update.cab"},
      {"ProgramData/Microsoft/Windows/WER/ReportArchive/AppCrash_tool",
       "ProgramData/Microsoft/Windows/WER/ReportArchive/AppCrash_tool/Report.wer"},
      {"Windows/Minidump",
       "Windows/Minidump/070125-1.dmp",
       {"Windows/Minidump/070225-1.dmp", "Windows/Minidump/070325-1.dmp", "Windows/Minidump/070425-1.dmp"}},
      {"Users/Kim/AppData/Local/CrashDumps", "Users/Kim/AppData/Local/CrashDumps/tool.exe.77.dmp"},
      {"Users/Kim/AppData/Local/Google/Chrome/User Data/Default/Cache/Cache_Data",
       "Users/Kim/AppData/Local/Google/Chrome/User Data/Default/Cache/Cache_Data/f_00001a"},
      {"Users/Kim/AppData/Local/Microsoft/Windows/INetCache/IE/ABCD1234",
       "Users/Kim/AppData/Local/Microsoft/Windows/INetCache/IE/ABCD1234/logo[1].png"},
      {"Users/Kim/AppData/Local/D3DSCache", "Users/Kim/AppData/Local/D3DSCache/a1/shader.val"},
      {"Users/Kim/AppData/Local/Spotify/Data", "Users/Kim/AppData/Local/Spotify/Data/aa/0123.file"},
      {"Config.Msi", "Config.Msi/1a2b.rbf"},
      {"ProgramData/Adobe/ARM/S", "ProgramData/Adobe/ARM/S/reader.msp"},
      {"$SysReset", "$SysReset/Logs/setup.log"},
      {"Users/Kim/src/press",
       "Users/Kim/src/press/CMakeFiles/tool.dir/main.cpp.obj",
       {"Users/Kim/src/press/CMakeCache.txt", "Users/Kim/src/press/CMakeFiles/x"}},
  };
  return all;
}

const std::vector<Nook>& macNooks() {
  static const std::vector<Nook> all{
      {"private/tmp/work", "private/tmp/a.tmp"},
      {"private/var/tmp/work", "private/var/tmp/b.tmp"},
      {"Users/kim/Library/Caches/org.desk.tool", "Users/kim/Library/Caches/org.desk.tool/Cache.db"},
      {"Users/kim/Library/Caches/Homebrew/downloads",
       "Users/kim/Library/Caches/Homebrew/tool--1.0.bottle.tar.gz"},
      {"Users/kim/Library/Containers/org.desk.tool/Data/Library/Caches",
       "Users/kim/Library/Containers/org.desk.tool/Data/Library/Caches/Cache.db"},
      {"Library/Caches/org.desk.tool", "Library/Caches/org.desk.tool/Cache.db"},
      {"Users/kim/Library/Developer/Xcode/DerivedData/Tool-a/Build",
       "Users/kim/Library/Developer/Xcode/DerivedData/Tool-a/Build/Intermediates.noindex/main.o"},
      {"Users/kim/Library/Developer/Xcode/iOS DeviceSupport/18.1",
       "Users/kim/Library/Developer/Xcode/iOS DeviceSupport/17.4/Symbols/usr/lib/libtool.dylib",
       {"Users/kim/Library/Developer/Xcode/iOS DeviceSupport/18.0/Symbols/usr/lib/libtool.dylib",
        "Users/kim/Library/Developer/Xcode/iOS DeviceSupport/18.2/Symbols/usr/lib/libtool.dylib",
        "Users/kim/Library/Developer/Xcode/iOS DeviceSupport/18.1/Symbols/usr/lib/libtool.dylib"}},
      {"Library/Logs/DiagnosticReports", "Library/Logs/DiagnosticReports/tool.ips"},
      {"private/var/log", "private/var/log/system.log.7.gz"},
      {"Applications/Install macOS Harbour.app/Contents",
       "Applications/Install macOS Harbour.app/Contents/SharedSupport/SharedSupport.dmg"},
  };
  return all;
}

const std::vector<const char*>& systemOf(SystemFamily family) {
  static const std::vector<const char*> linuxSigns{"etc/os-release", "var/lib/dpkg/status", "etc/fstab",
                                                   "usr/bin/sh"};
  static const std::vector<const char*> ntSigns{"Windows/System32/ntoskrnl.exe",
                                                "Windows/System32/config/SYSTEM", "Windows/explorer.exe"};
  static const std::vector<const char*> macSigns{"System/Library/CoreServices/SystemVersion.plist",
                                                 "Library/Preferences/SystemConfiguration/x",
                                                 "private/var/db/x"};
  return family == SystemFamily::nt ? ntSigns : family == SystemFamily::mac ? macSigns : linuxSigns;
}

/// Names of what persons keep, one of each kind, with letters drawn by lot.
std::vector<std::string> personalNames(std::mt19937_64& random) {
  const auto word = [&] {
    static constexpr const char* words[] = {"thesis",   "letters", "pier",  "ringing",
                                            "contract", "winter",  "estate"};
    return std::string(words[random() % std::size(words)]) + "-" + std::to_string(random() % 1000);
  };
  return {word() + ".odt",
          word() + ".pdf",
          word() + ".jpg",
          word() + ".qcow2",
          word() + ".tar.gz",
          word() + ".kdbx",
          word() + ".mbox",
          word() + ".wav",
          word() + ".sqlite",
          word() + ".vhdx",
          word() + ".xlsx",
          word() + ".md",
          word() + ".key",
          word() + ".wallet",
          word() + ".safetensors",
          word() + ".zip",
          word() + "/mail/cur/1600000000.M1",
          word(),
          "repository-" + word() + "/src/main.rs"};
}

struct Layout {
  const char* name;
  SystemFamily family;
  std::string top;
};

class Traps : public ::testing::TestWithParam<int> {
protected:
  static const Layout& layout() {
    static const std::vector<Layout> all{{"linux", SystemFamily::linuxFamily, ""},
                                         {"nt", SystemFamily::nt, ""},
                                         {"mac", SystemFamily::mac, ""},
                                         {"at", SystemFamily::linuxFamily, "@/"}};
    return all[static_cast<std::size_t>(GetParam())];
  }
  static const std::vector<Nook>& nooks() {
    return layout().family == SystemFamily::nt    ? ntNooks()
           : layout().family == SystemFamily::mac ? macNooks()
                                                  : linuxNooks();
  }
  void put(const std::string& path, std::size_t bytes) {
    fs::create_directories(fs::path(drive / path).parent_path());
    std::ofstream(drive / path, std::ios::binary) << std::string(bytes, 'x');
    all.insert(path);
  }
  /// Whether an entry is among some, or a folder of nothing else.
  bool isOf(const std::set<std::string>& some, const std::string& entry) const {
    return std::all_of(all.begin(), all.end(), [&](const std::string& path) {
      return (path != entry && !beneath(path, entry)) || some.contains(path);
    });
  }
  /// Everything was made, changed and modified in 2020, and some of it a year before.
  void makeOld(const std::set<std::string>& oldest) {
    std::set<std::string> entries;
    for (const std::string& path : all)
      for (fs::path at(path); !at.empty(); at = at.parent_path()) entries.insert(at.string());
    const std::string list = drive.image() + ".times";
    std::ofstream out(list);
    for (const std::string& entry : entries)
      for (const char* field : {"ctime", "crtime", "mtime"})
        out << "set_inode_field \"/" << entry << "\" " << field
            << (isOf(oldest, entry) ? " 20190126000000\n" : " 20200126000000\n");
    out.close();
    drive.unmount();
    ASSERT_EQ(std::system(("debugfs -w -f '" + list + "' '" + drive.image() + "' >/dev/null 2>&1").c_str()),
              0);
    ASSERT_TRUE(drive.remount("")) << drive.why();
  }

  LoopDrive drive{"ext4", Bytes{160} << 20};
  Workshop real = realWorkshop();
  std::set<std::string> all;
};

/// What was judged of an entry, for who has to look.
std::string why(const Job& job, const std::string& path) {
  const FindContext& c = *job.surveys().context();
  const auto node = c.tree.find(path);
  if (!node) return ": not measured";
  const Sighting& s = c.sightings.all[c.sightings.of[*node]];
  std::string text = ": " + std::string(name(s.standing)) + ", " + std::string(name(s.verdict)) + " by " +
                     (s.place == nullptr ? "nobody" : s.place->id);
  for (const Find& f : *job.surveys().finds())
    for (const Subject& item : f.items)
      if (item.path == path || beneath(path, item.path))
        text += "; " + f.kind + " " + std::string(name(f.standing)) + (f.offers.empty() ? " closed" : "");
  return text;
}

TEST_P(Traps, AreInNoProposalAndTheWasteAroundThemIs) {
  ZT_NEEDS(drive);
  const auto seed = drawSeed();
  std::mt19937_64 random(seed);
  std::set<std::string> traps, waste;
  for (const char* sign : systemOf(layout().family)) put(layout().top + sign, 10);
  for (const Nook& nook : nooks()) {
    for (const char* sign : nook.signs) put(layout().top + sign, 10);
    put(layout().top + nook.waste, 60'000);
    waste.insert(layout().top + nook.waste);
    auto names = personalNames(random);
    std::shuffle(names.begin(), names.end(), random);
    for (std::size_t i = 0; i < 5; ++i) {
      const std::string path = layout().top + nook.folder + "/" + names[i];
      if (all.contains(path) || fs::exists(drive / path)) continue;
      put(path, 40'000);
      traps.insert(path);
      // A source is somebody's by the repository that it lies in.
      if (names[i].starts_with("repository-")) put(path.substr(0, path.rfind("/src/")) + "/.git/HEAD", 40);
    }
  }
  ASSERT_NO_FATAL_FAILURE(makeOld(waste));
  auto job = Job::create(real, drive.path(), false, {}).value();
  ASSERT_TRUE(job->measurer().measure({}, {}, nullptr));
  ASSERT_TRUE(job->planBook().addTarget("all of it", "100%"));
  for (int ceiling = 0; ceiling < regrets; ++ceiling) {
    ProposeOptions options;
    options.ceiling = static_cast<Regret>(ceiling);
    const auto proposal = job->planBook().propose(options);
    ASSERT_TRUE(proposal);
    std::set<std::string> taken;
    for (const PlanLine& line : proposal->plan.lines) {
      if (!line.step->touches) continue;
      for (const Subject& item : line.items)
        for (const std::string& path : all)
          if (path == item.path || beneath(path, item.path)) taken.insert(path);
    }
    for (const std::string& trap : traps)
      EXPECT_FALSE(taken.contains(trap)) << trap << " under " << name(*options.ceiling) << ", seed " << seed;
    if (static_cast<Regret>(ceiling) < Regret::wayBack) continue;
    for (const std::string& path : waste)
      EXPECT_TRUE(taken.contains(path)) << path << why(*job, path) << ", seed " << seed;
  }
  EXPECT_GE(traps.size(), nooks().size() * 4);
}

std::string layoutName(const ::testing::TestParamInfo<int>& at) {
  static constexpr const char* names[] = {"linux", "nt", "mac", "at"};
  return names[at.param];
}
INSTANTIATE_TEST_SUITE_P(OfAllFamilies, Traps, ::testing::Range(0, 4), layoutName);

}  // namespace
}  // namespace zt::test
