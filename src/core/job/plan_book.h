// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/plan_reading.h"
#include "core/query/narrowing.h"

namespace zt {

/// The plan of a job, the targets it is to reach and what somebody said of things. Every change is checked
/// and written before it stands. One thread at a time.
class PlanBook final : public PlanReading {
public:
  PlanBook(const Workshop& workshop, JobFile& file, SurveyStore& surveys, const PlaceBook& place)
      : PlanReading(workshop, surveys, place), file_(file) {}

  Result<void> setTargets(std::vector<Target> targets);
  /// Adds a task's need; fails with badInput for an amount that is none. "20GB,while-it-runs" is needed only
  /// so long.
  Result<void> addTarget(const std::string& label, const std::string& amount);

  /// Puts finds on the plan, all or none; one that is there already gets the step, for the things on its
  /// line. Fails with bedrock, kept,
  /// conflict, unknownStep, notThere. An empty action takes each find's usual offer.
  /// With a rule on many only the things that are meant; finds of which it leaves nothing are left out, and
  /// notThere if that is all of them. `told` is what the step takes beside its things; badInput where it does
  /// not.
  Result<void> add(const std::vector<std::string>& finds, std::string_view action, const Narrowing& by = {},
                   const StepParameters& told = {});
  /// Puts finds on the plan together with the points that keep their bytes from coming free, as far as these
  /// may go, all or none. Points that are there already stay. Fails as `add` does, and with lastCopy where
  /// none of them may go.
  Result<void> addWithPoints(const std::vector<std::string>& finds);
  /// Whether the other drives that a line would name are others: fails with onDrive for a folder of this one,
  /// by whatever path. `add` does not ask: a drive that is not here yet may be planned with.
  Result<void> checkOtherDrives(std::string_view action, const StepParameters& told) const;
  /// The finds, by their ids, for entries that may be planned by hand.
  Result<std::vector<std::string>> pick(const std::vector<PathBytes>& paths);
  /// Puts entries on the plan by their paths, all or none.
  Result<void> addPaths(const std::vector<PathBytes>& paths, std::string_view action,
                        const StepParameters& told = {});
  /// Takes lines off, all or none.
  Result<void> drop(const std::vector<std::string>& ids);
  Result<void> drop(const std::string& id) { return drop(std::vector<std::string>{id}); }
  /// Puts each thing of a line on a line of its own, with the same step.
  Result<void> split(const std::string& id);
  /// Takes the last change of the plan back, or does it again: as long as the job is open, through the same
  /// checks as any change. notThere where there is none.
  Result<void> undoEdit() { return step(past_, ahead_); }
  Result<void> redoEdit() { return step(ahead_, past_); }
  bool canUndoEdit() const { return !past_.empty(); }
  bool canRedoEdit() const { return !ahead_.empty(); }
  /// Changes the plan through the same checks as a plan from outside.
  Result<void> edit(const std::function<void(Plan&)>& change);
  /// A plan from outside is not believed: standing, regret and gain are worked out anew from the survey.
  Result<void> set(Plan plan);
  /// The same for as long as this job is open: nothing of it is written.
  Result<void> suppose(Plan plan);

  /// What somebody says of a thing and of all beneath it, or that nothing is said any more. What is kept
  /// leaves the plan; the other things of its line stay where they go without it.
  Result<void> mark(const std::vector<PathBytes>& paths, std::optional<Mark> mark);

  void adopt(Rebound rebound);
  void takeOff(const std::vector<std::string>& lines);

  Result<void> save() { return file_.put(documents(plan_, marks_)); }
  Result<void> load();

private:
  Result<void> settle(Plan plan, bool keeps = true);
  Result<void> take(Plan plan, bool keeps);
  Result<void> checkInUse(const Plan& plan) const;

  /// The plan becomes the last of those, and what it was the last of these.
  Result<void> step(std::vector<Plan>& from, std::vector<Plan>& to);
  void remember();

  JobFile& file_;
  static constexpr std::size_t mostEdits = 50;
  std::vector<Plan> past_, ahead_;  ///< the latest last
};

}  // namespace zt
