// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>

#include "core/catalogue/standing.h"
#include "core/survey/tree/age_size.h"

namespace zt::desktop {

/// A cell of the age × size field: what the files of one age and one size come to.
struct FieldCell {
  Bytes bytes = 0;
  std::uint32_t files = 0;
  std::array<Bytes, standings> by{};
};
using FieldCells = std::array<std::array<FieldCell, sizeBands>, ageBands>;  ///< by age, then size

}  // namespace zt::desktop
