// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/run_program.h"

#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <filesystem>
#include <thread>

#include "support/temp_folder.h"

extern char** environ;

namespace zt::test {

std::string program(const std::string& name) {
  for (const char* folder : {"/usr/bin/", "/bin/", "/usr/sbin/", "/sbin/"})
    if (std::filesystem::exists(folder + name)) return folder + name;
  return name;
}

Ran runProgram(const std::vector<std::string>& arguments, long killAfterUs) {
  int out[2];
  int err[2];
  must(::pipe2(out, O_CLOEXEC) == 0 && ::pipe2(err, O_CLOEXEC) == 0, "pipe");
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_adddup2(&actions, out[1], 1);
  posix_spawn_file_actions_adddup2(&actions, err[1], 2);
  std::vector<char*> argv;
  for (const auto& a : arguments) argv.push_back(const_cast<char*>(a.c_str()));
  argv.push_back(nullptr);
  pid_t pid = 0;
  must(::posix_spawn(&pid, argv[0], &actions, nullptr, argv.data(), environ) == 0, arguments[0]);
  posix_spawn_file_actions_destroy(&actions);
  ::close(out[1]);
  ::close(err[1]);
  std::thread killer;
  if (killAfterUs > 0)
    killer = std::thread([pid, killAfterUs] {
      ::usleep(static_cast<useconds_t>(killAfterUs));
      ::kill(pid, SIGKILL);
    });
  Ran ran;
  pollfd fds[2] = {{out[0], POLLIN, 0}, {err[0], POLLIN, 0}};
  std::string* texts[2] = {&ran.out, &ran.err};
  for (int open = 2; open > 0;) {
    must(::poll(fds, 2, -1) >= 0, "poll");
    for (int i = 0; i < 2; ++i) {
      if (fds[i].fd < 0 || fds[i].revents == 0) continue;
      char block[65536];
      const ssize_t got = ::read(fds[i].fd, block, sizeof block);
      if (got > 0) {
        texts[i]->append(block, static_cast<std::size_t>(got));
      } else {
        ::close(fds[i].fd);
        fds[i].fd = -1;
        --open;
      }
    }
  }
  // The killer must not outlive the process id: joined before the zombie is reaped.
  if (killer.joinable()) killer.join();
  int status = 0;
  ::waitpid(pid, &status, 0);
  ran.status = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
  return ran;
}

}  // namespace zt::test
