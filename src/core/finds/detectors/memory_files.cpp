// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/detectors/detectors.h"
#include "core/finds/detectors/place_finds.h"

namespace zt {

namespace {

/// Swap files, page files and images of sleeping sessions, by the places that know them; against the memory
/// of the machine where that is this one.
class MemoryFiles final : public Detector {
public:
  std::string_view id() const override { return "memory-files"; }
  Result<void> detect(const DetectInput& input, const FindSink& sink,
                      const std::stop_token& stop) const override {
    const FindContext& c = *input.context;
    return PlaceFinds(input, id())
        .give(
            [&](Find find) {
              if (c.options.machine.memory > 0)
                find.facts.push_back({"installed-memory", std::uint64_t{c.options.machine.memory}});
              find.likelihood = 30;
              return sink(std::move(find));
            },
            stop);
  }
};

}  // namespace

std::shared_ptr<const Detector> memoryFilesDetector() {
  return std::make_shared<MemoryFiles>();
}

}  // namespace zt
