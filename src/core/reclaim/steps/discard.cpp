// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/steps/steps.h"
#include "core/reclaim/steps/taking.h"
#include "core/reclaim/steps/with_file_rights.h"

namespace zt {

namespace {

class Discard final : public TakingExecutor {
public:
  Result<void> prepare(StepSite& site, JournalRecord& record) const override {
    return HoldPlace(site.drive, site.run).chooseOrStay(record);
  }
  Result<void> announce(StepSite& site, std::span<JournalRecord> batch) const override {
    // On a drive without a free block this may fail; the job's own journal knows the items all the same.
    (void)HoldPlace(site.drive, site.run).writeDown(batch);
    return {};
  }
  bool finishes() const override { return true; }
};

}  // namespace

StepKind discardStep() {
  StepKind kind;
  kind.id = "discard";
  kind.executor = withFileRights(std::make_shared<Discard>());
  kind.rights = RightsRule::files;
  return kind;
}

}  // namespace zt
