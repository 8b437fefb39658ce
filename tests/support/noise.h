// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <random>
#include <string>

namespace zt::test {

/// Bytes that do not compress; the same from the same seed.
inline std::string noise(std::size_t size, unsigned long seed) {
  std::mt19937 random(static_cast<std::mt19937::result_type>(seed));
  std::string text(size, '\0');
  for (char& c : text) c = static_cast<char>(random());
  return text;
}

}  // namespace zt::test
