// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/reclaim/steps/hold_place.h"

namespace zt {

/// What all steps have in common that take an entry into the hold first: choosing its place there, taking,
/// looking, and the ways back.
class TakingExecutor : public StepExecutor {
public:
  Result<void> check(StepSite& site, const JournalRecord& record) const override;
  Result<void> prepare(StepSite& site, JournalRecord& record) const override;
  Result<void> apply(StepSite& site, JournalRecord& record) const override;
  void settleOnDevice(StepSite& site, std::span<const JournalRecord> batch) const override;
  Result<void> verify(StepSite& site, JournalRecord& record) const override;
  Result<void> undo(StepSite& site, JournalRecord& record) const override;
  Result<void> release(StepSite& site, JournalRecord& record) const override;
  Result<void> recover(StepSite& site, JournalRecord& record) const override;
  void tidy(StepSite& site, const JournalRecord& record) const override;
};

}  // namespace zt
