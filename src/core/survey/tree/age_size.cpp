// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/tree/age_size.h"

namespace zt {

std::string_view name(AgeBand band) {
  static constexpr std::array<std::string_view, ageBands> names{"today", "week",        "month", "half-year",
                                                                "year",  "three-years", "older"};
  return names[static_cast<std::size_t>(band)];
}

AgeBand ageBand(TimeNs modified, TimeNs now) {
  static constexpr std::array<int, ageBands - 1> ends{1, 7, 30, 182, 365, 3 * 365};
  TimeNs age = 0;
  // Times on a drive can be any number; the difference of two may not fit.
  if (__builtin_sub_overflow(now, modified, &age)) return modified < now ? AgeBand::older : AgeBand::today;
  for (std::size_t i = 0; i < ends.size(); ++i)
    if (age < ends[i] * nsPerDay) return static_cast<AgeBand>(i);
  return AgeBand::older;
}

int sizeBand(Bytes occupied) {
  int band = 0;  // a sum has no branches to guess wrongly
  for (const Bytes end : sizeBandEnds) band += occupied >= end;
  return band;
}

void AgeSizeField::add(const AgeSizeField& other) {
  for (std::size_t a = 0; a < cells.size(); ++a)
    for (std::size_t s = 0; s < cells[a].size(); ++s) {
      cells[a][s].bytes += other.cells[a][s].bytes;
      cells[a][s].files += other.cells[a][s].files;
    }
}

}  // namespace zt
