// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>

#include "core/drive/system_family.h"
#include "core/plan/step_kind.h"
#include "core/reclaim/guard.h"
#include "core/reclaim/step_executor.h"
#include "core/reclaim/steps/with_step_rights.h"
#include "helper/conversation.h"

namespace zt::helper {

/// Carries steps out on others' files as a whole, a phase at a time, as their client's journal has come to
/// it: what is moved to another drive, joined with an equal file, stored once with it, or made compact. Knows
/// the drive as far as its client told it; what stands there must be that. One thread.
class WholeSteps {
public:
  struct Ports {
    std::shared_ptr<FileSystem> files;
    std::shared_ptr<OpenFiles> openFiles;
    /// Opens a folder of another drive than the one of a root.
    std::function<Result<OtherDrive>(const PathBytes& root, const PathBytes& path)> openOther;
    /// Whether the client asks for an end of what goes on. Empty: it never does.
    std::function<bool()> asksToStop;
  };
  using Tell = std::function<void(Bytes went)>;

  /// Opens the other drives, as long as all rights are there. Fails as that does.
  static Result<std::unique_ptr<WholeSteps>> begin(const Ports& ports, const PathBytes& root, StepFacts facts,
                                                   std::vector<SystemRoot> systems);

  /// Whether it is one of these steps, with what such a step is told. Takes it into the order.
  bool order(const RightsThing& thing);
  /// Takes away empty folders of holds that an earlier run of this job made and did not come to use. Before
  /// the first phase, when nobody has made any for this one.
  void tidyUnused(const FolderPtr& top) const;
  /// What was measured; in parts. False for what cannot be.
  bool know(const Json& entries);
  /// Carries a phase of {phase, memory, records} out; fails with notPermitted for what is not ordered.
  /// `consent`: whether there is one, without which things are only set back.
  Result<Json> carryOut(const Json& request, const FolderPtr& top, bool consent, const Tell& tell);

private:
  WholeSteps(const Ports& ports, PathBytes root, StepFacts facts, std::vector<SystemRoot> systems);
  Result<void> see(const FolderPtr& top);
  const StepKind* kindOf(std::string_view action) const;
  Result<void> mayBe(const JournalRecord& record, std::string_view phase, bool consent) const;
  Result<void> run(std::string_view phase, StepSite& site, std::span<JournalRecord> records);
  Result<OtherDrives> othersOf(const JournalRecord& record) const;
  void remember(const std::string& memory);
  const Holders& holdersOf(const std::string& phase);

  Ports ports_;
  PathBytes root_;
  StepFacts facts_;
  std::vector<SystemRoot> systems_;
  std::vector<StepKind> kinds_;
  OtherDrives others_;
  std::map<std::pair<std::string, PathBytes>, WholeThing> things_;
  std::optional<GuardedDrive> drive_;  ///< from the first phase on: then all is known
  std::shared_ptr<StepMemory> memory_;
  std::set<std::pair<std::int64_t, std::int64_t>> verified_;  ///< run and seq of what may be finished
  std::string lastPhase_;
  std::optional<Holders> holders_;
};

}  // namespace zt::helper
