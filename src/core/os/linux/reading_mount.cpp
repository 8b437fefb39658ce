// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/linux/reading_mount.h"

#include <fcntl.h>
#include <linux/capability.h>
#include <linux/mount.h>
#include <sched.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <utility>

#include "core/os/linux/linux_mount_table.h"

namespace zt {

ReadingMount::~ReadingMount() {
  if (copy >= 0) ::close(copy);
  if (original >= 0) ::close(original);
}

namespace {

bool have(unsigned capability) {
  __user_cap_header_struct header{_LINUX_CAPABILITY_VERSION_3, 0};
  __user_cap_data_struct data[2]{};
  return ::syscall(SYS_capget, &header, data) == 0 && (data[0].effective >> capability & 1u) != 0;
}

/// A read-only copy of what is mounted at a path; −1 and errno. Nothing but system calls.
int copyTree(const char* path, unsigned alsoBeneath) {
  const unsigned flags = OPEN_TREE_CLONE | OPEN_TREE_CLOEXEC | AT_NO_AUTOMOUNT | alsoBeneath;
  const auto copy = static_cast<int>(::syscall(SYS_open_tree, AT_FDCWD, path, flags));
  if (copy < 0) return -1;
  mount_attr attributes{};
  attributes.attr_set = MOUNT_ATTR_RDONLY;
  if (::syscall(SYS_mount_setattr, copy, "", AT_EMPTY_PATH | alsoBeneath, &attributes, sizeof attributes) ==
      0)
    return copy;
  const int why = errno;
  ::close(copy);
  errno = why;
  return -1;
}

/// One handle as the ancillary data of a message of one byte (unix(7)).
struct HandleMessage {
  char byte = 0;
  iovec part{&byte, 1};
  alignas(cmsghdr) char room[CMSG_SPACE(sizeof(int))]{};
  msghdr message{};
  HandleMessage() {
    message.msg_iov = &part;
    message.msg_iovlen = 1;
    message.msg_control = room;
    message.msg_controllen = sizeof room;
  }
};

void sendHandle(int socket, int handle) {
  HandleMessage m;
  cmsghdr* head = CMSG_FIRSTHDR(&m.message);
  head->cmsg_level = SOL_SOCKET;
  head->cmsg_type = SCM_RIGHTS;
  head->cmsg_len = CMSG_LEN(sizeof handle);
  std::memcpy(CMSG_DATA(head), &handle, sizeof handle);
  (void)::sendmsg(socket, &m.message, MSG_NOSIGNAL);
}

int takeHandle(int socket) {
  HandleMessage m;
  ssize_t got;
  do got = ::recvmsg(socket, &m.message, MSG_CMSG_CLOEXEC);
  while (got < 0 && errno == EINTR);
  const cmsghdr* head = got > 0 ? CMSG_FIRSTHDR(&m.message) : nullptr;
  if (head == nullptr || head->cmsg_level != SOL_SOCKET || head->cmsg_type != SCM_RIGHTS) return -1;
  int handle = -1;
  std::memcpy(&handle, CMSG_DATA(head), sizeof handle);
  return handle;
}

/// The copy as a process of its own makes it, which has rights over nothing but its own mounts.
int copyInOwnNamespace(const char* path) {
  int ends[2];
  if (::socketpair(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0, ends) != 0) return -1;
  const pid_t child = ::fork();
  if (child == 0) {
    if (::unshare(CLONE_NEWUSER | CLONE_NEWNS) == 0)
      if (const int copy = copyTree(path, 0); copy >= 0) sendHandle(ends[1], copy);
    ::_exit(0);
  }
  ::close(ends[1]);
  const int copy = child > 0 ? takeHandle(ends[0]) : -1;
  ::close(ends[0]);
  while (child > 0 && ::waitpid(child, nullptr, 0) < 0 && errno == EINTR) continue;
  return copy;
}

bool othersBeneath(const PathBytes& path) {
  const auto mounts = LinuxMountTable().mounts();
  if (!mounts) return true;
  for (const Mount& mount : *mounts)
    if (beneath(mount.target, path == "/" ? PathBytes{} : path)) return true;
  return false;
}

int copyOf(const PathBytes& path) {
  if (have(CAP_SYS_ADMIN)) return copyTree(path.c_str(), othersBeneath(path) ? AT_RECURSIVE : 0);
  return copyInOwnNamespace(path.c_str());
}

bool idsOf(int handle, struct statx& x) {
  return ::statx(handle, "", AT_EMPTY_PATH | AT_NO_AUTOMOUNT, STATX_INO | STATX_MNT_ID, &x) == 0;
}

}  // namespace

bool mayKeepAllTimes() {
  return have(CAP_FOWNER);
}

namespace {
/// Copies the mount; false where that cannot be done, or where something else is at its path by now.
bool copyInto(ReadingMount& mount, int opened) {
  struct statx here;
  struct statx there;
  struct statvfs v;
  if (!idsOf(opened, here)) return false;
  mount.originalId = here.stx_mnt_id;
  mount.copy = copyOf(mount.at);
  if (mount.copy < 0 || !idsOf(mount.copy, there)) return false;
  mount.copiedId = there.stx_mnt_id;
  return here.stx_ino == there.stx_ino && here.stx_dev_major == there.stx_dev_major &&
         here.stx_dev_minor == there.stx_dev_minor && ::fstatvfs(mount.copy, &v) == 0 &&
         (v.f_flag & ST_RDONLY) != 0;
}
}  // namespace

ReadingMountPtr readingMount(int opened, const PathBytes& path) {
  auto mount = std::make_shared<ReadingMount>();
  struct statvfs v;
  if (::fstatvfs(opened, &v) == 0 && (v.f_flag & (ST_NOATIME | ST_RDONLY)) != 0) return mount;
  mount->at = path;
  mount->original = ::open(path.c_str(), O_PATH | O_DIRECTORY | O_CLOEXEC);
  mount->quiet = mount->original >= 0 && copyInto(*mount, opened);
  if (!mount->quiet && mount->copy >= 0) ::close(std::exchange(mount->copy, -1));
  return mount;
}

ReadingMountPtr ReadingMount::pieceOf(const PathBytes& folder) const {
  const std::scoped_lock lock(mutex_);
  for (std::size_t end = at.size(); end < folder.size();) {
    end = std::min(folder.find('/', end + 1), folder.size());
    auto [piece, isNew] = pieces_.try_emplace(folder.substr(0, end));
    if (isNew) {
      const int opened = ::open(piece->first.c_str(), O_PATH | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
      auto copied = opened < 0 ? nullptr : readingMount(opened, piece->first);
      struct statx x;
      // What is mounted here is another drive's.
      const bool ours = copied != nullptr && copied->quiet && idsOf(opened, x) && x.stx_mnt_id == originalId;
      if (opened >= 0) ::close(opened);
      if (ours) piece->second = std::move(copied);
    }
    if (piece->second != nullptr) return piece->second;
  }
  return nullptr;
}

}  // namespace zt
