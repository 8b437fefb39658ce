// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/ladder.h"
#include "core/proof/proof.h"
#include "words/find_words.h"

namespace zt {

/// Plan, Reclaim and Proof: what a line costs and gives, what a person agrees to, and how it came out.
class PlanWords : public FindWords {
public:
  /// What of a plan's gain does not reach the counter; empty if all of it does.
  std::string refillNote(const PlannedGain& gain) const;
  std::string loss(const StepKind* step, Regret regret) const;  ///< what a consent says will be lost
  std::string consent(const Consent::Line& line) const;
  /// What a line says beside its things: "to: /mnt/other, times: 3"; empty where it says nothing.
  std::string told(const StepParameters& parameters) const;
  std::string losses(const Losses& lost) const;  ///< what goes beside bytes; empty where nothing is known to
  /// What is left when nothing else reaches, with what it needs, by its id.
  std::string lastResort(std::string_view id) const;
  /// A way to reach the target: "least-regret", "fewest-steps", "nothing-leaves".
  std::string alternative(std::string_view id) const;
  /// Why something is not on a proposal, as `LeftOut` names it.
  std::string leftOut(std::string_view why) const;
  /// "1 line", "4 lines".
  std::string lines(std::size_t count) const;
  /// A condition of a line of the plan, by its id.
  std::string lineCondition(std::string_view id) const;
  std::string decision(const Decision& d, TimeNs now) const;
  /// The ladder in one line: "nothing to regret 4.2 GB · waiting +6.1 GB · …".
  std::string ladder(const Ladder& ladder) const;
  std::string reason(const ProofReason& r) const;
  /// What a restart still gives, or gave; empty where none is needed.
  std::string restart(Restart r) const;

protected:
  using FindWords::FindWords;
};

}  // namespace zt
