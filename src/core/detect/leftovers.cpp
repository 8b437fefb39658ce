// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/detect/detectors.h"
#include "core/detect/place_finds.h"

namespace zt {

std::shared_ptr<const Detector> leftoversDetector() {
  return detectorOfPlaces("leftovers");
}

}  // namespace zt
