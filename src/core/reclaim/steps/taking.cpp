// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/steps/taking.h"

#include "core/reclaim/still_alone.h"
#include "core/reclaim/still_marked.h"

namespace zt {

namespace {
HoldPlace placeOf(StepSite& site, const JournalRecord& record) {
  return {site.drive, record.run};
}

/// Whether its place says today what it said, and has what it needs.
Result<void> stillMarked(StepSite& site, const JournalRecord& record) {
  const NodeId node = site.drive.nodeAt(record.path);
  if (node == noNode) return {};
  if (auto needs = checkNeeds(site.drive, node, record.device, site.holders); !needs) return needs;
  if (record.promised.sure > 0)
    if (auto alone = checkStillAlone(site.drive, node); !alone) return alone;
  return checkStillMarked(site.drive, node);
}

/// Whether the item lies in the hold. If it does not, its state says where it is: a power cut can undo the
/// taking that the journal already knew of.
Result<bool> heldIn(HoldPlace& place, JournalRecord& record) {
  auto held = place.holds(record);
  if (held && !*held) record.state = place.atOldPlace(record) ? ItemState::returned : ItemState::missing;
  return held;
}
}  // namespace

Result<void> TakingExecutor::check(StepSite& site, const JournalRecord& record) const {
  const auto fits = placeOf(site, record).stillMeasured(record, site.holders);
  if (!fits) return tl::unexpected(fits.error());
  JournalRecord seen = record;
  seen.device = fits->stat.device;
  return stillMarked(site, seen);
}

Result<void> TakingExecutor::prepare(StepSite& site, JournalRecord& record) const {
  return placeOf(site, record).choose(record);
}

Result<void> TakingExecutor::apply(StepSite& site, JournalRecord& record) const {
  if (auto marked = stillMarked(site, record); !marked) return marked;
  return placeOf(site, record).take(record, site.holders);
}

void TakingExecutor::settleOnDevice(StepSite& site, std::span<const JournalRecord> batch) const {
  const JournalRecord* last = nullptr;
  for (const JournalRecord& r : batch) {
    if (r.holdFolder.empty() || (last != nullptr && last->holdFolder == r.holdFolder)) continue;
    last = &r;
    if (const auto hold = site.drive.files->openBeneath(*site.drive.root, r.holdFolder))
      (void)site.drive.files->syncFolder(**hold);
  }
}

Result<void> TakingExecutor::verify(StepSite& site, JournalRecord& record) const {
  return placeOf(site, record).lookAt(record, site.holders);
}

Result<void> TakingExecutor::undo(StepSite& site, JournalRecord& record) const {
  HoldPlace place = placeOf(site, record);
  const auto held = heldIn(place, record);
  if (!held) return tl::unexpected(held.error());
  if (!*held) return {};
  if (auto back = place.putBack(record); !back) return back;
  record.state = ItemState::returned;
  return {};
}

Result<void> TakingExecutor::release(StepSite& site, JournalRecord& record) const {
  HoldPlace place = placeOf(site, record);
  const auto held = heldIn(place, record);
  if (!held) return tl::unexpected(held.error());
  if (!*held) return {};
  if (auto gone = place.unlinkHeld(record); !gone) return gone;
  record.state = ItemState::gone;
  return {};
}

/// What a run that was cut short left is taken back, so far as it is whole.
Result<void> TakingExecutor::recover(StepSite& site, JournalRecord& record) const {
  if (record.state != ItemState::discarding) return undo(site, record);
  HoldPlace place = placeOf(site, record);
  const auto held = heldIn(place, record);
  if (!held) return tl::unexpected(held.error());
  if (!*held) {
    // It was being finished: what is in neither place has gone.
    if (record.state == ItemState::missing) record.state = ItemState::gone;
    return {};
  }
  if (auto whole = place.lookAt(record, site.holders); !whole) return whole;
  return undo(site, record);
}

void TakingExecutor::tidy(StepSite& site, const JournalRecord& record) const {
  placeOf(site, record).tidy(record);
}

}  // namespace zt
