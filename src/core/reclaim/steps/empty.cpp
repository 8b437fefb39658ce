// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/steps/steps.h"

namespace zt {

/// What lies in a trash, or in a folder that itself stays. The things go as everything goes; what is their
/// own is that they are offered, worded and consented to as what serves nothing any more.
StepKind emptyStep() {
  StepKind kind = discardStep();
  kind.id = "empty";
  kind.turn = 1;
  return kind;
}

}  // namespace zt
