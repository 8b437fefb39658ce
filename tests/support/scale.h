// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <cstdlib>

namespace zt::test {

/// So many, or under a sanitizer, where each takes long, a twentieth of them.
constexpr int crowd(int many) {
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
  return many / 20;
#else
  return many;
#endif
}

/// A tenth of so many, or what the environment's ZT_SOAK says: that many tenths.
inline unsigned seedsFor(unsigned all) {
  const char* soak = std::getenv("ZT_SOAK");
  const int tenths = soak == nullptr ? 1 : std::clamp(std::atoi(soak), 1, 10);
  return all * static_cast<unsigned>(tenths) / 10;
}

}  // namespace zt::test
