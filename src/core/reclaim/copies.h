// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <absl/container/flat_hash_map.h>
#include <absl/container/flat_hash_set.h>

#include "core/match/matcher.h"

namespace zt {

struct GuardedDrive;

/// Sees to it that of files that were found equal one always stays. Immutable; any thread.
class Copies {
public:
  /// `planned`: the outermost things that are to go. `touched`: all that something is done to, so that none
  /// of them is what others become.
  Copies(std::shared_ptr<const std::vector<EqualFiles>> groups, const FindContext& context,
         const std::vector<NodeId>& planned, const std::vector<NodeId>& touched = {});

  /// The groups of which the plan would take all, in several things. What lies in one thing that goes as a
  /// whole was never judged as copies of each other.
  std::vector<const EqualFiles*> allTaken() const;
  /// The groups that go as a whole with one thing of the plan, by that.
  absl::flat_hash_map<NodeId, std::vector<const EqualFiles*>> takenTogether() const;
  /// lastCopy if there is one. On paper.
  Result<void> checkPlan() const;
  /// Whether of everything at or beneath a thing that was taken (it lies in `at` as `name` now) a copy stays:
  /// one that the plan does not take, still what was measured, equal byte by byte. Fails with lastCopy,
  /// cancelled.
  Result<void> checkTaken(const GuardedDrive& drive, NodeId thing, const Folder& at, std::string_view name,
                          const std::stop_token& stop = {}) const;

  /// The files that were found equal to one and are not acted on by the plan, by their names; 64 at most.
  std::vector<NodeId> keepersOnPaper(NodeId copy) const;
  /// The first of them that is still what was measured. Fails with lastCopy where there is none.
  Result<NodeId> keeperOf(const GuardedDrive& drive, NodeId copy) const;

private:
  NodeId plannedWith(NodeId node) const { return liesIn(planned_, node); }
  NodeId liesIn(const absl::flat_hash_set<NodeId>& things, NodeId node) const;
  /// Whether a file goes: with all its names.
  bool goes(NodeId node) const;
  bool goesWithin(NodeId node, NodeId thing) const;
  template <class Each>
  void eachTaken(const Each& each) const;
  Result<void> checkOne(const GuardedDrive& drive, const std::pair<NodeId, std::size_t>& entry, NodeId thing,
                        const Folder& at, std::string_view name, const std::stop_token& stop) const;
  Result<OpenedFilePtr> openWithin(const GuardedDrive& drive, NodeId file, NodeId folder, const Folder& at,
                                   std::string_view name) const;
  Result<void> stays(const GuardedDrive& drive, const EqualFiles& group, NodeId gone, OpenedFile& taken,
                     const std::stop_token& stop) const;
  Result<void> linkStays(const GuardedDrive& drive, const EqualFiles& group, NodeId gone) const;

  std::shared_ptr<const std::vector<EqualFiles>> groups_;
  const FindContext& context_;
  absl::flat_hash_set<NodeId> planned_;
  absl::flat_hash_set<NodeId> touched_;
  std::vector<std::pair<NodeId, std::size_t>> groupOf_;  ///< by node, in order
};

}  // namespace zt
