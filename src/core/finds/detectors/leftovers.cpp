// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/detectors/detectors.h"
#include "core/finds/detectors/place_finds.h"

namespace zt {

namespace {

class Leftovers final : public Detector {
public:
  std::string_view id() const override { return "leftovers"; }
  Result<void> detect(const DetectInput& input, const FindSink& sink,
                      const std::stop_token& stop) const override {
    return PlaceFinds(input, id()).give(sink, stop);
  }
};

}  // namespace

std::shared_ptr<const Detector> leftoversDetector() {
  return std::make_shared<Leftovers>();
}

}  // namespace zt
