// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/detect/detectors.h"
#include "core/detect/place_finds.h"

namespace zt {

namespace {

/// Folders that matter only in sum: thousands of small files of which none would be noticed. The outermost
/// folder that is one; what a place with a kind of its own speaks of belongs to that.
class ManySmall final : public Detector {
public:
  std::string_view id() const override { return "many-small"; }
  bool general() const override { return true; }

  Result<void> detect(const DetectInput& input, const FindSink& sink,
                      const std::stop_token& stop) const override {
    const FindContext& c = *input.context;
    if (auto given = PlaceFinds(input, id()).give(sink, stop); !given) return given;
    std::vector<bool> within(c.tree.folderNumbers(), false);
    for (std::uint32_t i = 1; i < c.tree.folderNumbers(); ++i) {  // parents come first
      if (stop.stop_requested()) return {};
      NodeId id = noNode;
      (void)c.tree.growing(i, &id);
      if (id == noNode || id == 0 || c.tree.isGone(id)) continue;
      within[i] = within[c.tree.folderIndex(c.tree.parent(id))];
      if (within[i] || !isStore(c, id)) continue;
      within[i] = true;
      if (!sink(findOf(c, id))) return {};
    }
    return {};
  }

private:
  static bool isStore(const FindContext& c, NodeId id) {
    const FolderTotals& t = c.tree.totals(id);
    if (!isManySmall(t.files, t.occupied) || t.occupied < c.large() / 16) return false;
    if (c.inTrash[id] || c.part[id] || c.strictest(id).standing == Standing::bedrock) return false;
    const Place* place = c.placeOf(id);
    if (place != nullptr && !place->kind.empty()) return false;
    // The home of somebody, or what holds homes, is no store.
    return std::none_of(c.sightings.homes.begin(), c.sightings.homes.end(),
                        [&](NodeId home) { return c.gain.beneath(home, id) || home == id; });
  }

  Find findOf(const FindContext& c, NodeId folder) const {
    Find find;
    find.kind = this->id();
    find.likelihood = 35;
    find.items.push_back(c.subject(folder));
    find.offers = {{"discard", {}, {}, {}}, {"hold", {}, {}, {}}, {"transfer", {}, {}, {}}};
    c.complete(find);
    find.band = ageBand(find.newest, c.options.now);
    return find;
  }
};

}  // namespace

std::shared_ptr<const Detector> manySmallDetector() {
  return std::make_shared<ManySmall>();
}

}  // namespace zt
