// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/drive/system_family.h"

#include <absl/container/flat_hash_map.h>

#include <algorithm>
#include <array>
#include <optional>

namespace zt {

std::string_view name(SystemFamily family) {
  static constexpr std::array<std::string_view, systemFamilies> names{"none", "linux", "nt", "mac"};
  return names[static_cast<std::size_t>(family)];
}

bool foldsCase(SystemFamily family) {
  return family == SystemFamily::nt || family == SystemFamily::mac;
}

namespace {

/// Signs of a family; each is there if any of its paths is.
struct Signs {
  SystemFamily family;
  std::vector<std::vector<std::string_view>> signs;
  /// Folders that make a drive suspect although no sign is there: all of any of these must be.
  std::vector<std::vector<std::string_view>> suspects;
};

const std::vector<Signs>& allSigns() {
  static const std::vector<Signs> all{
      {SystemFamily::linuxFamily,
       {{"etc/os-release", "usr/lib/os-release", "etc/NIXOS"},
        {"var/lib/dpkg/status", "usr/lib/sysimage/rpm", "var/lib/rpm", "var/lib/pacman/local", "nix/store",
         "ostree/repo"},
        {"etc/fstab", "etc/machine-id", "usr/lib/systemd/systemd", "sbin/init"},
        {"usr/bin", "bin/sh"}},
       {{"etc", "usr"}, {"etc", "bin"}, {"etc", "sbin"}, {"bin", "sbin"}, {"etc", "lib"}}},
      {SystemFamily::nt,
       {{"Windows/System32/ntoskrnl.exe", "WINNT/System32/ntoskrnl.exe"},
        {"Windows/System32/config/SYSTEM", "Windows/System32/config/SOFTWARE"},
        {"Windows/System32", "Windows/explorer.exe"}},
       // The name alone is nobody's: whoever takes pictures of houses has a folder of it.
       {{"Windows/SysWOW64"},
        {"Windows/WinSxS"},
        {"Windows/Installer"},
        {"Windows/servicing"},
        {"Windows/assembly"},
        {"Windows/INF"},
        {"Windows/Fonts"},
        {"Windows", "Program Files"},
        {"Windows", "ProgramData"},
        {"Windows", "Users"},
        {"WINNT", "Program Files"}}},
      {SystemFamily::mac,
       {{"System/Library/CoreServices/SystemVersion.plist", "private/var/db/dslocal/nodes/Default",
         "private/var/db/.AppleSetupDone"},
        {"Library/Preferences/SystemConfiguration"},
        {"System/Library/CoreServices", "private/var/db"}},
       {{"System/Library"}, {"System", "Library", "Applications"}, {"System", "Library", "Users"}}}};
  return all;
}

/// The systems whose top lies at a path: of each family whose first sign does, certain with one more.
std::vector<SystemRoot> systemsAt(const NameView& names, const PathBytes& at) {
  std::vector<SystemRoot> all;
  for (const Signs& family : allSigns()) {
    const bool fold = foldsCase(family.family);
    const auto there = [&](const std::vector<std::string_view>& sign) {
      return std::any_of(sign.begin(), sign.end(),
                         [&](auto path) { return names.has(joinPath(at, path), fold); });
    };
    const auto count = std::count_if(family.signs.begin(), family.signs.end(), there);
    const bool first = there(family.signs.front());
    // A kernel or a registry is there with its folder; that alone is one sign.
    if (first || (family.family != SystemFamily::linuxFamily && count > 0))
      all.push_back({at, {}, family.family, first && count >= 2, false});
  }
  return all;
}

std::optional<SystemRoot> systemAt(const NameView& names, const PathBytes& at) {
  const auto all = systemsAt(names, at);
  return all.empty() ? std::nullopt : std::optional(all.front());
}

/// Parts of a system that Btrfs layouts put beside its top, and what they stand for.
struct Companion {
  std::string_view name;
  std::string_view stands;
};
constexpr Companion companions[] = {{"@home", "home"},
                                    {"home", "home"},
                                    {"@root", "root"},
                                    {"@log", "var/log"},
                                    {"@var_log", "var/log"},
                                    {"@var", "var"},
                                    {"@cache", "var/cache"},
                                    {"@var_cache", "var/cache"},
                                    {"@pkg", "var/cache/pacman/pkg"},
                                    {"@opt", "opt"},
                                    {"@srv", "srv"},
                                    {"@tmp", "var/tmp"},
                                    {"@usr_local", "usr/local"}};

/// The folders at the top that are asked for signs. Where there are more than anybody has systems, the rest
/// are data: what would be a system's elsewhere is not judged there.
std::vector<PathBytes> foldersAtTop(const NameView& names) {
  constexpr std::size_t most = 1000;
  auto folders = names.foldersIn({});
  folders.resize(std::min(folders.size(), most));
  return folders;
}

/// Layouts whose top holds the system's top in a folder: a subvolume, and its companions beside it.
void findBelow(const NameView& names, std::vector<SystemRoot>& found) {
  std::vector<PathBytes> folders = foldersAtTop(names);
  for (const char* usual : {"@", "@rootfs", "root"})
    if (std::find(folders.begin(), folders.end(), usual) == folders.end()) folders.emplace_back(usual);
  for (const PathBytes& folder : folders)
    if (auto system = systemAt(names, folder)) found.push_back(std::move(*system));
  if (found.empty())  // a subvolume that holds only snapshots of the system, one of which is mounted
    for (const PathBytes& number : names.foldersIn("@/.snapshots"))
      if (auto system = systemAt(names, "@/.snapshots/" + number + "/snapshot")) found.push_back(*system);
  if (found.empty()) return;
  for (const Companion& c : companions)
    if (names.has(c.name, false))
      found.push_back({PathBytes(c.name), PathBytes(c.stands), SystemFamily::linuxFamily, true, false});
}

void findDeployments(const NameView& names, std::vector<SystemRoot>& found) {
  for (const PathBytes& os : names.foldersIn("ostree/deploy")) {
    const PathBytes base = "ostree/deploy/" + os;
    const PathBytes deploy = joinPath(base, "deploy");
    for (const PathBytes& one : names.foldersIn(deploy))
      if (auto system = systemAt(names, joinPath(deploy, one))) found.push_back(std::move(*system));
    if (names.has(base + "/var", false))
      found.push_back({base + "/var", "var", SystemFamily::linuxFamily, true, false});
  }
  // What the deployments are made of, and what starts them, is needed where they lie.
  if (names.has("ostree/repo", false) || names.has("boot/ostree", false))
    found.push_back({{}, {}, SystemFamily::linuxFamily, false, false});
}

/// A folder that is built like a system, without a sign of one.
std::optional<SystemRoot> suspectAt(const NameView& names, const PathBytes& at, const Signs& family) {
  const auto there = [&](const std::vector<std::string_view>& folders) {
    return std::all_of(folders.begin(), folders.end(),
                       [&](auto path) { return names.has(joinPath(at, path), foldsCase(family.family)); });
  };
  return std::any_of(family.suspects.begin(), family.suspects.end(), there)
             ? std::optional(SystemRoot{at, {}, family.family, false, false})
             : std::nullopt;
}

/// Whether a folder at the top is what a system of the family is made of: `usr` has a `bin` and an `sbin`,
/// too.
bool isPartOf(const Signs& family, const PathBytes& folder) {
  return std::any_of(family.signs.begin(), family.signs.end(), [&](const auto& sign) {
    return std::any_of(sign.begin(), sign.end(), [&](auto path) { return path.starts_with(folder + "/"); });
  });
}

/// Whole systems that lie beside the one in use; what is built like one is not taken apart either.
void findPrevious(const NameView& names, const SystemRoot& used, std::vector<SystemRoot>& found) {
  for (const PathBytes& folder : foldersAtTop(names)) {
    auto system = systemAt(names, folder);
    for (const Signs& family : allSigns())
      if (!system && family.family == used.family && !isPartOf(family, folder))
        system = suspectAt(names, folder, family);
    // Of another family it is somebody's copy, and nobody's caches lie in it.
    if (!system || system->family != used.family) continue;
    system->previous = true;
    found.push_back(std::move(*system));
  }
}

}  // namespace

std::optional<PathBytes> companionOf(std::string_view folder) {
  const auto parts = splitPath(folder);
  if (parts.empty()) return std::nullopt;
  PathBytes stands;
  if (parts[0] != "@" && parts[0] != "@rootfs") {
    const auto known = std::find_if(std::begin(companions), std::end(companions),
                                    [&](const Companion& c) { return c.name == parts[0]; });
    if (known == std::end(companions)) return std::nullopt;
    stands = known->stands;
  }
  for (std::size_t i = 1; i < parts.size(); ++i) stands = joinPath(stands, parts[i]);
  return stands;
}

std::vector<SystemRoot> systemsIn(const NameView& names) {
  std::vector<SystemRoot> found;
  found = systemsAt(names, {});
  if (!found.empty()) {
    findPrevious(names, SystemRoot(found.front()), found);
  } else {
    findBelow(names, found);
  }
  findDeployments(names, found);
  if (!found.empty()) return found;
  for (const Signs& family : allSigns())
    if (auto suspect = suspectAt(names, {}, family)) found.push_back(std::move(*suspect));
  return found;
}

namespace {

/// What a folder lists, so far as anybody looks for a system in it.
class Names final : public ScanSink {
public:
  bool take(std::span<const ScannedEntry> entries) override {
    for (const auto& e : entries) {
      if (e.error == 0 && e.stat.kind == EntryKind::folder) folders.emplace_back(e.name);
      spelt.emplace(lowered(e.name), e.name);
    }
    return spelt.size() < 100'000;
  }
  std::vector<PathBytes> folders;
  absl::flat_hash_map<PathBytes, PathBytes> spelt;  ///< by the name in small letters
};

class DriveNames final : public NameView {
public:
  DriveNames(FileSystemReader& files, FolderPtr root) : files_(files), root_(std::move(root)) {}

