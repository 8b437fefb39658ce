// SPDX-License-Identifier: GPL-3.0-or-later
#include "bench/floor_walk.h"

#include <dirent.h>
#include <fcntl.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <atomic>
#include <condition_variable>
#include <memory>
#include <mutex>
#include <thread>
#include <vector>

namespace zt::bench {

namespace {

struct Fd {
  explicit Fd(int n) : number(n) {}
  ~Fd() { ::close(number); }
  Fd(const Fd&) = delete;
  Fd& operator=(const Fd&) = delete;
  int number;
};

struct Task {
  std::shared_ptr<Fd> parent;
  std::string name;
};

struct Shared {
  std::mutex mutex;
  std::condition_variable ready;
  std::vector<Task> tasks;
  unsigned idle = 0;
  unsigned threads = 1;
  std::atomic<unsigned> hungry{0};
};

struct Record {
  std::uint64_t inode;
  std::int64_t offset;
  std::uint16_t size;
  std::uint8_t type;
  char name[1];
};

void listOne(const std::shared_ptr<Fd>& folder, std::vector<Task>& stack, FloorSums& sums, char* buffer) {
  for (;;) {
    const long got = ::syscall(SYS_getdents64, folder->number, buffer, 65536);
    if (got <= 0) return;
    for (long at = 0; at < got;) {
      const auto* r = reinterpret_cast<const Record*>(buffer + at);
      at += r->size;
      if (r->name[0] == '.' && (r->name[1] == 0 || (r->name[1] == '.' && r->name[2] == 0))) continue;
      struct statx x;
      if (::statx(folder->number, r->name, AT_SYMLINK_NOFOLLOW | AT_NO_AUTOMOUNT,
                  STATX_BASIC_STATS | STATX_BTIME | STATX_MNT_ID, &x) != 0)
        continue;
      ++sums.entries;
      sums.bytes += x.stx_blocks * 512;
      if (S_ISDIR(x.stx_mode)) stack.push_back({folder, r->name});
    }
  }
}

void work(Shared& shared, FloorSums& sums) {
  std::vector<Task> stack;
  std::vector<char> buffer(65536);
  for (;;) {
    if (stack.empty()) {
      std::unique_lock lock(shared.mutex);
      ++shared.idle;
      ++shared.hungry;
      if (shared.idle == shared.threads && shared.tasks.empty()) shared.ready.notify_all();
      shared.ready.wait(lock, [&] { return !shared.tasks.empty() || shared.idle == shared.threads; });
      if (shared.tasks.empty()) return;
      --shared.idle;
      --shared.hungry;
      stack.push_back(std::move(shared.tasks.back()));
      shared.tasks.pop_back();
    } else if (stack.size() > 1 && shared.hungry > 0) {
      const std::scoped_lock lock(shared.mutex);
      for (std::size_t i = stack.size() / 2; i > 0; --i) {
        shared.tasks.push_back(std::move(stack.front()));
        stack.erase(stack.begin());
      }
      shared.ready.notify_all();
    }
    const Task task = std::move(stack.back());
    stack.pop_back();
    const int fd = ::openat(task.parent->number, task.name.c_str(),
                            O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC | O_NOATIME);
    if (fd < 0) continue;
    listOne(std::make_shared<Fd>(fd), stack, sums, buffer.data());
  }
}

}  // namespace

FloorSums floorWalk(const std::string& root, unsigned threads) {
  Shared shared;
  shared.threads = threads;
  shared.tasks.push_back(
      {std::make_shared<Fd>(::open(root.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC)), "."});
  std::vector<FloorSums> sums(threads);
  std::vector<std::thread> workers;
  for (unsigned i = 0; i < threads; ++i) workers.emplace_back([&, i] { work(shared, sums[i]); });
  for (auto& w : workers) w.join();
  FloorSums all;
  for (const auto& s : sums) all.entries += s.entries, all.bytes += s.bytes;
  return all;
}

}  // namespace zt::bench
