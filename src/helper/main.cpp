// SPDX-License-Identifier: GPL-3.0-or-later
// ztally-helper: the only code that runs with rights. Speaks with its client on standard input and output,
// and ends with it. Takes no environment and one argument: "read", or "drop", to let the points of one order
// go.
#include <linux/magic.h>
#include <sys/statfs.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <string>

#include "core/os/btrfs/linux_snapshots.h"
#include "core/os/linux/linux_drive_insides.h"
#include "core/os/linux/linux_file_system.h"
#include "core/os/linux/linux_open_files.h"
#include "helper/drop_server.h"
#include "helper/lock_down.h"
#include "helper/server.h"

namespace {

using zt::helper::Conversation, zt::helper::mostRequestBytes;

/// A pipe without a name: nobody but the client that made it can hold its other end.
bool isPrivatePipe(int fd) {
  constexpr long pipefs = 0x50495045;  // PIPEFS_MAGIC
  struct statfs fs;
  return ::fstatfs(fd, &fs) == 0 && fs.f_type == pipefs;
}

bool sendLine(const std::string& line) {
  std::string text = line + "\n";
  for (std::size_t at = 0; at < text.size();) {
    const ssize_t sent = ::write(STDOUT_FILENO, text.data() + at, text.size() - at);
    if (sent < 0 && errno == EINTR) continue;
    if (sent <= 0) return false;
    at += static_cast<std::size_t>(sent);
  }
  return true;
}

/// Until the client is gone, or cannot be spoken to.
int converse(Conversation& server) {
  std::string buffer;
  for (;;) {
    char block[16384];
    const ssize_t got = ::read(STDIN_FILENO, block, sizeof block);
    if (got < 0 && errno == EINTR) continue;
    if (got <= 0) return 0;
    buffer.append(block, static_cast<std::size_t>(got));
    std::size_t from = 0;
    for (std::size_t end; (end = buffer.find('\n', from)) != std::string::npos; from = end + 1) {
      if (end - from > mostRequestBytes) return server.refuseLength(), 1;
      if (!server.handle(std::string_view(buffer).substr(from, end - from))) return 1;
    }
    buffer.erase(0, from);
    if (buffer.size() > mostRequestBytes) return server.refuseLength(), 1;
  }
}

}  // namespace

int main(int argc, char** argv) {
  using namespace zt::helper;
  const std::string_view purpose = argc == 2 ? argv[1] : "";
  const bool toDrop = purpose == "drop";
  if ((!toDrop && purpose != "read") || !isPrivatePipe(STDIN_FILENO) || !isPrivatePipe(STDOUT_FILENO))
    return 2;
  ::clearenv();
  // One step at a time by openat: the kernel can check its flags.
  zt::LinuxFileSystem files(zt::LinuxFileSystem::Opening::stepByStep);
  zt::LinuxOpenFiles openFiles{std::chrono::milliseconds(0)};
  zt::LinuxDriveInsides insides;
  Server reading(files, openFiles, insides, sendLine);
  reading.quietly = [&](const zt::PathBytes& root) { return files.openWithoutTrace(root); };
  DropServer dropping(
      files, [](zt::FolderPtr top) { return std::make_shared<zt::LinuxSnapshots>(std::move(top)); },
      sendLine);
  Conversation& server = toDrop ? static_cast<Conversation&>(dropping) : reading;
  server.onBegin = [toDrop] { return lockDown(toDrop ? Purpose::drop : Purpose::read); };
  return converse(server);
}