  bool has(std::string_view path, bool fold) const override {
    if (!fold) {
      const auto folder = files_.openBeneath(*root_, parentPath(path));
      return folder && files_.stat(**folder, baseName(path)).has_value();
    }
    FolderPtr at = root_;
    const auto parts = splitPath(path);
    for (std::size_t i = 0; i < parts.size(); ++i) {
      const auto spelt = spelling(*at, parts[i]);
      if (!spelt) return false;
      if (i + 1 == parts.size()) return true;
      auto next = files_.openFolder(*at, *spelt);
      if (!next) return false;
      at = std::move(*next);
    }
    return false;
  }

  std::vector<PathBytes> foldersIn(std::string_view path) const override {
    if (path.empty()) return root_->keepsAccessTime() ? listed().folders : std::vector<PathBytes>{};
    const auto folder = files_.openBeneath(*root_, path);
    if (!folder || !(*folder)->keepsAccessTime()) return {};
    Names names;
    (void)files_.scan(**folder, names);
    return std::move(names.folders);
  }

private:
  /// How a name is really spelt; where the folder may not be listed, only the usual spellings are tried.
  std::optional<PathBytes> spelling(const Folder& at, std::string_view name) const {
    const PathBytes lower = lowered(name);
    PathBytes upper(name);
    std::transform(upper.begin(), upper.end(), upper.begin(),
                   [](unsigned char c) { return std::toupper(c); });
    for (const PathBytes& usual : {PathBytes(name), lower, upper})
      if (files_.stat(at, usual)) return usual;
    if (!at.keepsAccessTime()) return std::nullopt;
    Names here;
    if (&at != root_.get()) (void)files_.scan(at, here);
    const Names& names = &at == root_.get() ? listed() : here;
    const auto found = names.spelt.find(lower);
    return found == names.spelt.end() ? std::nullopt : std::optional(found->second);
  }
  /// The top is asked for many names, and can be a folder of hundreds of thousands.
  const Names& listed() const {
    if (!listed_) {
      listed_.emplace();
      (void)files_.scan(*root_, *listed_);
    }
    return *listed_;
  }

