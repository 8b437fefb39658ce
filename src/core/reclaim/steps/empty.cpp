// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/steps/steps.h"

namespace zt {

/// Things in a trash go as everything goes; what is their own is that they are offered, worded and consented
/// to as what was thrown away already.
StepKind emptyStep() {
  StepKind kind = discardStep();
  kind.id = "empty";
  return kind;
}

}  // namespace zt
