// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstdint>
#include <string_view>

#include "core/base/bytes.h"
#include "core/base/clock.h"

namespace zt {

/// Age bands by modification time. "within" a band: younger than its end, older than the one before.
enum class AgeBand : std::uint8_t { today, week, month, halfYear, year, threeYears, older };
constexpr int ageBands = 7;
std::string_view name(AgeBand band);
/// A time to come counts as today.
AgeBand ageBand(TimeNs modified, TimeNs now);

/// Size bands by occupied bytes: below each of these ends, and what is bigger.
constexpr int sizeBands = 7;
constexpr std::array<Bytes, sizeBands - 1> sizeBandEnds{64'000,      1'000'000,     16'000'000,
                                                        128'000'000, 1'000'000'000, 4'000'000'000};
int sizeBand(Bytes occupied);

/// Files by age and size, summed: what the age × size field shows. A value.
struct AgeSizeField {
  struct Cell {
    Bytes bytes = 0;
    std::uint32_t files = 0;
  };
  std::array<std::array<Cell, sizeBands>, ageBands> cells{};  ///< by age, then size
  void add(TimeNs modified, Bytes occupied, TimeNs now) {
    Cell& cell =
        cells[static_cast<std::size_t>(ageBand(modified, now))][static_cast<std::size_t>(sizeBand(occupied))];
    cell.bytes += occupied;
    ++cell.files;
  }
  void add(const AgeSizeField& other);
};

}  // namespace zt
