// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/linux_open_files.h"

#include <dirent.h>
#include <libmount/libmount.h>
#include <sys/stat.h>
#include <sys/sysmacros.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <functional>
#include <memory>

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

void add(OpenFiles::Listing& listing, const std::string& link, int pid, const std::string& holder) {
  struct stat st;
  if (::stat(link.c_str(), &st) != 0) return;
  if (!S_ISREG(st.st_mode) && !S_ISDIR(st.st_mode)) return;
  OpenFile file;
  file.pid = pid;
  file.holder = holder;
  file.device = (std::uint64_t{major(st.st_dev)} << 32) | minor(st.st_dev);
  file.inode = st.st_ino;
  file.deleted = S_ISREG(st.st_mode) && st.st_nlink == 0;
  file.occupied = static_cast<Bytes>(st.st_blocks) * 512;
  listing.files.push_back(std::move(file));
}

void addProcess(OpenFiles::Listing& listing, const std::string& pid) {
  const std::string base = "/proc/" + pid;
  std::string holder;
  std::getline(std::ifstream(base + "/comm"), holder);  // a program's name may have blanks
  const int number = std::atoi(pid.c_str());
  for (const char* part : {"/fd", "/map_files"}) {
    const std::string folder = base + part;
    const bool seen =
        forEachName(folder, [&](const char* name) { add(listing, folder + "/" + name, number, holder); });
    listing.complete = listing.complete && seen;
  }
  add(listing, base + "/cwd", number, holder);
  add(listing, base + "/root", number, holder);
}

void addSwap(OpenFiles::Listing& listing) {
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

void addLoops(OpenFiles::Listing& listing) {
  forEachName("/sys/block", [&](const char* name) {
    if (std::strncmp(name, "loop", 4) != 0) return;
    std::ifstream in(std::string("/sys/block/") + name + "/loop/backing_file");
    std::string path;
    if (std::getline(in, path)) add(listing, path, 0, name);
  });
}

}  // namespace

Result<OpenFiles::Listing> LinuxOpenFiles::list() {
  Listing listing;
  const std::string self = std::to_string(::getpid());
  const bool seen = forEachName("/proc", [&](const char* name) {
    if (name[0] >= '1' && name[0] <= '9' && self != name) addProcess(listing, name);
  });
  if (!seen) return fail(Errc::notPermitted, "open-files", "/proc");
  addSwap(listing);
  addLoops(listing);
  return listing;
}

}  // namespace zt
