// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/steps/steps.h"

namespace zt {

/// A new kind of step is a new file, and a line here.
StepTable builtInSteps() {
  StepTable table;
  table.add(discardStep());
  table.add(holdStep());
  table.add(emptyStep());
  table.add(adviseStep());
  table.add(dropStep());
  table.add(transferStep());
  table.add(linkStep());
  table.add(shareStep());
  table.add(shrinkStep());
  table.add(switchOffStep());
  table.add(removeStep());
  table.add(limitStep());
  return table;
}

}  // namespace zt
