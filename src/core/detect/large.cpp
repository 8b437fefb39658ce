// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/detect/detectors.h"

namespace zt {

std::vector<NodeId> largestFiles(const FindContext& c, const std::stop_token& stop) {
  std::vector<NodeId> nodes;
  for (NodeId id = 1; id < c.tree.size() && !stop.stop_requested(); ++id)
    if (c.tree.kind(id) == EntryKind::file && c.tree.occupied(id) >= c.large() && !c.spokenFor(id))
      nodes.push_back(id);
  std::sort(nodes.begin(), nodes.end(), [&](NodeId a, NodeId b) {
    return std::pair(c.tree.occupied(a), b) > std::pair(c.tree.occupied(b), a);
  });
  if (nodes.size() > c.options.mostLarge) nodes.resize(c.options.mostLarge);
  return nodes;
}

namespace {

class Large final : public Detector {
public:
  std::string_view id() const override { return "large"; }
  bool general() const override { return true; }

  Result<void> detect(const DetectInput& input, const FindSink& sink,
                      const std::stop_token& stop) const override {
    const FindContext& c = *input.context;
    const std::vector<NodeId> nodes = largestFiles(c, stop);
    for (const NodeId id : nodes) {
      Find find;
      find.kind = this->id();
      find.likelihood = 20;
      find.items.push_back(c.subject(id));
      find.offers = {{"discard", {}, {}, {}}, {"hold", {}, {}, {}}, {"transfer", {}, {}, {}}};
      c.complete(find);
      find.band = ageBand(find.newest, c.options.now);
      if (!sink(std::move(find))) break;
    }
    return {};
  }
};

}  // namespace

std::shared_ptr<const Detector> largeDetector() {
  return std::make_shared<Large>();
}

}  // namespace zt
