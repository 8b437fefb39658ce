// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/keeping.h"

#include <algorithm>
#include <array>
#include <cctype>

namespace zt {

namespace {

/// Names that stand for devices on some systems, with or without an ending.
bool isReserved(std::string_view name) {
  std::string stem(name.substr(0, name.find('.')));
  std::transform(stem.begin(), stem.end(), stem.begin(), [](unsigned char c) { return std::toupper(c); });
  static constexpr std::array<std::string_view, 4> plain{"CON", "PRN", "AUX", "NUL"};
  if (std::find(plain.begin(), plain.end(), stem) != plain.end()) return true;
  const bool port = stem.size() == 4 && (stem.starts_with("COM") || stem.starts_with("LPT"));
  return port && stem[3] >= '1' && stem[3] <= '9';
}

/// Well-formed UTF-8, as far as the number of bytes of each character goes.
bool isText(std::string_view name) {
  for (std::size_t i = 0; i < name.size();) {
    const auto c = static_cast<unsigned char>(name[i]);
    const std::size_t more = c < 0x80 ? 0 : (c >> 5) == 6 ? 1 : (c >> 4) == 14 ? 2 : (c >> 3) == 30 ? 3 : 9;
    if (more == 9 || i + more >= name.size()) return false;
    for (std::size_t k = 1; k <= more; ++k)
      if ((static_cast<unsigned char>(name[i + k]) >> 6) != 2) return false;
    i += more + 1;
  }
  return true;
}

}  // namespace

bool Keeping::takes(std::string_view name) const {
  if (name.empty() || name.size() > 255) return false;
  if (anyName) return true;
  constexpr std::string_view forbidden = "\"*/:<>?\\|";
  const bool plain = std::all_of(name.begin(), name.end(), [&](char c) {
    return static_cast<unsigned char>(c) >= 0x20 && forbidden.find(c) == std::string_view::npos;
  });
  return plain && name.back() != ' ' && name.back() != '.' && isText(name) && !isReserved(name);
}

Keeping keepingOf(std::string_view fsType) {
  Keeping keeping;
  const bool fat = fsType == "vfat" || fsType == "msdos";
  if (fat || fsType == "exfat") {
    keeping.owners = keeping.links = keeping.symlinks = keeping.attributes = keeping.holes = false;
    keeping.anyName = false;
    keeping.foldsCase = true;
    keeping.timeStep = 2'000'000'000;  // not all that write it use its finer field
    if (fat) keeping.longestFile = 0xffffffffu;
  }
  if (fsType == "ntfs" || fsType == "ntfs3" || fsType == "fuseblk") {
    keeping.owners = keeping.symlinks = keeping.attributes = false;
    keeping.anyName = false;
    keeping.timeStep = 100;
  }
  return keeping;
}

}  // namespace zt
