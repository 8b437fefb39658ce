// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/measure/shared_extents.h"

#include <algorithm>
#include <array>

namespace zt {

BlockSharing blockSharing(std::string_view fsType) {
  static constexpr std::array<std::string_view, 4> asked{"btrfs", "xfs", "bcachefs", "ocfs2"};
  static constexpr std::array<std::string_view, 16> never{
      "",      "ext2", "ext3", "ext4", "vfat",    "msdos", "exfat", "ntfs",
      "ntfs3", "jfs",  "udf",  "hfs",  "hfsplus", "tmpfs", "ramfs", "reiserfs"};
  const auto among = [&](const auto& list) {
    return std::find(list.begin(), list.end(), fsType) != list.end();
  };
  if (among(asked)) return BlockSharing::asked;
  // NTFS and exFAT drivers in user space show up by the name of their kind.
  if (among(never) || fsType == "fuseblk") return BlockSharing::never;
  return BlockSharing::unknown;
}

bool SharedExtents::mayShare(const Folder& at, std::string_view name, const EntryStat& stat) {
  if (stat.kind != EntryKind::file || stat.occupied == 0) return false;
  if (sharing_ == BlockSharing::unknown) return true;
  const auto facts = inner_.extents(at, name);
  return !facts || facts->shared || facts->encoded;
}

Result<EntryStat> SharedExtents::stat(const Folder& at, std::string_view name) {
  auto stat = inner_.stat(at, name);
  if (stat && !name.empty()) stat->mayShare = mayShare(at, name, *stat);
  return stat;
}

Result<void> SharedExtents::scan(const Folder& at, ScanSink& sink) {
  class Asking final : public ForwardingSink {
  public:
    Asking(SharedExtents& files, const Folder& at, ScanSink& next)
        : ForwardingSink(next), files_(files), at_(at) {}
    bool take(std::span<const ScannedEntry> entries) override {
      batch_.assign(entries.begin(), entries.end());
      for (auto& e : batch_) {
        if (e.error != 0) continue;
        e.stat.mayShare = files_.mayShare(at_, e.name, e.stat);
        next_.answered();
      }
      return next_.take(batch_);
    }

  private:
    SharedExtents& files_;
    const Folder& at_;
    std::vector<ScannedEntry> batch_;
  } asking(*this, at, sink);
  return inner_.scan(at, asking);
}

}  // namespace zt
