// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>

#include "core/os/rights/file_rights.h"
#include "core/os/rights/privileged.h"
#include "core/reclaim/step_executor.h"

namespace zt {

/// Puts together what one run asks rights for, with what a helper has to know of it. Empty where nothing has
/// to be asked for. One thread.
class RightsOrderMaker {
public:
  /// `drive` must outlive it.
  explicit RightsOrderMaker(const GuardedDrive& drive);
  bool asks() const { return asks_; }
  /// A thing that is to be taken, given back or let go as `may` says (core/os/rights/file_rights.h).
  void take(std::string_view may, const PathBytes& path, const Identity& identity);
  /// A thing that a step is carried out on as a whole, with all that lies in it and what it is compared with.
  void carryOut(const StepKind& step, const PathBytes& path, const Identity& identity,
                const StepParameters& parameters);
  RightsOrder order;

private:
  std::uint32_t folder(std::string_view path);
  std::uint32_t tell(NodeId node);
  void tellAll(NodeId node);
  EntryStat statOf(NodeId node) const;

  const GuardedDrive& drive_;
  bool asks_;
  absl::flat_hash_map<PathBytes, std::uint32_t> above_;  ///< folders above what was measured
  absl::flat_hash_map<NodeId, std::uint32_t> told_;
  absl::flat_hash_map<NodeId, const LinkedNode*> links_;
};

/// What a thing of an order is told for a whole step: its identity, what its line says, and what may stay in
/// its place. The helper reads it by `wholeFrom`.
struct WholeThing {
  Identity identity;
  StepParameters parameters;
  std::vector<PathBytes> keepers;  ///< found equal, and not acted on by the plan
};
std::string toTold(const WholeThing& thing);
Result<WholeThing> wholeFrom(const std::string& told);

/// Whether a step that copies, joins or rewrites a thing needs rights over it: it, or something in it, is
/// others', or it cannot be taken.
bool needsStepRights(const GuardedDrive& drive, const PathBytes& path);
/// Whether what was moved to another drive lies there as others'.
bool copyIsOthers(const GuardedDrive& drive, const JournalRecord& record);

/// The phases that are carried out for a batch, or without a consent, beside those of `carryOutPhase`.
Result<void> carryOutWhole(const StepExecutor& step, std::string_view phase, StepSite& site,
                           JournalRecord& record);

/// A step on files that the helper carries out as a whole, for the things which were ordered so: the journal
/// stays here.
std::shared_ptr<const StepExecutor> withStepRights(std::shared_ptr<const StepExecutor> step);

}  // namespace zt
