// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/steps/steps.h"

namespace zt {

/// Words for the drive's own system, or for its owner's own command: nothing is done here, so nothing is
/// sure. The line stays on the plan until somebody has done it and the drive was measured again.
StepKind adviseStep() {
  StepKind kind;
  kind.id = "advise";
  kind.when = GainTime::later;
  kind.consent = ConsentRule::none;
  kind.subjects = {SubjectKind::entry, SubjectKind::package, SubjectKind::memory, SubjectKind::point};
  kind.touches = false;
  kind.mark = "advised";
  return kind;
}

}  // namespace zt
