// SPDX-License-Identifier: GPL-3.0-or-later
#include <absl/container/flat_hash_set.h>

#include <algorithm>
#include <map>

#include "core/detect/detectors.h"
#include "core/detect/place_finds.h"

namespace zt {

namespace {

/// The folder that old files are gathered under, by folder number: two parts below the top ("home/ringer",
/// "srv/recordings").
std::vector<NodeId> gatherFolders(const SurveyTree& tree) {
  std::vector<NodeId> gather(tree.folderNumbers(), noNode);
  std::vector<std::uint32_t> depth(tree.folderNumbers(), 0);
  for (std::uint32_t i = 0; i < tree.folderNumbers(); ++i) {  // parents come first
    NodeId node = noNode;
    (void)tree.growing(i, &node);
    if (node == noNode || tree.isGone(node)) continue;
    if (node != 0) depth[i] = depth[tree.folderIndex(tree.parent(node))] + 1;
    gather[i] = depth[i] <= 2 ? node : gather[tree.folderIndex(tree.parent(node))];
  }
  return gather;
}

class Old final : public Detector {
public:
  std::string_view id() const override { return "old"; }
  bool general() const override { return true; }

  Result<void> detect(const DetectInput& input, const FindSink& sink,
                      const std::stop_token& stop) const override {
    const FindContext& c = *input.context;
    const std::vector<NodeId> gather = gatherFolders(c.tree);
    const auto large = largestFiles(c, stop);
    const absl::flat_hash_set<NodeId> taken(large.begin(), large.end());
    std::map<std::tuple<NodeId, Standing, AgeBand>, std::vector<NodeId>> groups;
    for (NodeId id = 1; id < c.tree.size() && !stop.stop_requested(); ++id) {
      if (c.tree.kind(id) != EntryKind::file || c.tree.modified(id) >= c.line() || c.spokenFor(id) ||
          (c.tree.occupied(id) >= c.large() && taken.contains(id)))
        continue;
      const Standing standing = c.standing[id];
      if (standing == Standing::bedrock || standing == Standing::kept) continue;
      const NodeId folder = gather[c.tree.folderIndex(c.tree.parent(id))];
      groups[{folder, standing, ageBand(c.tree.modified(id), c.options.now)}].push_back(id);
    }
    for (auto& [key, nodes] : groups) {
      if (stop.stop_requested()) return {};
      Find find = findOf(c, std::get<NodeId>(key), std::get<AgeBand>(key), nodes);
      if (find.gain.atMost > 0 && !sink(std::move(find))) return {};
    }
    return {};
  }

private:
  Find findOf(const FindContext& c, NodeId folder, AgeBand band, std::vector<NodeId>& nodes) const {
    Find find;
    find.kind = this->id();
    find.likelihood = 40;
    find.band = band;
    find.place = c.tree.path(folder);
    find.offers = {{"discard", {}, {}, {}}, {"hold", {}, {}, {}}, {"transfer", {}, {}, {}}};
    takeLargest(find, c, nodes);
    c.complete(find);
    // In one folder there may be what is somebody's and what nobody has judged.
    find.id = FindContext::findId(find.kind, find.place + "//" + std::string(name(find.standing)), band);
    return find;
  }
};

}  // namespace

std::shared_ptr<const Detector> oldDetector() {
  return std::make_shared<Old>();
}

}  // namespace zt
