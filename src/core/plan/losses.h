// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <string>
#include <vector>

#include "core/plan/plan.h"

namespace zt {

/// What goes with the things of a line beside bytes, as far as it is known, the worst first: what the places
/// say of what lies in them, and how many files of personal kinds. Texts of the catalogue, in plain English;
/// at most `most`. Empty where nothing is lost but time.
struct Losses {
  /// "Keys and passwords", "Doors closed for ever": both as the catalogue has them, the second may be empty.
  struct Known {
    std::string what;
    std::string lost;
    /// "Keys and passwords: doors closed for ever"
    std::string text() const;
    bool operator==(const Known&) const = default;
  };
  std::vector<Known> known;
  std::array<std::uint64_t, fileKinds> files{};  ///< by kind, of what no place explains as its maker's
  std::uint64_t unjudged = 0;                    ///< files that nobody has judged
  std::uint64_t lastCopies = 0;  ///< contents that were found in several files, all of which go with it
  PathBytes lastCopy;            ///< one of those files
};
Losses lossesOf(const PlanLine& line, const FindContext& context, std::size_t most = 4);

}  // namespace zt
