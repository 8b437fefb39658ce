// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/drive/system_family.h"
#include "core/drive/target.h"
#include "core/plan/step_kind.h"
#include "core/reclaim/run.h"
#include "words/figures.h"

namespace zt {

/// What the values of our enumerations, and the kinds of things, are called.
class KindWords : public Figures {
public:
  std::string standing(Standing s) const;
  std::string standingMeaning(Standing s) const;
  std::string regret(Regret r) const;
  /// What stands at a find that is on the plan: "planned", "to hold", "advised".
  std::string planMark(const StepKind& step) const;
  std::string role(DriveRole r) const;
  std::string kind(DriveKind k) const;
  std::string size(SizeClass s) const;
  std::string family(SystemFamily f) const;
  std::string urgency(Urgency u) const;
  std::string ageBand(AgeBand b) const;
  std::string sinceModified(AgeBand b) const;  ///< "not modified for one to three years"
  std::string findKind(std::string_view kind) const;
  std::string step(const StepKind& step) const;
  std::string offer(const Offer& offer) const;
  std::string action(std::string_view id) const;  ///< of a kind of step known by its name alone
  std::string fileKind(FileKind kind) const;
  std::string when(GainTime time) const;
  std::string mark(Mark mark) const;
  std::string itemState(ItemState s) const;
  std::string lineState(LineOutcome::State s) const;
  std::string exception(SurveyException::Kind kind) const;
  std::string pointLock(PointLock lock) const;    // why it stays
  std::string writablePoint(bool changed) const;  // what is told of one that can be gone on in

protected:
  using Figures::Figures;
};

}  // namespace zt
