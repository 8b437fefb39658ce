// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json.hpp>
#include <string>
#include <vector>

namespace zt::test {

struct Ran {
  int status = -1;  ///< exit status; 128 + signal if it was killed
  std::string out;
  std::string err;
  nlohmann::json json() const { return nlohmann::json::parse(out, nullptr, false); }
};

/// Runs a program with arguments (no shell) and waits for it; with `killAfterUs` > 0 it is killed by SIGKILL
/// after so many microseconds.
Ran runProgram(const std::vector<std::string>& arguments, long killAfterUs = 0);

/// Where a program of the system lies, an administrator's too; the name alone if nowhere.
std::string program(const std::string& name);

}  // namespace zt::test
