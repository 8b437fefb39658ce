// SPDX-License-Identifier: GPL-3.0-or-later
// Of each family a root with things that must never be planned, and things that only a person may plan.
#include <gtest/gtest.h>

#include "support/planned.h"

namespace zt::test {
namespace {

struct Root {
  SystemFamily family;
  std::vector<const char*> markers;
  std::vector<const char*> never;   ///< locked: no step at, above or below
  std::vector<const char*> person;  ///< never proposed, but a person may plan them
};

const Root& linuxRoot() {
  static const Root root{SystemFamily::linuxFamily,
                         {"etc/os-release", "usr/bin/sh", "var/lib/dpkg/status"},
                         {"usr/bin/sh",
                          "usr/lib/libc.so",
                          "etc/fstab",
                          "boot/vmlinuz-6.1",
                          "boot/initrd.img-6.1",
                          "boot/efi/EFI/x.efi",
                          "bin/x",
                          "sbin/init",
                          "lib/modules/6.1/x.ko",
                          "lib64/ld.so",
                          "var/lib/dpkg/status",
                          "var/lib/mysql/ibdata1",
                          "var/lib/postgresql/15/main/base",
                          "var/cache/debconf/passwords.dat",
                          "var/cache/apt/archives/lock",
                          "swapfile",
                          "swap.img",
                          "boot/grub/grub.cfg",

                          "var/lib/snapd/snaps/core_1.snap",
                          "nix/store/a/b",
                          "ostree/repo/objects/x",
                          "usr/src/linux-headers-6.1/x",
                          "tmp/systemd-private-1/x",
                          "var/lib/etcd/member/x",
                          "var/lib/containerd/x",
                          "home/kim/Pictures/.git/objects/x",
                          "home/kim/.mozilla/p/places.sqlite",
                          "srv/repo/.git/HEAD",
                          "dev/null-file",
                          "mnt",
                          ".snapshots/1/snapshot/x"},
                         {"home/kim/Documents/plan.odt",
                          "home/kim/.ssh/id_key",
                          "home/kim/.gnupg/x",
                          "home/kim/.config/app/x",
                          "home/kim/.local/share/app/x",
                          "home/kim/.thunderbird/p/Mail/Inbox",
                          "home/kim/Downloads/big.iso",
                          "home/kim/Videos/film.mkv",
                          "srv/recordings/a.wav",
                          "var/www/site/index",
                          "opt/tool/bin/x",
                          "odd/backup.img",
                          "var/log/syslog",
                          "var/log/audit/audit.log",
                          "var/mail/kim",
                          "var/spool/cron/crontabs/kim",
                          "var/lib/docker/volumes/v/data",
                          "home/kim/.cache/rclone/vfs/r/new.txt",
                          "home/kim/.wine/drive_c/x",
                          "home/kim/.password-store/x.gpg",
                          "usr/local/bin/own",
                          "lost+found/stray-123",
                          "var/cache/unknown/x",
                          "home/kim/.m2/repository/own/x.jar",
                          "root/notes.txt",
                          "home/kim/VM.qcow2"}};
  return root;
}

const Root& ntRoot() {
  static const Root root{
      SystemFamily::nt,
      {"Windows/System32/ntoskrnl.exe", "Windows/System32/config/SYSTEM", "Windows/System32/config/SOFTWARE"},
      {"Windows/System32/ntoskrnl.exe",
       "WINDOWS/system32/kernel32.dll",
       "Windows/WinSxS/x/y.dll",
       "Windows/Installer/a.msi",
       "Windows/System32/DriverStore/FileRepository/d/x.sys",
       "Windows/servicing/LCU/x",
       "Windows/System32/config/SAM",
       "Windows/SoftwareDistribution/DataStore/x.edb",
       "bootmgr",
       "Boot/BCD",
       "EFI/Microsoft/x.efi",
       "pagefile.sys",
       "hiberfil.sys",
       "swapfile.sys",
       "Recovery/WindowsRE/Winre.wim",
       "System Volume Information/tracking.log",
       "ProgramData/Package Cache/a/setup.exe",
       "ProgramData/Microsoft/Crypto/x",
       "ProgramData/Microsoft/Windows Defender/x",
       "Users/kim/NTUSER.DAT",
       "Users/kim/AppData/Local/Microsoft/Windows/UsrClass.dat",
       "Users/Default/NTUSER.DAT",
       "Program Files/WindowsApps/a/x.dll",
       "Users/kim/AppData/Roaming/Microsoft/Protect/x",
       "Users/kim/AppData/Local/Microsoft/Credentials/x",
       "Windows/Fonts/arial.ttf",
       "$MFT",
       "$Extend/x",
       "Windows/ServiceProfiles/x/y"},
      {"Users/kim/Documents/plan.docx",
       "Users/kim/Pictures/a.jpg",
       "Users/kim/Downloads/setup.exe",
       "Users/kim/AppData/Roaming/App/settings",
       "Users/kim/AppData/Local/App/data",
       "Users/Public/x",
       "Program Files/Chart/x.dll",
       "Windows/CSC/x",
       "inetpub/wwwroot/x",
       "MSOCache/x",
       "Users/kim/AppData/Local/Microsoft/Windows/INetCache/Content.Outlook/x.docx",
       "Users/kim/AppData/Local/Microsoft/Windows/WebCache/x.dat",
       "Users/kim/AppData/Local/Microsoft/Office/UnsavedFiles/x.asd",
       "Users/kim/Mail/box.pst",
       "Users/kim/AppData/Local/Microsoft/Outlook/kim.ost",
       "Users/kim/OneDrive/x.txt",
       "Users/kim/Saved Games/x",
       "found.000/FILE0000.CHK",
       "Users/kim.old/x.txt",
       "Windows/System32/LogFiles/x",
       "Temp/holiday/a.jpg",
       "WindowsImageBackup/pc/",
       "Users/kim/AppData/Local/Packages/App/LocalState/notes.db"}};
  return root;
}

const Root& macRoot() {
  static const Root root{SystemFamily::mac,
                         {"System/Library/CoreServices/SystemVersion.plist",
                          "Library/Preferences/SystemConfiguration/preferences.plist"},
                         {"System/Library/CoreServices/x",
                          "System/Library/AssetsV2/x",
                          "usr/lib/x",
                          "bin/sh",
                          "sbin/x",
                          "private/etc/hosts",
                          "private/var/db/x",
                          "private/var/folders/a/b",
                          "private/var/vm/swapfile0",
                          "private/var/vm/sleepimage",
                          "private/var/db/diagnostics/x",
                          "Library/Preferences/x.plist",
                          "Library/Extensions/x",
                          "LIBRARY/Fonts/x.ttf",
                          ".fseventsd/x",
                          "Volumes/",
                          "Users/kim/Pictures/A.photoslibrary/originals/a.heic",
                          "Users/kim/Movies/B.fcpbundle/Media/x.mov",
                          "Users/kim/Music/C.logicx/Media/x.wav",
                          "Users/kim/VM.utm/disk.img",
                          "Users/kim/D.sparsebundle/bands/0",
                          "Users/kim/Code/.git/HEAD",
                          "Users/kim/Movies/E.imovielibrary/x",
                          "cores/",
                          "private/var/x",
                          "Users/kim/Pictures/Syndication.photoslibrary/x",
                          "System/x"},
                         {"Users/kim/Documents/plan.pages",
                          "Users/kim/Desktop/x",
                          "Users/kim/Downloads/x.dmg",
                          "Users/kim/Library/Mail/V10/x",
                          "Users/kim/Library/Messages/Attachments/a/x",
                          "Users/kim/Library/Keychains/x",
                          "Users/kim/Library/Containers/app/Data/Documents/x",
                          "Users/kim/Library/Application Support/App/x",
                          "Users/kim/Library/Caches/CloudKit/x",
                          "Users/kim/Library/Safari/History.db",
                          "Applications/Tool.app/x",
                          "Library/Application Support/App/x",
                          "private/var/log/system.log",
                          "Users/Shared/x",
                          "Users/kim/Library/Mobile Documents/x",
                          "Users/kim/Library/Application Support/CloudDocs/x",
                          ".DocumentRevisions-V100/x",
                          "usr/local/bin/x",
                          "opt/x",
                          "Users/kim/Library/Saved Application State/x",
                          "lost+found/x",
                          "Users/kim/Library/Developer/Xcode/Archives/x",
                          "odd/x.wav"}};
  return root;
}

PathBytes plain(PathBytes path) {
  if (path.ends_with('/')) path.pop_back();
  return path;
}

void check(const Root& root) {
  auto files = std::make_shared<MemoryFileSystem>();
  for (const auto* list : {&root.markers, &root.never, &root.person})
    for (const std::string path : *list)
      if (!files->has(path)) files->add(path, path.ends_with('/') ? "" : std::string(60'000, 'x'));
  const auto survey = surveyOf(files, "/");
  FindOptions options;
  options.now = 1'800'000'000 * nsPerSecond;
  options.largeBytes = 5'000;
  PlaceMap places({{"", "", root.family, true, false}}, {});
  const auto context = std::make_shared<FindContext>(survey, std::move(places), options);
  const auto craft = builtInCraft();
  auto detected = detectAll(craft->detectors, {context, files, files->openRoot("/").value()}, {}, {});
  EXPECT_TRUE(detected.problems.empty());
  for (Find& f : detected.finds) priceOffers(f, craft->steps);
  const auto proposal = propose(detected.finds, Bytes{1} << 50, *context, craft->steps, {}, {});
  const auto near = [](const PathBytes& a, const PathBytes& b) {
    return a == b || beneath(a, b) || beneath(b, a);
  };
  const auto proposed = [&](const PathBytes& path) {
    for (const PlanLine& line : proposal.plan.lines)
      for (const Subject& item : line.items)
        if (near(item.path, path)) return true;
    return false;
  };
  EXPECT_GE(root.never.size(), 25u);
  EXPECT_GE(root.person.size(), 20u);
  for (const char* said : root.never) {
    const PathBytes path = plain(said);
    EXPECT_FALSE(proposed(path)) << path;
    EXPECT_TRUE(context->locked(path)) << path;
    const auto node = survey->tree.find(path);
    ASSERT_TRUE(node) << path;
    Find find = pickedFind(*context, *node);
    priceOffers(find, craft->steps);
    const auto line = lineFor(find, craft->steps, "discard", {});
    EXPECT_TRUE(!line && line.error().code == Errc::bedrock) << path;
  }
  for (const char* said : root.person) {
    const PathBytes path = plain(said);
    EXPECT_FALSE(proposed(path)) << path;
    EXPECT_FALSE(context->locked(path)) << path;
    const auto node = survey->tree.find(path);
    ASSERT_TRUE(node) << path;
    Find find = pickedFind(*context, *node);
    priceOffers(find, craft->steps);
    EXPECT_TRUE(lineFor(find, craft->steps, "discard", {})) << path;
  }
}

TEST(NeverPlanned, LinuxFamily) {
  check(linuxRoot());
}
TEST(NeverPlanned, NtFamily) {
  check(ntRoot());
}
TEST(NeverPlanned, MacFamily) {
  check(macRoot());
}

}  // namespace
}  // namespace zt::test
