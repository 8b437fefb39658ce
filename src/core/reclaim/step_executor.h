// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <stop_token>

#include "core/reclaim/guard.h"

namespace zt {

using StepMemory = std::map<std::int64_t, std::shared_ptr<void>>;

/// Where a step works: the guarded drive, the run it belongs to, and who holds what at the moment.
struct StepSite {
  GuardedDrive& drive;
  std::int64_t run = 0;
  const Holders& holders;
  std::stop_token stop = {};
  /// Those that its line names, in the order in which its kind takes them; what may be left out is.
  OtherDrives others = {};
  /// To be told, of an item that takes long, how many of its bytes were gone through; any number of times. A
  /// sign of life, too. Empty where nobody listens.
  std::function<void(Bytes)> went = {};
  /// Writes a record as it stands: a phase within `apply` or `finish` that must be known after a crash, in
  /// the step's own words (`payload`). Durable when it returns. Where it fails nothing more may be changed.
  /// Empty where nothing is carried out.
  std::function<Result<void>(const JournalRecord&)> note = {};
  /// What a step remembers of an item, by `seq`, from one phase to the next within one batch; nullptr
  /// afterwards.
  std::shared_ptr<StepMemory> memory = nullptr;

  const OtherDrive* other() const { return others.empty() ? nullptr : others.front().get(); }
};

/// Carries out one kind of step, item by item, in phases that the journal records: what `prepare` chose is
/// written before `apply` changes anything; what `verify` found good is written before `finish` makes it
/// final. Stateless; one thread at a time for one drive. What it fails with or throws stops its own item
/// alone.
class StepExecutor {
public:
  virtual ~StepExecutor() = default;

  /// Called once before a run touches anything, with all things that it will be asked to do: for rights that
  /// are asked for once. What it gives is kept until the run is over. nullptr where it needs none.
  virtual std::shared_ptr<void> begin(const GuardedDrive& /*drive*/, std::string_view /*token*/,
                                      std::span<const Subject> /*all*/) const {
    return nullptr;
  }
  /// Whether it could be done as things stand. Changes nothing.
  virtual Result<void> check(StepSite& site, const JournalRecord& record) const = 0;
  /// Chooses what the journal has to know beforehand (places, counterparts), and may make room for it.
  virtual Result<void> prepare(StepSite& site, JournalRecord& record) const = 0;
  /// Called once for all prepared items of a batch, when the journal has them and before the first is
  /// touched.
  virtual Result<void> announce(StepSite& /*site*/, std::span<JournalRecord> /*batch*/) const { return {}; }
  /// Does the part that can be taken back.
  virtual Result<void> apply(StepSite& site, JournalRecord& record) const = 0;
  /// Called once for a batch when all of it was applied: brings that to the device.
  virtual void settleOnDevice(StepSite& /*site*/, std::span<const JournalRecord> /*batch*/) const {}
  /// Looks at what `apply` brought about, with the holders of now.
  virtual Result<void> verify(StepSite& site, JournalRecord& record) const = 0;
  /// The state of an item that was verified, if nothing final follows.
  virtual ItemState settled() const { return ItemState::held; }
  /// Whether `finish` follows.
  virtual bool finishes() const { return false; }
  /// Makes it final and counts into `record.freed`. Must stop at anything that was not measured.
  virtual Result<void> finish(StepSite& site, JournalRecord& record) const { return release(site, record); }
  /// Called once for a batch when all of it was finished, before the drive's counter is read: waits for space
  /// that comes later, but not without end. May note in a record that it still has to come.
  virtual void awaitSpace(StepSite& /*site*/, std::span<JournalRecord> /*batch*/) const {}
  /// Takes back what `apply` did, or what was held since. Never over anything. Sets the state to returned or
  /// missing.
  virtual Result<void> undo(StepSite& site, JournalRecord& record) const = 0;
  /// Lets go for good what was held. Sets the state to gone or missing.
  virtual Result<void> release(StepSite& /*site*/, JournalRecord& record) const {
    return fail(Errc::unsupported, "release", record.path);
  }
  /// After a crash: brings an open record to a known end, whatever phase it was in.
  virtual Result<void> recover(StepSite& site, JournalRecord& record) const = 0;
  /// Clears away what an ended item does not need any more. Errors are of no consequence.
  virtual void tidy(StepSite& /*site*/, const JournalRecord& /*record*/) const {}
};

/// Calls an executor: whatever it throws is the failure of its item.
template <class Work>
Result<void> guardedly(Work work) {
  try {
    return work();
  } catch (const std::exception& e) {
    return fail(Errc::io, "step", {}, e.what());
  }
}

}  // namespace zt
