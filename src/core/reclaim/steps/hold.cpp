// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/steps/steps.h"
#include "core/reclaim/steps/taking.h"

namespace zt {

namespace {

class HoldThings final : public TakingExecutor {
public:
  /// What cannot be found again must not be set aside.
  Result<void> announce(StepSite& site, std::span<JournalRecord> batch) const override {
    return HoldPlace(site.drive, site.run).writeDown(batch);
  }
};

}  // namespace

StepKind holdStep() {
  StepKind kind;
  kind.id = "hold";
  kind.regret = RegretRule::moved;
  kind.when = GainTime::onRelease;
  kind.consent = ConsentRule::none;
  kind.undo = UndoRule::putBack;
  kind.mark = "to hold";
  kind.loss = "set aside; can be put back";
  kind.executor = std::make_shared<HoldThings>();
  return kind;
}

}  // namespace zt
