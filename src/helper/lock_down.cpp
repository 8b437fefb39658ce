// SPDX-License-Identifier: GPL-3.0-or-later
#include "helper/lock_down.h"

#include <cap-ng.h>
#include <fcntl.h>
#include <linux/btrfs.h>
#include <linux/fiemap.h>
#include <linux/fs.h>
#include <linux/fsmap.h>
#include <seccomp.h>
#include <sys/mman.h>
#include <unistd.h>
#include <xfs/xfs.h>

#include <cerrno>
#include <memory>
#include <span>

namespace zt::helper {

namespace {

constexpr int nobody = 65534;

/// To read and search everything, to see what processes hold open, and to ask file systems about their
/// extents.
constexpr unsigned rightsToRead[] = {CAP_DAC_READ_SEARCH, CAP_SYS_PTRACE, CAP_SYS_ADMIN};
/// To find subvolumes, to take them out of folders of other owners, and to have the file system let them go.
constexpr unsigned rightsToDrop[] = {CAP_DAC_READ_SEARCH, CAP_DAC_OVERRIDE, CAP_SYS_ADMIN};

/// Becomes nobody, with a few rights left.
bool becomeNobody(std::span<const unsigned> rights) {
  if (::geteuid() != 0) return true;
  capng_clear(CAPNG_SELECT_BOTH);
  for (const unsigned right : rights)
    if (capng_update(CAPNG_ADD, static_cast<capng_type_t>(CAPNG_EFFECTIVE | CAPNG_PERMITTED), right) != 0)
      return false;
  const auto how = static_cast<capng_flags_t>(CAPNG_DROP_SUPP_GRP | CAPNG_CLEAR_BOUNDING);
  return capng_change_id(nobody, nobody, how) == 0 && ::geteuid() != 0 && ::getuid() != 0;
}

/// What reading needs, and nothing else.
constexpr int reading[] = {SCMP_SYS(read),
                           SCMP_SYS(pread64),
                           SCMP_SYS(write),
                           SCMP_SYS(close),
                           SCMP_SYS(fstat),
                           SCMP_SYS(newfstatat),
                           SCMP_SYS(statx),
                           SCMP_SYS(statfs),
                           SCMP_SYS(fstatfs),
                           SCMP_SYS(getdents64),
                           SCMP_SYS(readlink),
                           SCMP_SYS(readlinkat),
                           SCMP_SYS(lseek),
                           SCMP_SYS(munmap),
                           SCMP_SYS(mremap),
                           SCMP_SYS(madvise),
                           SCMP_SYS(brk),
                           SCMP_SYS(futex),
                           SCMP_SYS(rt_sigaction),
                           SCMP_SYS(rt_sigprocmask),
                           SCMP_SYS(rt_sigreturn),
                           SCMP_SYS(sigaltstack),
                           SCMP_SYS(exit),
                           SCMP_SYS(exit_group),
                           SCMP_SYS(getpid),
                           SCMP_SYS(gettid),
                           SCMP_SYS(tgkill),
                           SCMP_SYS(clock_gettime),
                           SCMP_SYS(clock_nanosleep),
                           SCMP_SYS(nanosleep),
                           SCMP_SYS(sched_yield),
                           SCMP_SYS(getrandom),
                           SCMP_SYS(poll),
                           SCMP_SYS(ppoll),
                           SCMP_SYS(dup),
                           SCMP_SYS(getuid),
                           SCMP_SYS(geteuid),
                           SCMP_SYS(getgid),
                           SCMP_SYS(getegid),
                           SCMP_SYS(access),
                           SCMP_SYS(faccessat),
                           SCMP_SYS(faccessat2),
                           SCMP_SYS(restart_syscall),
                           SCMP_SYS(sysinfo),
                           SCMP_SYS(uname),
                           SCMP_SYS(getcwd),
                           SCMP_SYS(sched_getaffinity)};

/// Questions to file systems; the numbers of those that change something are not among them.
constexpr unsigned long questions[] = {BTRFS_IOC_TREE_SEARCH_V2, BTRFS_IOC_SPACE_INFO, BTRFS_IOC_INO_LOOKUP,
                                       BTRFS_IOC_FS_INFO,        BTRFS_IOC_DEV_INFO,   FS_IOC_GETFSMAP,
                                       XFS_IOC_FSGEOMETRY,       XFS_IOC_AG_GEOMETRY,  FS_IOC_FIEMAP};

/// What an order to let points go needs beside some of them: what lies in the arguments is checked by the
/// server, because the kernel cannot look there.
constexpr unsigned long toDrop[] = {BTRFS_IOC_SNAP_DESTROY_V2, BTRFS_IOC_SYNC, BTRFS_IOC_TREE_SEARCH_V2,
                                    BTRFS_IOC_INO_LOOKUP};

class Filter {
public:
  Filter() : filter_(seccomp_init(SCMP_ACT_ERRNO(EPERM))) {}
  void allow(int call) {
    ok_ = ok_ && filter_ && seccomp_rule_add(filter_.get(), SCMP_ACT_ALLOW, call, 0) == 0;
  }
  /// Only with `argument & mask == value`.
  void allow(int call, unsigned argument, scmp_datum_t mask, scmp_datum_t value) {
    const scmp_arg_cmp asked{argument, SCMP_CMP_MASKED_EQ, mask, value};
    ok_ = ok_ && filter_ && seccomp_rule_add_array(filter_.get(), SCMP_ACT_ALLOW, call, 1, &asked) == 0;
  }
  bool load() { return ok_ && seccomp_load(filter_.get()) == 0; }

private:
  struct Release {
    void operator()(void* filter) const { seccomp_release(filter); }
  };
  std::unique_ptr<void, Release> filter_;
  bool ok_ = true;
};

/// openat2 is not among them: its flags lie in memory, where the kernel cannot compare them.
bool filterCalls(std::span<const unsigned long> asks) {
  constexpr scmp_datum_t temporary = 020000000;  // O_TMPFILE without O_DIRECTORY
  constexpr scmp_datum_t changing = O_ACCMODE | O_CREAT | O_TRUNC | O_APPEND | temporary;
  Filter filter;
  for (const int call : reading) filter.allow(call);
  filter.allow(SCMP_SYS(openat), 2, changing, O_RDONLY);
  filter.allow(SCMP_SYS(open), 1, changing, O_RDONLY);
  filter.allow(SCMP_SYS(mmap), 2, PROT_EXEC, 0);
  filter.allow(SCMP_SYS(mprotect), 2, PROT_EXEC, 0);
  for (const int get : {F_GETFD, F_GETFL, F_SETFD, F_DUPFD_CLOEXEC})
    filter.allow(SCMP_SYS(fcntl), 1, 0xffffffffu, static_cast<scmp_datum_t>(get));
  for (const unsigned long ask : asks) filter.allow(SCMP_SYS(ioctl), 1, 0xffffffffu, ask);
  return filter.load();
}

}  // namespace

bool lockDown(Purpose purpose) {
  return purpose == Purpose::drop ? becomeNobody(rightsToDrop) && filterCalls(toDrop)
                                  : becomeNobody(rightsToRead) && filterCalls(questions);
}

}  // namespace zt::helper
