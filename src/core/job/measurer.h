// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/place_book.h"
#include "core/job/plan_book.h"

namespace zt {

/// Makes the surveys of a job and lets each take its place, all or nothing. One thread at a time.
class Measurer {
public:
  struct Options : WalkOptions {
    /// Ask for rights once, before the walk; goes on without them if they are refused.
    bool everything = false;
    /// The walk is over; finds are being made, which `found` is told of as they come.
    std::function<void(const SurveyPtr&)> walked;
    std::function<void(const ContextPtr&, const Find&)> found;
  };

  Measurer(const Workshop& workshop, PlaceBook& place, SurveyStore& surveys, PlanBook& plan)
      : workshop_(workshop), place_(place), surveys_(surveys), plan_(plan) {}

  Result<void> measure(const Options& options, std::stop_token stop, ProgressSink* progress);
  /// One folder of the survey again (path relative to the root); all else is taken over.
  Result<void> measureAgain(const PathBytes& folder, const Options& options, std::stop_token stop,
                            ProgressSink* progress);
  /// Keeps a survey with its finds, and the plan as it is on it. Everything that can fail comes first; only
  /// then the new survey takes the old one's place.
  Result<void> keep(SurveyPtr survey, const SurveyStore::Watch& watch);
  /// Why the rights that the latest measurement asked for were not given.
  const std::optional<Error>& rightsProblem() const { return rightsProblem_; }

private:
  using Making = std::function<Result<SurveyPtr>(const MeasurePorts& ports)>;
  Result<void> measureWith(const Options& options, std::stop_token stop, const Making& making);

  const Workshop& workshop_;
  PlaceBook& place_;
  SurveyStore& surveys_;
  PlanBook& plan_;
  std::optional<Error> rightsProblem_;
};

}  // namespace zt
