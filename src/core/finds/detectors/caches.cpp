// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/detectors/detectors.h"
#include "core/finds/detectors/place_finds.h"

namespace zt {

std::shared_ptr<const Detector> cachesDetector() {
  return detectorOfPlaces("caches");
}

}  // namespace zt
