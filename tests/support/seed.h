// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdio>
#include <cstdlib>
#include <random>

namespace zt::test {

/// A seed for what a test draws by lot: another one each time, printed, or the one given back in ZT_SEED.
inline unsigned drawSeed() {
  const char* given = std::getenv("ZT_SEED");
  const unsigned seed =
      given != nullptr ? static_cast<unsigned>(std::strtoul(given, nullptr, 10)) : std::random_device{}();
  std::printf("seed %u (again with ZT_SEED=%u)\n", seed, seed);
  std::fflush(stdout);  // a test that is killed for its time said it, too
  return seed;
}

}  // namespace zt::test
