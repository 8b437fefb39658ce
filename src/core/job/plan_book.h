// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/path_set.h"
#include "core/finds/narrowing.h"
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

/// The plan of a job, the targets it is to reach and what somebody said of things. Every change is checked
/// and written before it stands. One thread at a time.
class PlanBook {
public:
  PlanBook(const Workshop& workshop, JobFile& file, SurveyStore& surveys, const PlaceBook& place)
      : workshop_(workshop), file_(file), surveys_(surveys), place_(place) {}

  const Plan& plan() const { return plan_; }
  const std::vector<Target>& targets() const { return targets_; }
  const Marks& marks() const { return marks_; }
  /// Lines that the latest survey, or a mark, took off the plan.
  const std::vector<LeftLine>& left() const { return left_; }

  Result<void> setTargets(std::vector<Target> targets);
  /// Adds a task's need; fails with badInput for an amount that is none. "20GB,while-it-runs" is needed only
  /// so long.
  Result<void> addTarget(const std::string& label, const std::string& amount);

  /// Puts finds on the plan, all or none; one that is there already gets the step, for the things on its
  /// line. Fails with bedrock, kept,
  /// conflict, unknownStep, notThere. An empty action takes each find's usual offer.
  /// With a rule on many only the things that are meant; finds of which it leaves nothing are left out, and
  /// notThere if that is all of them.
  Result<void> add(const std::vector<std::string>& finds, std::string_view action, const Narrowing& by = {});
  /// Puts finds on the plan together with the points that keep their bytes from coming free, as far as these
  /// may go, all or none. Points that are there already stay. Fails as `add` does, and with lastCopy where
  /// none of them may go.
  Result<void> addWithPoints(const std::vector<std::string>& finds);
  /// The finds, by their ids, for entries that may be planned by hand.
  Result<std::vector<std::string>> pick(const std::vector<PathBytes>& paths);
  /// Puts entries on the plan by their paths, all or none.
  Result<void> addPaths(const std::vector<PathBytes>& paths, std::string_view action);
  /// Takes lines off, all or none.
  Result<void> drop(const std::vector<std::string>& ids);
  Result<void> drop(const std::string& id) { return drop(std::vector<std::string>{id}); }
  /// Changes the plan through the same checks as a plan from outside.
  Result<void> edit(const std::function<void(Plan&)>& change);
  /// A plan from outside is not believed: standing, regret and gain are worked out anew from the survey.
  Result<void> set(Plan plan);
  /// The same for as long as this job is open: nothing of it is written.
  Result<void> suppose(Plan plan);

  /// What somebody says of a thing and of all beneath it, or that nothing is said any more. What is kept
  /// leaves the plan; the other things of its line stay where they go without it.
  Result<void> mark(const std::vector<PathBytes>& paths, std::optional<Mark> mark);

  PlannedGain planned() const { return gainOf(plan_); }
  /// What a plan brings to the counter that targets are of, as the drive stands now.
  PlannedGain gainOf(const Plan& plan) const;
  /// What sees to it that a copy stays of all that this plan takes; nullptr where no contents were compared.
  std::shared_ptr<const Copies> copies(const Plan& plan) const;
  /// Works a plan out for the hardest target, from what is free now.
  /// Works a plan out. What a person put on the plan stays on it.
  Result<Proposal> propose(ProposeOptions options) const;
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
  void adopt(Rebound rebound);
  void takeOff(const std::vector<std::string>& lines);

  /// The documents of targets and of these.
  JobFile::Documents documents(const Plan& plan, const Marks& marks) const;
  Result<void> save() { return file_.put(documents(plan_, marks_)); }
  Result<void> load();

private:
  Plan decidedLines() const;
  Result<void> settle(Plan plan, bool keeps = true);
  Result<void> take(Plan plan, bool keeps);
  void leaveOut(std::vector<Find>& finds, const PathSet& keep) const;
  Result<void> checkInUse(const Plan& plan) const;
  std::optional<PlanLine> unlocked(const PlanLine& line, const FindList& finds, const Marks& marks,
                                   const FindContext& context) const;

  const Workshop& workshop_;
  JobFile& file_;
  SurveyStore& surveys_;
  const PlaceBook& place_;
  Plan plan_;
  std::vector<Target> targets_;
  Marks marks_;
  std::vector<LeftLine> left_;
};

}  // namespace zt
