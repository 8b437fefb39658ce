// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/path_set.h"
#include "core/job/place_book.h"
#include "core/job/survey_store.h"
#include "core/plan/proposer.h"
#include "core/reclaim/run.h"

namespace zt {

/// A line that is not on the plan any more, although nobody took it off.
struct LeftLine {
  std::string id;
  PathBytes path;  ///< of its largest item
  Errc why = Errc::notThere;
};

/// The reading half of a job's plan: what stands on it, what that brings, what it needs agreed to, and what
/// would reach the targets. Changes nothing. One thread at a time.
class PlanReading {
public:
  const Plan& plan() const { return plan_; }
  const std::vector<Target>& targets() const { return targets_; }
  const Marks& marks() const { return marks_; }
  /// Lines that the latest survey, or a mark, took off the plan.
  const std::vector<LeftLine>& left() const { return left_; }

  PlannedGain planned() const { return gainOf(plan_); }
  /// What a plan brings to the counter that targets are of, as the drive stands now.
  PlannedGain gainOf(const Plan& plan) const;
  /// What sees to it that a copy stays of all that this plan takes; nullptr where no contents were compared.
  std::shared_ptr<const Copies> copies(const Plan& plan) const;
  /// Works a plan out for the hardest target, from what is free now. What a person put on the plan stays on
  /// it.
  Result<Proposal> propose(ProposeOptions options) const;
  /// One of the ways to reach the targets.
  struct Alternative {
    std::string id;  ///< "least-regret", "fewest-steps", "no-regret" (as far as that goes), "nothing-leaves"
    Proposal proposal;
    Bytes sure = 0;
  };
  /// Three ways side by side; of two that are the same both, so that one sees it. The last is without moving
  /// anything where something may be moved, and else without anything to regret.
  Result<std::vector<Alternative>> alternatives(const ProposeOptions& options) const;
  Consent consent() const { return consentFor(plan_); }
  /// The same with what each line really loses: goes through everything that is planned.
  Consent toldConsent() const;

  /// The plan as it would be on another survey: a line stays with those of its things that are found again,
  /// or picked again; nothing comes onto it by itself. And the marks as they stand on it; on the first survey
  /// of a job those that earlier visits to the drive left, too.
  struct Rebound {
    Plan plan;
    Marks marks;
    std::vector<LeftLine> left;
    std::vector<NodeId> picked;  ///< entries that need a picked find of their own
  };
  Rebound rebind(const SurveyStore::Content& content) const;
  /// The documents of targets and of these.
  JobFile::Documents documents(const Plan& plan, const Marks& marks) const;

protected:
  PlanReading(const Workshop& workshop, SurveyStore& surveys, const PlaceBook& place)
      : workshop_(workshop), surveys_(surveys), place_(place) {}
  ~PlanReading() = default;
  PlanReading(const PlanReading&) = delete;
  PlanReading& operator=(const PlanReading&) = delete;
  std::optional<PlanLine> unlocked(const PlanLine& line, const FindList& finds, const Marks& marks,
                                   const FindContext& context) const;

  const Workshop& workshop_;
  SurveyStore& surveys_;
  const PlaceBook& place_;
  Plan plan_;
  std::vector<Target> targets_;
  Marks marks_;
  std::vector<LeftLine> left_;

private:
  Plan decidedLines() const;
  void leaveOut(std::vector<Find>& finds, const PathSet& keep) const;
};

}  // namespace zt
