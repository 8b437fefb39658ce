// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/history/comparison.h"
#include "core/history/groups.h"
#include "core/history/trend.h"
#include "core/job/register.h"
#include "words/plan_words.h"

namespace zt {

/// Visits: what changed between two of them, and where it leads.
class HistoryWords : public PlanWords {
public:
  std::string change(Change change) const;  ///< "came", "grew"
  std::string visitKind(VisitKind kind) const;
  std::string grouping(GroupBy by) const;
  /// What changed in all, in one line.
  std::string changeLine(const Comparison& comparison) const;
  /// "-1.2 GB a week (between -1.4 GB and -0.9 GB)", or why nobody can say.
  std::string trend(const Trend& trend) const;
  /// When free bytes fall to a line; empty where the trend says nothing. `line`: what that is: "full".
  std::string forecast(const Trend& trend, const Forecast& forecast, const std::string& line,
                       TimeNs now) const;

protected:
  using PlanWords::PlanWords;
};

}  // namespace zt
