// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <sys/stat.h>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <string>

#include "support/noise.h"
#include "support/run_program.h"

namespace zt::test {

/// Makes a file with its folders.
inline void putOn(const std::string& path, const std::string& text) {
  std::filesystem::create_directories(std::filesystem::path(path).parent_path());
  std::ofstream(path, std::ios::binary) << text;
}

inline std::string sha256sumOf(const std::string& path) {
  return runProgram({"/usr/bin/sha256sum", path}).out.substr(0, 64);
}

inline std::uint64_t inodeAt(const std::string& path) {
  struct stat s {};
  return ::stat(path.c_str(), &s) == 0 ? s.st_ino : 0;
}

/// The folder that a transfer made in another one; empty where there is none.
inline std::string movedIn(const std::string& folder) {
  for (const auto& e : std::filesystem::directory_iterator(folder))
    if (e.path().filename().string().starts_with("moved-")) return e.path();
  return {};
}

/// Whether a program of the system finds every file of a list of checksums as the list says.
inline bool sumsFit(const std::string& folder) {
  return !folder.empty() &&
         runProgram(
             {"/bin/bash", "-c", "cd \"$1\" && sha256sum -c --strict --quiet SHA256SUMS", "sums", folder})
                 .status == 0;
}

/// Ten times as many with `ZT_SOAK=10`.
inline int soaked(int tenth) {
  const char* soak = std::getenv("ZT_SOAK");
  return tenth * (soak == nullptr ? 1 : std::max(1, std::atoi(soak)));
}

}  // namespace zt::test
