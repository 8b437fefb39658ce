// SPDX-License-Identifier: GPL-3.0-or-later
#include "helper/lock_down.h"

#include <cap-ng.h>
#include <fcntl.h>
#include <linux/btrfs.h>
#include <linux/fiemap.h>
#include <linux/fs.h>
#include <linux/fsmap.h>
#include <sched.h>
#include <seccomp.h>
#include <sys/mman.h>
#include <sys/prctl.h>
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

/// To look into folders of others, to take things out of them and let them go, and to see what processes hold
/// open.
constexpr unsigned rightsToChange[] = {CAP_DAC_READ_SEARCH, CAP_DAC_OVERRIDE, CAP_FOWNER, CAP_SYS_PTRACE};

/// To copy, join and rewrite files with all that belongs to them beside.
constexpr unsigned rightsToCarryOut[] = {CAP_DAC_READ_SEARCH, CAP_DAC_OVERRIDE, CAP_FOWNER, CAP_SYS_PTRACE,
                                         CAP_CHOWN,           CAP_FSETID,       CAP_SETFCAP};

/// Keeps a few rights, as this user.
bool keepOnly(std::span<const unsigned> rights) {
  capng_clear(CAPNG_SELECT_BOTH);
  for (const unsigned right : rights)
    if (capng_update(CAPNG_ADD, static_cast<capng_type_t>(CAPNG_EFFECTIVE | CAPNG_PERMITTED), right) != 0)
      return false;
  return true;
}

/// Stays root, whose holds are nobody else's, with a few rights left.
bool stayRootWithFewRights(std::span<const unsigned> rights) {
  if (::geteuid() != 0) return true;
  return keepOnly(rights) && ::setresgid(0, 0, 0) == 0 && capng_apply(CAPNG_SELECT_BOTH) == 0;
}

/// Becomes nobody, with a few rights left.
bool becomeNobody(std::span<const unsigned> rights) {
  if (::geteuid() != 0) return true;
  if (!keepOnly(rights)) return false;
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

/// What taking things, giving them back and letting them go needs beside.
constexpr int toChange[] = {SCMP_SYS(renameat2), SCMP_SYS(unlinkat), SCMP_SYS(mkdirat), SCMP_SYS(fsync),
                            SCMP_SYS(fdatasync)};

/// And what copying, joining and rewriting needs.
constexpr int toCarryOut[] = {
    SCMP_SYS(linkat),     SCMP_SYS(symlinkat),   SCMP_SYS(fchmod),       SCMP_SYS(fchmodat),
    SCMP_SYS(chmod),      SCMP_SYS(fchown),      SCMP_SYS(fchownat),     SCMP_SYS(utimensat),
    SCMP_SYS(getxattr),   SCMP_SYS(lgetxattr),   SCMP_SYS(fgetxattr),    SCMP_SYS(listxattr),
    SCMP_SYS(llistxattr), SCMP_SYS(flistxattr),  SCMP_SYS(setxattr),     SCMP_SYS(lsetxattr),
    SCMP_SYS(fsetxattr),  SCMP_SYS(removexattr), SCMP_SYS(lremovexattr), SCMP_SYS(fremovexattr),
    SCMP_SYS(pwrite64),   SCMP_SYS(ftruncate),   SCMP_SYS(fallocate),    SCMP_SYS(copy_file_range),
    SCMP_SYS(fadvise64),  SCMP_SYS(syncfs),      SCMP_SYS(pwritev)};
constexpr unsigned long toJoin[] = {FIDEDUPERANGE, FS_IOC_FIEMAP, FS_IOC_GETFLAGS, FS_IOC_SETFLAGS};

enum class Changes { nothing, names, content };

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
  /// Says that there is no such call, so that an older one is used.
  void lacks(int call) {
    ok_ = ok_ && filter_ && seccomp_rule_add(filter_.get(), SCMP_ACT_ERRNO(ENOSYS), call, 0) == 0;
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
bool filterCalls(std::span<const unsigned long> asks, Changes changes = Changes::nothing) {
  constexpr scmp_datum_t temporary = 020000000;  // O_TMPFILE without O_DIRECTORY
  constexpr scmp_datum_t changing = O_ACCMODE | O_CREAT | O_TRUNC | O_APPEND | temporary;
  Filter filter;
  for (const int call : reading) filter.allow(call);
  filter.allow(SCMP_SYS(openat), 2, changing, O_RDONLY);
  filter.allow(SCMP_SYS(open), 1, changing, O_RDONLY);
  if (changes != Changes::nothing) {
    for (const int call : toChange) filter.allow(call);
    filter.allow(SCMP_SYS(openat), 2, changing, O_WRONLY | O_APPEND | O_CREAT);
  }
  if (changes == Changes::content) {
    for (const int call : toCarryOut) filter.allow(call);
    for (const int how : {O_RDWR, O_RDWR | O_CREAT})
      filter.allow(SCMP_SYS(openat), 2, changing, static_cast<scmp_datum_t>(how));
    filter.allow(SCMP_SYS(fcntl), 1, 0xffffffffu, F_OFD_SETLK);
    // Threads of its own, and no processes: the flags of clone3 lie in memory.
    filter.lacks(SCMP_SYS(clone3));
    filter.allow(SCMP_SYS(clone), 0, CLONE_THREAD, CLONE_THREAD);
    for (const int call : {SCMP_SYS(set_robust_list), SCMP_SYS(rseq)}) filter.allow(call);
  }
  filter.allow(SCMP_SYS(mmap), 2, PROT_EXEC, 0);
  filter.allow(SCMP_SYS(mprotect), 2, PROT_EXEC, 0);
  for (const int get : {F_GETFD, F_GETFL, F_SETFD, F_DUPFD_CLOEXEC})
    filter.allow(SCMP_SYS(fcntl), 1, 0xffffffffu, static_cast<scmp_datum_t>(get));
  for (const unsigned long ask : asks) filter.allow(SCMP_SYS(ioctl), 1, 0xffffffffu, ask);
  return filter.load();
}

}  // namespace

bool lockDown(Purpose purpose) {
  if (purpose == Purpose::live)
    return (::geteuid() != 0 || (::setresgid(0, 0, 0) == 0 && ::setresuid(0, 0, 0) == 0)) &&
           ::prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) == 0;
  if (purpose == Purpose::change)
    return stayRootWithFewRights(rightsToChange) && filterCalls({}, Changes::names);
  if (purpose == Purpose::carryOut)
    return stayRootWithFewRights(rightsToCarryOut) && filterCalls(toJoin, Changes::content);
  return purpose == Purpose::drop ? becomeNobody(rightsToDrop) && filterCalls(toDrop)
                                  : becomeNobody(rightsToRead) && filterCalls(questions);
}

}  // namespace zt::helper
