// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/detect/detectors.h"
#include "core/detect/place_finds.h"

namespace zt {

namespace {

/// Parts of systems and programs that can be big and are nobody's to cut: measured, and held against what is
/// usual.
class Components final : public Detector {
public:
  std::string_view id() const override { return "components"; }
  Result<void> detect(const DetectInput& input, const FindSink& sink,
                      const std::stop_token& stop) const override {
    const FindContext& c = *input.context;
    return PlaceFinds(input, id())
        .give([&](Find find) { return find.gain.atMost < c.large() || sink(std::move(find)); }, stop);
  }
};

}  // namespace

std::shared_ptr<const Detector> componentsDetector() {
  return std::make_shared<Components>();
}

}  // namespace zt
