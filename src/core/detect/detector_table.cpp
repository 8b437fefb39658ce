// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/detect/detectors.h"

namespace zt {

/// A new kind of find is a new file, and a line here.
DetectorTable builtInDetectors() {
  DetectorTable table;
  table.add(trashDetector());
  table.add(leftoversDetector());
  table.add(cachesDetector());
  table.add(packagesDetector());
  table.add(programsDetector());
  table.add(arrivalsDetector());
  table.add(staleBackupsDetector());
  table.add(memoryFilesDetector());
  table.add(componentsDetector());
  table.add(pointsDetector());
  table.add(manySmallDetector());
  table.add(dormantDetector());
  table.add(largeDetector());
  table.add(oldDetector());
  return table;
}

}  // namespace zt
