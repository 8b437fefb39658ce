// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/other_drive.h"

#include "core/drive/target.h"
#include "core/os/paths.h"

namespace zt {

Result<bool> liesOnDrive(const System& system, const PathBytes& root, const PathBytes& folder) {
  const auto resolved = canonicalPath(folder);
  if (!resolved) return tl::unexpected(resolved.error());
  const auto statOf = [&](const PathBytes& path) -> Result<EntryStat> {
    const auto opened = system.files->openRoot(path);
    if (!opened) return tl::unexpected(opened.error());
    return system.files->stat(**opened, {});
  };
  const auto there = statOf(*resolved);
  if (!there) return tl::unexpected(there.error());
  // A subvolume has a device number of its own.
  if (const auto one = onOneFileSystem(system, root, *resolved); one && *one) return true;
  const auto mine = statOf(root);
  return mine && (mine->device == there->device || mine->mountId == there->mountId);
}

namespace {
/// The kind of a drive's file system as its header says; of what is mounted by a program of its own the mount
/// table knows no more than that.
std::string headerType(const System& system, const Drive& drive) {
  const auto mounts = system.mounts->mounts();
  for (const Mount& m : mounts ? *mounts : std::vector<Mount>{})
    if (m.target == drive.target && m.source == drive.source)
      if (std::string type = system.mounts->facts(m).fsType; !type.empty()) return type;
  return drive.fsType;
}
}  // namespace

Result<OtherDrive> openOtherDrive(const System& system, const std::shared_ptr<FileSystem>& files,
                                  const PathBytes& path) {
  auto top = files->openRoot(path);
  if (!top) return tl::unexpected(top.error());
  OtherDrive other{files, std::move(*top), path};
  if (const auto there = driveOf(system, path)) {
    if (there->readOnly) return fail(Errc::notPermitted, "other-drive", path, "read-only");
    other.keeping = keepingOf(headerType(system, *there));
    other.headroom = headroomOf(*there);
  }
  return other;
}

}  // namespace zt
