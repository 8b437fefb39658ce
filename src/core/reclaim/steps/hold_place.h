// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/reclaim/step_executor.h"

namespace zt {

/// Takes items into the hold, puts them back, and unlinks them there. Every step is by open folder handles.
/// What is held is written down beside it (docs/formats/hold.md), so that it is found again from the drive
/// alone. One thread at a time.
class HoldPlace {
public:
  HoldPlace(GuardedDrive& drive, std::int64_t run) : drive_(drive), run_(run) {}

  /// Opens (and makes, if need be) the folder an item would be held in: at the root, or where that is another
  /// subvolume or may not be written, in the highest folder above the item that will do. `record.holdFolder`
  /// and `device` are set.
  Result<void> choose(JournalRecord& record);
  /// The same for what is let go at once: where the drive has no block or inode left for a hold, the item
  /// stays where it is until it goes (`inPlace`).
  Result<void> chooseOrStay(JournalRecord& record);
  /// Writes down what is about to be taken, in the folder that it will be held in. Fails with the first that
  /// could not be.
  Result<void> writeDown(std::span<JournalRecord> records);
  /// Whether the item is still what was measured, on the same mount, and nobody holds it. Gives it by handle.
  Result<Looked> stillMeasured(const JournalRecord& record, const Holders& holders);
  /// Moves the item into the hold if it is still what was measured.
  Result<void> take(JournalRecord& record, const Holders& holders);
  /// Looks at what was taken: identity, and for folders the whole content.
  Result<void> lookAt(const JournalRecord& record, const Holders& holders);
  /// As that; whether another copy of it stays does not matter, because what it holds is kept elsewhere.
  Result<void> lookAtItself(const JournalRecord& record, const Holders& holders);
  Result<OpenedFilePtr> openHeld(const JournalRecord& record) const;
  /// Moves it back. Never over anything: where the old place is taken it is put beside, and `record.putAt`
  /// says where.
  Result<void> putBack(JournalRecord& record);
  /// The same for what lies somewhere else on the drive.
  Result<void> putBackFrom(JournalRecord& record, const PathBytes& from);
  /// Unlinks what is held; counts into `record`. Stops at anything that was not measured.
  Result<void> unlinkHeld(JournalRecord& record);
  /// Whether the item lies in the hold, and is the one that was measured.
  Result<bool> holds(const JournalRecord& record);
  /// Whether the measured item stands at its old place, or beside it; then `putAt` says where.
  bool atOldPlace(JournalRecord& record);
  /// The n-th name to try where the old one is taken: "name.put-back-n", at most 255 bytes.
  static PathBytes besideName(std::string_view name, int attempt);
  /// Removes the run's empty hold folders and what was written down in them. Errors are of no consequence.
  void tidy(const JournalRecord& record);

private:
  Result<void> putBackOut(JournalRecord& record, const Folder& from, std::string_view name);
  /// The held folder in the survey: at its old place, or (measured since) in the hold. noNode if in neither.
  NodeId nodeOf(const JournalRecord& record) const;
  Result<FolderPtr> openHold(const JournalRecord& record) const;
  Result<FolderPtr> openOrMakeParent(const PathBytes& path);
  Result<void> makeHoldIn(const FolderPtr& base, std::uint32_t placeOwner);
  PathBytes nameInHold(const JournalRecord& record) const {
    return record.staysInPlace() ? PathBytes(baseName(record.path)) : std::to_string(record.seq);
  }

  GuardedDrive& drive_;
  std::int64_t run_;
};

/// Counts an unlinked file, `node` of the survey: with its last name its bytes come free, certainly unless
/// others may hold them too.
void countUnlinked(JournalRecord& record, const SurveyTree& tree, NodeId node, const EntryStat& stat);

/// Unlinks a name. Where others of its file stay, their change time is from now on known to be our doing.
Result<void> unlinkOne(const GuardedDrive& drive, const Folder& at, std::string_view name,
                       const EntryStat& stat);

/// Unlinks everything in a folder that `node` of the survey knows, and the folder. Adds to the record's
/// counts.
Result<void> unlinkTree(const GuardedDrive& drive, const Folder& at, std::string_view name, NodeId node,
                        JournalRecord& record);

}  // namespace zt
