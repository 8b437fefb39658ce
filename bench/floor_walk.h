// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>

namespace zt::bench {

struct FloorSums {
  std::uint64_t entries = 0;
  std::uint64_t bytes = 0;
};

/// The walk floor: as many threads, getdents64 and one statx an entry, sums only, nothing kept.
FloorSums floorWalk(const std::string& root, unsigned threads);

}  // namespace zt::bench