  FileSystemReader& files_;
  FolderPtr root_;
  mutable std::optional<Names> listed_;
};

/// The value of one key of an os-release file (freedesktop os-release: KEY="value" lines).
std::string osReleaseValue(std::string_view text, std::string_view key) {
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    std::string_view line = text.substr(at, end - at);
    at = end + 1;
    if (line.size() <= key.size() || line.substr(0, key.size()) != key || line[key.size()] != '=') continue;
    line.remove_prefix(key.size() + 1);
    if (line.size() >= 2 && (line.front() == '"' || line.front() == '\''))
      line = line.substr(1, line.size() - 2);
    return escapePath(line.substr(0, 80));
  }
  return {};
}

}  // namespace

std::unique_ptr<NameView> namesOn(FileSystemReader& files, FolderPtr root) {
  return std::make_unique<DriveNames>(files, std::move(root));
}

std::string systemNameOn(FileSystemReader& files, const Folder& root, const SystemRoot& at) {
  if (at.family != SystemFamily::linuxFamily || !at.prefix.empty()) return {};
  for (const char* folder : {"usr/lib", "etc"}) {
    const auto opened = files.openBeneath(root, joinPath(at.at, folder));
    if (!opened) continue;
    const auto text = files.readFile(**opened, "os-release", std::size_t{64} << 10);
    if (!text) continue;
    std::string name = osReleaseValue(*text, "PRETTY_NAME");
    return name.empty() ? osReleaseValue(*text, "NAME") : name;
  }
  return {};
}

}  // namespace zt
