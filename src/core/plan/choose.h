// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <compare>
#include <cstdint>
#include <utility>
#include <vector>

#include "core/base/bytes.h"

namespace zt {

/// What choosing something costs: first what one may be sorry for, then the trouble of doing it.
struct ChoiceCost {
  std::uint64_t regret = 0;  ///< below 2^60 in all
  std::uint64_t effort = 0;  ///< below 2^40 in all
  auto operator<=>(const ChoiceCost&) const = default;
  ChoiceCost& operator+=(const ChoiceCost& other) {
    regret += other.regret;
    effort += other.effort;
    return *this;
  }
};

/// Which of many things are to be taken, so that their gains reach what is needed at the least cost.
struct ChoiceProblem {
  struct Thing {
    Bytes gain = 0;
    ChoiceCost cost;
    bool lasts = true;  ///< false: a loan, which helps for now only
  };
  struct Together {
    std::vector<std::uint32_t> things;
    Bytes gain = 0;  ///< comes only when all of them are taken
  };
  std::vector<Thing> things;
  std::vector<std::pair<std::uint32_t, std::uint32_t>> needs;     ///< the first only with the second
  std::vector<std::pair<std::uint32_t, std::uint32_t>> excludes;  ///< not both
  std::vector<Together> together;
  Bytes need = 0;        ///< by what lasts
  Bytes needForNow = 0;  ///< with what is lent

  Bytes gainOf(const std::vector<bool>& taken, bool lasting) const;
  ChoiceCost costOf(const std::vector<bool>& taken) const;
  /// Whether what is needed is there, and nothing that is excluded.
  bool allows(const std::vector<bool>& taken) const;
  bool reaches(const std::vector<bool>& taken) const {
    return gainOf(taken, true) >= need && gainOf(taken, false) >= needForNow;
  }
};

struct Chosen {
  std::vector<bool> taken;
  bool reaches = false;  ///< else all that helps is taken
  ChoiceCost cost;
  bool optimal = false;  ///< proved: nothing costs less
  double gap = 0;  ///< (regret − lower bound) ÷ lower bound; of the linear relaxation where not proved
};

/// Branch and bound over the things in the order of what they cost a byte; the bound is the linear relaxation
/// of the covering problem (Dantzig 1957), in which a gain that comes only together is shared out evenly.
/// Exact up to about forty things; of more, all but those near the turning point are decided by that order
/// (the "core" of Balas and Zemel 1980), and the gap says what that may cost. Pure; any thread.
Chosen choose(const ChoiceProblem& problem);

}  // namespace zt
