// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <fcntl.h>
#include <sys/stat.h>
#include <sys/sysmacros.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <limits>
#include <string>
#include <vector>

#include "core/os/linux/linux_folder.h"

// What the files of this adapter share.
namespace zt {

inline int fdOf(const Folder& folder) {
  return static_cast<const LinuxFolder&>(folder).fd();
}
inline const ReadingMountPtr& mountOf(const Folder& folder) {
  return static_cast<const LinuxFolder&>(folder).mount();
}

/// A name with its terminating zero, without the heap for names of ordinary length.
class CName {
public:
  explicit CName(std::string_view name) {
    const std::size_t size = std::min(name.size(), buffer_.size() - 1);
    if (size > 0) std::memcpy(buffer_.data(), name.data(), size);
    buffer_[size] = 0;
    valid_ = size == name.size() && name.find('/') == std::string_view::npos &&
             name.find('\0') == std::string_view::npos && name != "." && name != "..";
  }
  const char* get() const { return buffer_.data(); }
  /// Whether it is a single part that stays where it is; anything else never reaches the kernel.
  bool valid() const { return valid_; }

private:
  std::array<char, 260> buffer_;
  bool valid_ = false;
};

constexpr int folderFlags = O_RDONLY | O_DIRECTORY | O_CLOEXEC | O_NOFOLLOW;

/// Times that do not fit (before 1677, after 2262) become the nearest that does.
inline TimeNs toNs(const statx_timestamp& t) {
  constexpr std::int64_t most = std::numeric_limits<TimeNs>::max() / nsPerSecond - 1;
  return std::clamp<std::int64_t>(t.tv_sec, -most, most) * nsPerSecond + t.tv_nsec;
}

inline EntryKind kindOf(unsigned mode) {
  if (S_ISREG(mode)) return EntryKind::file;
  if (S_ISDIR(mode)) return EntryKind::folder;
  if (S_ISLNK(mode)) return EntryKind::symlink;
  return EntryKind::other;
}

/// What this process may do by its user, its groups and the permission bits. Further lists of rights are not
/// asked: who has a right by them alone is taken for somebody who has not.
class UserRights {
public:
  static const UserRights& mine() {
    static const UserRights rights;
    return rights;
  }
  bool everything() const { return user_ == 0; }
  uid_t user() const { return user_; }
  /// Whether names may be removed from a folder.
  bool changes(std::uint32_t mode, uid_t owner, gid_t group) const {
    constexpr unsigned writeAndEnter = 3;
    const bool inGroup = std::find(groups_.begin(), groups_.end(), group) != groups_.end();
    const unsigned shift = owner == user_ ? 6 : inGroup ? 3 : 0;
    return everything() || (mode >> shift & writeAndEnter) == writeAndEnter;
  }

private:
  UserRights() : user_(::geteuid()), groups_(static_cast<std::size_t>(std::max(0, ::getgroups(0, nullptr)))) {
    if (::getgroups(static_cast<int>(groups_.size()), groups_.data()) < 0) groups_.clear();
    groups_.push_back(::getegid());
  }
  uid_t user_;
  std::vector<gid_t> groups_;
};

inline void fillStat(EntryStat& s, const struct statx& x) {
  s.kind = kindOf(x.stx_mode);
  s.mode = x.stx_mode & 07777u;
  s.inode = x.stx_ino;
  s.device = (std::uint64_t{x.stx_dev_major} << 32) | x.stx_dev_minor;
  s.mountId = x.stx_mnt_id;
  s.links = x.stx_nlink;
  s.owner = x.stx_uid;
  s.group = x.stx_gid;
  s.length = x.stx_size;
  s.occupied = x.stx_blocks * 512;
  s.modified = toNs(x.stx_mtime);
  s.accessed = toNs(x.stx_atime);
  s.changed = toNs(x.stx_ctime);
  s.fixed = (x.stx_attributes & (STATX_ATTR_IMMUTABLE | STATX_ATTR_APPEND)) != 0;
  s.foreign = s.kind == EntryKind::folder && !UserRights::mine().changes(x.stx_mode, x.stx_uid, x.stx_gid);
  s.born = (x.stx_mask & STATX_BTIME) != 0 ? toNs(x.stx_btime) : 0;
}

constexpr unsigned statMask = STATX_BASIC_STATS | STATX_BTIME | STATX_MNT_ID;

}  // namespace zt
