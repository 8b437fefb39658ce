// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/linux/linux_open_files.h"

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
#include <unordered_set>
#include <utility>

#include "core/base/apart.h"

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

/// "a:b\\:c" as the folders "a" and "b:c".
std::vector<std::string> layersIn(const std::string& option) {
  std::vector<std::string> layers(1);
  for (std::size_t i = 0; i < option.size(); ++i) {
    if (option[i] == '\\' && i + 1 < option.size())
      layers.back() += option[++i];
    else if (option[i] == ':')
      layers.emplace_back();
    else
      layers.back() += option[i];
  }
  std::erase_if(layers, [](const std::string& layer) { return layer.empty(); });
  return layers;
}

/// What a process has mapped, by the text of its maps (proc_pid_maps(5)): the links in map_files are for
/// those with rights alone.
void addMaps(Growing& listing, const std::string& base, int pid, const std::string& holder) {
  std::ifstream in(base + "/maps");
  std::unordered_set<std::string> paths;
  for (std::string line; std::getline(in, line);)
    if (const auto slash = line.find('/'); slash != std::string::npos) paths.insert(line.substr(slash));
  for (const std::string& path : paths) add(listing, path, pid, holder);
}

/// `own`: this program itself, which has folders of the drive open to look at it.
void addProcess(Growing& listing, const std::string& pid, bool own) {
  const std::string base = "/proc/" + pid;
  std::string holder;
  std::getline(std::ifstream(base + "/comm"), holder);  // a program's name may have blanks
  const int number = std::atoi(pid.c_str());
  const auto each = [&](const char* part) {
    const std::string folder = base + part;
    return forEachName(folder, [&](const char* name) { add(listing, folder + "/" + name, number, holder); });
  };
  if (!own && !each("/fd")) listing.miss();
  if (!each("/map_files")) {
    listing.miss();
    addMaps(listing, base, number, holder);
  }
  for (const char* link : {"/cwd", "/root", "/exe"}) add(listing, base + link, number, holder);
}

/// What is mounted from a folder, or stands on it: both sides of a bind mount are one inode, and the layers
/// of an overlay are named in its options, with what is written in them escaped (mount(8), overlayfs).
void addMounts(Growing& listing) {
  struct Free {
    void operator()(libmnt_table* t) const { mnt_unref_table(t); }
    void operator()(libmnt_iter* i) const { mnt_free_iter(i); }
  };
  const std::unique_ptr<libmnt_table, Free> table(mnt_new_table_from_file("/proc/self/mountinfo"));
  const std::unique_ptr<libmnt_iter, Free> iter(mnt_new_iter(MNT_ITER_FORWARD));
  if (!table || !iter) return;
  libmnt_fs* mount = nullptr;
  while (mnt_table_next_fs(table.get(), iter.get(), &mount) == 0) {
    const char* target = mnt_fs_get_target(mount);
    const char* type = mnt_fs_get_fstype(mount);
    if (target == nullptr || type == nullptr || mnt_fs_is_netfs(mount)) continue;
    if (!mnt_fs_is_pseudofs(mount)) add(listing, target, 0, std::string("mounted at ") + target);
    if (std::strcmp(type, "overlay") != 0) continue;
    for (const char* layer : {"lowerdir", "upperdir", "workdir"}) {
      char* value = nullptr;
      std::size_t size = 0;
      if (mnt_fs_get_option(mount, layer, &value, &size) != 0 || value == nullptr) continue;
      for (const std::string& folder : layersIn(std::string(value, size)))
        add(listing, folder, 0, std::string("overlay at ") + target);
    }
  }
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
      if (name[0] >= '1' && name[0] <= '9') addProcess(*listing, name, self == name);
    });
    if (!seen) listing->miss();
    addMounts(*listing);
    addSwap(*listing);
    addLoops(*listing);
    listing->finish();
  };
  // A path of another process can lead to a drive that hangs: the thread that waits for it is left behind.
  patience_.count() > 0 ? leaveBehind(listAll) : listAll();
  return listing->takeWithin(patience_);
}

}  // namespace zt
