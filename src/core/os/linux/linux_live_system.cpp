// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/linux/linux_live_system.h"

#include <fcntl.h>
#include <libmount/libmount.h>
#include <poll.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <fstream>

namespace zt {

namespace {

constexpr std::size_t mostSaid = std::size_t{1} << 20;

class Pipe {
public:
  Pipe() {
    if (::pipe2(ends_.data(), O_CLOEXEC) != 0) ends_ = {-1, -1};
  }
  ~Pipe() {
    shut(0);
    shut(1);
  }
  Pipe(const Pipe&) = delete;
  Pipe& operator=(const Pipe&) = delete;
  bool open() const { return ends_[0] >= 0; }
  int end(std::size_t i) const { return ends_[i]; }
  void shut(std::size_t i) {
    if (ends_[i] >= 0) ::close(ends_[i]);
    ends_[i] = -1;
  }

private:
  std::array<int, 2> ends_{-1, -1};
};

class LinuxLiveSystem final : public LiveSystem {
public:
  Result<std::vector<SwapUse>> swaps() override {
    struct Free {
      void operator()(libmnt_table* t) const { mnt_unref_table(t); }
      void operator()(libmnt_iter* i) const { mnt_free_iter(i); }
    };
    const std::unique_ptr<libmnt_table, Free> table(mnt_new_table());
    const std::unique_ptr<libmnt_iter, Free> iter(mnt_new_iter(MNT_ITER_FORWARD));
    if (!table || !iter || mnt_table_parse_swaps(table.get(), nullptr) != 0) return fail(Errc::io, "swaps");
    std::vector<SwapUse> all;
    libmnt_fs* swap = nullptr;
    while (mnt_table_next_fs(table.get(), iter.get(), &swap) == 0)
      if (const char* path = mnt_fs_get_source(swap))
        // In units of a KiB.
        all.push_back({path, static_cast<Bytes>(mnt_fs_get_size(swap)) * 1024,
                       static_cast<Bytes>(mnt_fs_get_usedsize(swap)) * 1024, mnt_fs_get_priority(swap)});
    return all;
  }

  Bytes spareMemory() override {
    std::ifstream in("/proc/meminfo");
    std::string word;
    Bytes kib = 0;
    while (in >> word)
      if (word == "MemAvailable:" && in >> kib) return kib * 1024;
    return 0;
  }

  Result<ProgramRun> run(const std::vector<std::string>& arguments,
                         const std::function<void()>& alive) override {
    Pipe out, err;
    if (!out.open() || !err.open()) return failErrno("run", {}, errno);
    std::vector<char*> argv;
    for (const std::string& a : arguments) argv.push_back(const_cast<char*>(a.c_str()));
    argv.push_back(nullptr);
    std::string path = "PATH=/usr/sbin:/usr/bin:/sbin:/bin", lang = "LC_ALL=C.UTF-8",
                front = "DEBIAN_FRONTEND=noninteractive";
    std::array<char*, 4> environment{path.data(), lang.data(), front.data(), nullptr};
    posix_spawn_file_actions_t actions;
    ::posix_spawn_file_actions_init(&actions);
    ::posix_spawn_file_actions_addopen(&actions, 0, "/dev/null", O_RDONLY, 0);
    ::posix_spawn_file_actions_adddup2(&actions, out.end(1), 1);
    ::posix_spawn_file_actions_adddup2(&actions, err.end(1), 2);
    pid_t child = -1;
    const std::string program = programNamed(arguments.front());
    const int why =
        ::posix_spawn(&child, program.c_str(), &actions, nullptr, argv.data(), environment.data());
    ::posix_spawn_file_actions_destroy(&actions);
    if (why != 0) return failErrno("run", arguments.front(), why);
    out.shut(1);
    err.shut(1);
    return follow(child, out, err, alive);
  }

private:
  /// Among the system's own folders, whatever this process was started with.
  static std::string programNamed(const std::string& name) {
    if (name.starts_with('/')) return name;
    for (const char* folder : {"/usr/sbin/", "/usr/bin/", "/sbin/", "/bin/"})
      if (::access((folder + name).c_str(), X_OK) == 0) return folder + name;
    return name;
  }

  static bool take(Pipe& pipe, std::string& into) {
    std::array<char, 8192> block{};
    const ssize_t got = ::read(pipe.end(0), block.data(), block.size());
    if (got > 0 && into.size() < mostSaid) into.append(block.data(), static_cast<std::size_t>(got));
    if (got == 0 || (got < 0 && errno != EINTR)) pipe.shut(0);
    return got > 0;
  }

  static Result<ProgramRun> follow(pid_t child, Pipe& out, Pipe& err, const std::function<void()>& alive) {
    ProgramRun run;
    while (out.open() || err.open()) {
      std::array<pollfd, 2> waits{{{out.end(0), POLLIN, 0}, {err.end(0), POLLIN, 0}}};
      if (::poll(waits.data(), waits.size(), 1000) < 0 && errno != EINTR) break;
      if (alive) alive();
      if (waits[0].revents != 0) take(out, run.out);
      if (waits[1].revents != 0) take(err, run.err);
    }
    int status = 0;
    while (::waitpid(child, &status, 0) < 0 && errno == EINTR) {
    }
    run.status = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
    return run;
  }
};

}  // namespace

std::shared_ptr<LiveSystem> linuxLiveSystem() {
  return std::make_shared<LinuxLiveSystem>();
}

}  // namespace zt
