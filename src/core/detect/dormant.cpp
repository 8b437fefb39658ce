// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/detect/detectors.h"

namespace zt {

namespace {

/// Nested ones are folded into their top; a folder that holds anything locked is never one itself, but
/// folders beneath it can be.
class Dormant final : public Detector {
public:
  std::string_view id() const override { return "dormant"; }
  bool general() const override { return true; }

  Result<void> detect(const DetectInput& input, const FindSink& sink,
                      const std::stop_token& stop) const override {
    const FindContext& c = *input.context;
    std::vector<bool> folded(c.tree.size(), false);
    for (NodeId id = 1; id < c.tree.size(); ++id) {
      if (stop.stop_requested()) return {};
      if (!c.tree.isFolder(id)) continue;
      if (folded[c.tree.parent(id)] || c.spokenFor(id)) {
        folded[id] = true;
        continue;
      }
      const FolderTotals& t = c.tree.totals(id);
      if (t.newest >= c.line() || t.occupied < c.large() || t.files == 0) continue;
      const Standing standing = c.strictest(id).standing;
      if (standing == Standing::bedrock || standing == Standing::kept) continue;
      if (c.locked(c.tree.path(id))) continue;
      folded[id] = true;
      Find find;
      find.kind = this->id();
      find.likelihood = 50;
      find.items.push_back(c.subject(id));
      find.offers = {{"discard", {}, {}, {}}, {"hold", {}, {}, {}}, {"transfer", {}, {}, {}}};
      c.complete(find);
      find.band = ageBand(find.newest, c.options.now);
      if (!sink(std::move(find))) return {};
    }
    return {};
  }
};

}  // namespace

std::shared_ptr<const Detector> dormantDetector() {
  return std::make_shared<Dormant>();
}

}  // namespace zt
