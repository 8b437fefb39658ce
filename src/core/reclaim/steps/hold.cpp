// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/steps/steps.h"
#include "core/reclaim/steps/taking.h"
#include "core/reclaim/steps/with_file_rights.h"

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
  kind.executor = withFileRights(std::make_shared<HoldThings>());
  kind.rights = RightsRule::files;
  return kind;
}

}  // namespace zt
