// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <sys/stat.h>
#include <unistd.h>

#include <filesystem>
#include <string>
#include <vector>

#include "support/run_program.h"
#include "support/temp_folder.h"

namespace zt::test {

/// Runs the command line as an ordinary user; the helper it starts runs as we do: a small program with the
/// set-user-ID bit stands for polkit, which needs a session.
struct Unprivileged {
  TempFolder folder;
  std::string helper;

  Unprivileged() {
    helper = folder / "helper-as-root";
    std::filesystem::copy_file(ZTALLY_HELPER_PROGRAM, helper);
    must(::chown(helper.c_str(), 0, 0) == 0, "chown");
    must(::chmod(helper.c_str(), 04755) == 0, "chmod");
    must(::chmod(folder.path().c_str(), 0755) == 0, "chmod");
  }
  /// `around`: a program that is to run it.
  Ran run(std::vector<std::string> args, bool withHelper, std::vector<std::string> around = {}) const {
    std::vector<std::string> all = std::move(around);
    all.insert(all.end(),
               {"/usr/bin/setpriv", "--reuid=65534", "--regid=65534", "--clear-groups", "/usr/bin/env",
                "ZTALLY_HELPER=" + (withHelper ? helper : std::string("/nonexistent"))});
    all.insert(all.end(), {ZTALLY});
    all.insert(all.end(), args.begin(), args.end());
    return runProgram(all);
  }
};

inline bool rootAndSetUidWork(const TempFolder& t) {
  if (::geteuid() != 0) return false;
  const auto fs = std::filesystem::space(t.path());
  return fs.capacity > 0;
}

}  // namespace zt::test
