// SPDX-License-Identifier: GPL-3.0-or-later
// ztally-helper: the only code that runs with rights. Speaks with its client on standard input and output,
// and ends with it. Takes no environment and one argument: "read", "drop", to let the points of one
// order go, "live", to carry one order out on the system that runs, or "change", to take the things of one
// order out of their folders.
#include <linux/magic.h>
#include <poll.h>
#include <sys/statfs.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <string>

#include "core/job/other_drive.h"
#include "core/os/btrfs/linux_snapshots.h"
#include "core/os/linux/linux_drive_insides.h"
#include "core/os/linux/linux_file_system.h"
#include "core/os/linux/linux_live_system.h"
#include "core/os/linux/linux_mount_table.h"
#include "core/os/linux/linux_open_files.h"
#include "helper/change_server.h"
#include "helper/drop_server.h"
#include "helper/live_server.h"
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

/// As far as a step on the running system asks.
std::string typeOf(const zt::PathBytes& root) {
  struct statfs fs;
  return ::statfs(root.c_str(), &fs) == 0 && fs.f_type == BTRFS_SUPER_MAGIC ? "btrfs" : "";
}

/// Whether the client says something while it waits for an answer: then it asks for an end.
bool inputWaits() {
  pollfd in{STDIN_FILENO, POLLIN, 0};
  return ::poll(&in, 1, 0) > 0;
}

/// A folder of another drive than the root's, no part of it a link.
zt::Result<zt::OtherDrive> openAnother(const zt::System& machine,
                                       const std::shared_ptr<zt::LinuxFileSystem>& files,
                                       const zt::PathBytes& root, const zt::PathBytes& path) {
  if (!path.starts_with('/')) return zt::fail(zt::Errc::badInput, "other-drive", path);
  const auto top = files->openRoot("/");
  if (!top) return tl::unexpected(top.error());
  auto folder = files->openNoLinks(**top, std::string_view(path).substr(1));
  if (!folder) return tl::unexpected(folder.error());
  const auto same = liesOnDrive(machine, root, path);
  if (!same) return tl::unexpected(same.error());
  if (*same) return zt::fail(zt::Errc::onDrive, "other-drive", path, "other-drive");
  auto other = openOtherDrive(machine, files, path);
  if (other) other->root = std::move(*folder);
  return other;
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
  const bool toDrop = purpose == "drop", onLive = purpose == "live", toChange = purpose == "change";
  if ((!toDrop && !onLive && !toChange && purpose != "read") || !isPrivatePipe(STDIN_FILENO) ||
      !isPrivatePipe(STDOUT_FILENO))
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
  LiveServer changing({std::make_shared<zt::LinuxFileSystem>(), std::make_shared<zt::LinuxOpenFiles>(),
                       zt::linuxLiveSystem(), typeOf},
                      sendLine);
  const zt::System machine{
      std::make_shared<zt::LinuxFileSystem>(), std::make_shared<zt::LinuxMountTable>(), {}, {}, {}, {}};
  const auto shared = std::make_shared<zt::LinuxFileSystem>(zt::LinuxFileSystem::Opening::stepByStep);
  const auto openOther = [&](const zt::PathBytes& root, const zt::PathBytes& path) {
    return openAnother(machine, shared, root, path);
  };
  ChangeServer taking(
      {shared, std::make_shared<zt::LinuxOpenFiles>(std::chrono::milliseconds(0)), openOther, inputWaits},
      insides, [&](const zt::PathBytes& root) { return systemsFrom(machine, root); }, sendLine);
  Conversation* all[] = {&reading, &dropping, &changing, &taking};
  const Purpose is = onLive     ? Purpose::live
                     : toDrop   ? Purpose::drop
                     : toChange ? Purpose::change
                                : Purpose::read;
  Conversation& server = *all[static_cast<int>(is)];
  server.onBegin = [is, &taking] {
    return lockDown(is == Purpose::change && taking.carriesOut() ? Purpose::carryOut : is);
  };
  return converse(server);
}
