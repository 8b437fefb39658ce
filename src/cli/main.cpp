// SPDX-License-Identifier: GPL-3.0-or-later
#include <signal.h>
#include <unistd.h>

#include <iostream>
#include <thread>

#include "cli/app.h"
#include "core/os/helper_client.h"
#include "core/os/limits.h"
#include "core/os/linux_drive_insides.h"
#include "core/os/linux_file_system.h"
#include "core/os/linux_mount_table.h"
#include "core/os/linux_open_files.h"
#include "core/os/system_clock.h"

int main(int argc, char** argv) {
  zt::keepLargeBlocksApart();
  // Ctrl+C and a polite end ask to stop between items; what was measured or done so far is kept.
  sigset_t polite;
  sigemptyset(&polite);
  for (const int signal : {SIGINT, SIGTERM, SIGHUP}) sigaddset(&polite, signal);
  pthread_sigmask(SIG_BLOCK, &polite, nullptr);
  std::stop_source stop;
  std::thread([polite, stop]() mutable {
    int signal = 0;
    sigwait(&polite, &signal);
    stop.request_stop();
  }).detach();

  zt::LinuxFileSystem files;
  zt::LinuxMountTable mounts;
  zt::LinuxOpenFiles openFiles;
  zt::SystemClock clock;
  zt::LinuxDriveInsides insides;
  zt::HelperClient privileged(zt::helperCommand());
  zt::System system{files, mounts, openFiles, clock, insides, privileged};
  zt::cli::Console console{system, std::cout, std::cerr, ::isatty(STDERR_FILENO) == 1, stop.get_token()};
  const int status = zt::cli::run(console, argc, argv);
  std::cout.flush();
  return std::cout.good() ? status : 1;
}
