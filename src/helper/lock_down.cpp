// SPDX-License-Identifier: GPL-3.0-or-later
#include "helper/lock_down.h"

#include <cap-ng.h>
#include <fcntl.h>
#include <seccomp.h>
#include <unistd.h>

#include <cerrno>
#include <memory>

namespace zt::helper {

namespace {

bool keepReadingOnly() {
  if (::geteuid() != 0) return true;
  capng_clear(CAPNG_SELECT_BOTH);
  for (const unsigned right :
       {unsigned{CAP_DAC_READ_SEARCH}, unsigned{CAP_SYS_PTRACE}, unsigned{CAP_SYS_ADMIN}})
    if (capng_update(CAPNG_ADD,
                     static_cast<capng_type_t>(CAPNG_EFFECTIVE | CAPNG_PERMITTED | CAPNG_BOUNDING_SET),
                     right) != 0)
      return false;
  return capng_apply(CAPNG_SELECT_BOTH) == 0;
}

/// Calls that change what a file system holds, mount something, or start another program.
constexpr int changing[] = {SCMP_SYS(unlink),
                            SCMP_SYS(unlinkat),
                            SCMP_SYS(rename),
                            SCMP_SYS(renameat),
                            SCMP_SYS(renameat2),
                            SCMP_SYS(rmdir),
                            SCMP_SYS(mkdir),
                            SCMP_SYS(mkdirat),
                            SCMP_SYS(mknod),
                            SCMP_SYS(mknodat),
                            SCMP_SYS(link),
                            SCMP_SYS(linkat),
                            SCMP_SYS(symlink),
                            SCMP_SYS(symlinkat),
                            SCMP_SYS(truncate),
                            SCMP_SYS(ftruncate),
                            SCMP_SYS(fallocate),
                            SCMP_SYS(creat),
                            SCMP_SYS(chmod),
                            SCMP_SYS(fchmod),
                            SCMP_SYS(fchmodat),
                            SCMP_SYS(chown),
                            SCMP_SYS(fchown),
                            SCMP_SYS(fchownat),
                            SCMP_SYS(lchown),
                            SCMP_SYS(utimensat),
                            SCMP_SYS(utime),
                            SCMP_SYS(utimes),
                            SCMP_SYS(futimesat),
                            SCMP_SYS(setxattr),
                            SCMP_SYS(fsetxattr),
                            SCMP_SYS(lsetxattr),
                            SCMP_SYS(removexattr),
                            SCMP_SYS(fremovexattr),
                            SCMP_SYS(lremovexattr),
                            SCMP_SYS(copy_file_range),
                            SCMP_SYS(sendfile),
                            SCMP_SYS(splice),
                            SCMP_SYS(pwrite64),
                            SCMP_SYS(pwritev),
                            SCMP_SYS(mount),
                            SCMP_SYS(umount2),
                            SCMP_SYS(move_mount),
                            SCMP_SYS(mount_setattr),
                            SCMP_SYS(fsopen),
                            SCMP_SYS(fsmount),
                            SCMP_SYS(pivot_root),
                            SCMP_SYS(chroot),
                            SCMP_SYS(swapon),
                            SCMP_SYS(swapoff),
                            SCMP_SYS(execve),
                            SCMP_SYS(execveat),
                            SCMP_SYS(ptrace),
                            SCMP_SYS(process_vm_writev),
                            SCMP_SYS(kill),
                            SCMP_SYS(socket),
                            SCMP_SYS(connect),
                            SCMP_SYS(bind),
                            SCMP_SYS(init_module),
                            SCMP_SYS(finit_module),
                            SCMP_SYS(reboot),
                            SCMP_SYS(io_uring_setup),
                            SCMP_SYS(open_by_handle_at),
                            SCMP_SYS(quotactl),
                            SCMP_SYS(bpf)};

bool filterCalls() {
  struct Release {
    void operator()(void* filter) const { seccomp_release(filter); }
  };
  const std::unique_ptr<void, Release> filter(seccomp_init(SCMP_ACT_ALLOW));
  if (!filter) return false;
  for (const int call : changing)
    if (seccomp_rule_add(filter.get(), SCMP_ACT_ERRNO(EPERM), call, 0) != 0) return false;
  for (const unsigned flag : {unsigned{O_WRONLY}, unsigned{O_RDWR}, unsigned{O_CREAT}, unsigned{O_TRUNC}}) {
    const auto asked = [&](unsigned argument) {
      return scmp_arg_cmp{argument, SCMP_CMP_MASKED_EQ, flag, flag};
    };
    if (seccomp_rule_add(filter.get(), SCMP_ACT_ERRNO(EPERM), SCMP_SYS(openat), 1, asked(2)) != 0 ||
        seccomp_rule_add(filter.get(), SCMP_ACT_ERRNO(EPERM), SCMP_SYS(open), 1, asked(1)) != 0)
      return false;
  }
  return seccomp_load(filter.get()) == 0;
}

}  // namespace

bool lockDown() {
  return keepReadingOnly() && filterCalls();
}

}  // namespace zt::helper
