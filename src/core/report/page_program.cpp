// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/report/page_program.h"

#include <fcntl.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <vector>

#include "core/os/paths.h"

extern char** environ;

namespace zt {

namespace {

PathBytes pageProgram() {
  if (const char* given = std::getenv("ZTALLY_PAGE")) return given;
  const auto self = openedProgram();
  for (const PathBytes& path :
       {PathBytes(ZT_PAGE_PATH),
        self ? joinPath(parentPath(parentPath(*self)), "page/zip-tally-page") : PathBytes()})
    if (!path.empty() && exists(path)) return path;
  return {};
}

bool writeAll(int to, const std::string& text) {
  for (std::size_t at = 0; at < text.size();) {
    const ssize_t written = ::write(to, text.data() + at, text.size() - at);
    if (written < 0 && errno == EINTR) continue;
    if (written <= 0) return false;
    at += static_cast<std::size_t>(written);
  }
  return true;
}

}  // namespace

Result<void> setAsPdf(const std::string& html, const PathBytes& file) {
  PathBytes program = pageProgram();
  if (program.empty()) return fail(Errc::notThere, "sheet", file, "zip-tally-page");
  int ends[2];
  if (::pipe2(ends, O_CLOEXEC) != 0) return failErrno("sheet", file, errno);
  posix_spawn_file_actions_t actions;
  ::posix_spawn_file_actions_init(&actions);
  ::posix_spawn_file_actions_adddup2(&actions, ends[0], 0);
  PathBytes out = file;
  char* argv[] = {program.data(), out.data(), nullptr};
  pid_t child = -1;
  const int why = ::posix_spawn(&child, program.c_str(), &actions, nullptr, argv, environ);
  ::posix_spawn_file_actions_destroy(&actions);
  ::close(ends[0]);
  if (why != 0) {
    ::close(ends[1]);
    return failErrno("sheet", file, why);
  }
  // One that ended early must not end us.
  struct sigaction ignored {
  }, before{};
  ignored.sa_handler = SIG_IGN;
  ::sigaction(SIGPIPE, &ignored, &before);
  const bool told = writeAll(ends[1], html);
  ::close(ends[1]);
  int status = 0;
  while (::waitpid(child, &status, 0) < 0 && errno == EINTR) {
  }
  ::sigaction(SIGPIPE, &before, nullptr);
  if (told && WIFEXITED(status) && WEXITSTATUS(status) == 0) return {};
  constexpr int noSpace = 3;  // as the program ends where the drive is full
  if (WIFEXITED(status) && WEXITSTATUS(status) == noSpace) return failErrno("sheet", file, ENOSPC);
  return fail(Errc::io, "sheet", file, "zip-tally-page");
}

}  // namespace zt
