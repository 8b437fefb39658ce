// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/copy_facts.h"

namespace zt {

namespace {

Result<void> copyOwner(FileSystem& to, const Folder& there, std::string_view copy, const EntryStat& stat) {
  const auto now = to.stat(there, copy);
  if (!now) return tl::unexpected(now.error());
  // The owner first: a new one takes rights away.
  if (now->owner != stat.owner || now->group != stat.group)
    if (auto set = to.setOwner(there, copy, stat.owner, stat.group); !set) return set;
  if (stat.kind == EntryKind::symlink || now->mode == stat.mode) return {};
  return to.setMode(there, copy, stat.mode);
}

}  // namespace

Result<void> copyFacts(FileSystemReader& from, const Folder& at, std::string_view name, const EntryStat& stat,
                       FileSystem& to, const Folder& there, std::string_view copy, const Keeping& keeping) {
  if (keeping.owners)
    if (auto done = copyOwner(to, there, copy, stat); !done) return done;
  if (keeping.attributes && stat.kind != EntryKind::symlink) {
    const auto keys = from.attributes(at, name);
    if (!keys && keys.error().code != Errc::unsupported) return tl::unexpected(keys.error());
    for (const std::string& key : keys ? *keys : std::vector<std::string>{}) {
      // A label that the drive's own system gives to each file anew.
      if (key == "security.selinux") continue;
      const auto value = from.attribute(at, name, key);
      if (!value) return tl::unexpected(value.error());
      if (auto set = to.setAttribute(there, copy, key, *value); !set) return set;
    }
  }
  return to.setTimes(there, copy, stat.accessed, stat.modified);
}

Result<FolderPtr> openOrMake(FileSystem& files, FolderPtr at, std::string_view path, std::uint32_t mode) {
  for (const auto part : splitPath(path)) {
    auto next = files.openFolder(*at, part);
    if (!next && next.error().code == Errc::notThere) {
      if (auto made = files.makeFolder(*at, part, mode); !made) return tl::unexpected(made.error());
      next = files.openFolder(*at, part);
    }
    if (!next) return next;
    at = std::move(*next);
  }
  return at;
}

}  // namespace zt
