// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/linux_open_files.h"

#include <dirent.h>
#include <fcntl.h>
#include <libmount/libmount.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <condition_variable>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <functional>
#include <memory>
#include <mutex>
#include <thread>
#include <utility>

namespace zt {

namespace {

struct DirClose {
  void operator()(DIR* d) const { ::closedir(d); }
};

/// Calls `each` with every name in a folder; false if it cannot be opened for lack of rights.
bool forEachName(const std::string& folder, const std::function<void(const char*)>& each) {
  const std::unique_ptr<DIR, DirClose> dir(::opendir(folder.c_str()));
  if (!dir) return errno != EACCES && errno != EPERM;
  while (const dirent* entry = ::readdir(dir.get()))
    if (entry->d_name[0] != '.') each(entry->d_name);
  return true;
}

/// What is being listed, where it can be taken from a thread that hangs.
class Growing {
public:
  void add(OpenFile file) {
    const std::scoped_lock lock(mutex_);
    listing_.files.push_back(std::move(file));
  }
  void miss() {
    const std::scoped_lock lock(mutex_);
    listing_.complete = false;
  }
  void finish() {
    const std::scoped_lock lock(mutex_);
    finished_ = true;
    changed_.notify_all();
  }
  /// What there is once all is listed, or when the time is over.
  OpenFiles::Listing takeWithin(std::chrono::milliseconds patience) {
    std::unique_lock lock(mutex_);
    if (!changed_.wait_for(lock, patience, [&] { return finished_; })) listing_.complete = false;
    return std::exchange(listing_, {});
  }

private:
  std::mutex mutex_;
  std::condition_variable changed_;
  OpenFiles::Listing listing_;
  bool finished_ = false;
};

void add(Growing& listing, const std::string& link, int pid, const std::string& holder) {
  struct statx st;
  // What is known of a file without asking its server, which may not answer: its numbers never change.
  if (::statx(AT_FDCWD, link.c_str(), AT_STATX_DONT_SYNC | AT_NO_AUTOMOUNT,
              STATX_TYPE | STATX_INO | STATX_NLINK | STATX_BLOCKS, &st) != 0)
    return;
  if (!S_ISREG(st.stx_mode) && !S_ISDIR(st.stx_mode)) return;
  OpenFile file;
  file.pid = pid;
  file.holder = holder;
  file.device = (std::uint64_t{st.stx_dev_major} << 32) | st.stx_dev_minor;
  file.inode = st.stx_ino;
  file.deleted = S_ISREG(st.stx_mode) && st.stx_nlink == 0;
  file.occupied = static_cast<Bytes>(st.stx_blocks) * 512;
  listing.add(std::move(file));
}

void addProcess(Growing& listing, const std::string& pid) {
  const std::string base = "/proc/" + pid;
  std::string holder;
  std::getline(std::ifstream(base + "/comm"), holder);  // a program's name may have blanks
  const int number = std::atoi(pid.c_str());
  for (const char* part : {"/fd", "/map_files"}) {
    const std::string folder = base + part;
    const bool seen =
        forEachName(folder, [&](const char* name) { add(listing, folder + "/" + name, number, holder); });
    if (!seen) listing.miss();
  }
  add(listing, base + "/cwd", number, holder);
  add(listing, base + "/root", number, holder);
}

void addSwap(Growing& listing) {
  struct Free {
    void operator()(libmnt_table* t) const { mnt_unref_table(t); }
    void operator()(libmnt_iter* i) const { mnt_free_iter(i); }
  };
  const std::unique_ptr<libmnt_table, Free> swaps(mnt_new_table());
  const std::unique_ptr<libmnt_iter, Free> iter(mnt_new_iter(MNT_ITER_FORWARD));
  if (!swaps || !iter || mnt_table_parse_swaps(swaps.get(), nullptr) != 0) return;
  libmnt_fs* swap = nullptr;
  while (mnt_table_next_fs(swaps.get(), iter.get(), &swap) == 0)
    if (const char* path = mnt_fs_get_source(swap)) add(listing, path, 0, "swap");
}

void addLoops(Growing& listing) {
  forEachName("/sys/block", [&](const char* name) {
    if (std::strncmp(name, "loop", 4) != 0) return;
    std::ifstream in(std::string("/sys/block/") + name + "/loop/backing_file");
    std::string path;
    if (std::getline(in, path)) add(listing, path, 0, name);
  });
}

}  // namespace

Result<OpenFiles::Listing> LinuxOpenFiles::list() {
  if (::access("/proc", R_OK | X_OK) != 0) return fail(Errc::notPermitted, "open-files", "/proc");
  const auto listing = std::make_shared<Growing>();
  const auto listAll = [listing] {
    const std::string self = std::to_string(::getpid());
    const bool seen = forEachName("/proc", [&](const char* name) {
      if (name[0] >= '1' && name[0] <= '9' && self != name) addProcess(*listing, name);
    });
    if (!seen) listing->miss();
    addSwap(*listing);
    addLoops(*listing);
    listing->finish();
  };
  // A path of another process can lead to a drive that hangs: the thread that waits for it is left behind.
  patience_.count() > 0 ? std::thread(listAll).detach() : listAll();
  return listing->takeWithin(patience_);
}

}  // namespace zt
