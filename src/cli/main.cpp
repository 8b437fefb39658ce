// SPDX-License-Identifier: GPL-3.0-or-later
#include <signal.h>
#include <unistd.h>

#include <iostream>
#include <thread>

#include "cli/app.h"
#include "core/job/linux_workshop.h"
#include "core/os/linux/limits.h"
#include "words/language.h"

int main(int argc, char** argv) {
  zt::beginTheirLanguage();
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

  zt::Workshop workshop = zt::linuxWorkshop();
  zt::cli::Console console{workshop, std::cout, std::cerr, ::isatty(STDERR_FILENO) == 1, stop.get_token()};
  const int status = zt::cli::run(console, argc, argv);
  std::cout.flush();
  return std::cout.good() ? status : 1;
}
