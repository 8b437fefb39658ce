// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/evidence.h"

#include <absl/container/flat_hash_set.h>

#include <algorithm>

namespace zt {

namespace {

constexpr Bytes worthAsking = worthKnowingElsewhere;
constexpr std::size_t mostNamesakes = 10;
/// Of one find: the register answers each by itself, and at most ten of the answers are shown.
constexpr int mostAskedElsewhere = 200;

}  // namespace

std::string_view name(SizeVerdict verdict) {
  static constexpr std::array<std::string_view, sizeVerdicts> names{"unknown", "usual", "small", "large"};
  return names[static_cast<std::size_t>(verdict)];
}

const Place* placeOf(const Find& find, const KnownPlaces& known) {
  return known.find(find.placeId);
}

EvidenceDesk::EvidenceDesk(const FindContext& context, std::span<const Find* const> finds, std::uint32_t self)
    : context_(context), self_(self) {
  const SurveyTree& tree = context.tree;
  absl::flat_hash_set<Bytes> lengths;  // most entries are told apart by their length alone
  for (const Find* find : finds) {
    int asked = 0;
    for (const Subject& item : find->items) {
      if (item.node == noNode || tree.kind(item.node) != EntryKind::file) continue;
      if (tree.length(item.node) < worthAsking) continue;
      lengths.insert(tree.length(item.node));
      namesakes_.try_emplace({tree.length(item.node), std::string(tree.name(item.node))});
      if (!context.options.elsewhere || elsewhere_.contains(item.node)) continue;
      if (asked++ >= mostAskedElsewhere) continue;
      auto known = context.options.elsewhere({item.path, tree.length(item.node), tree.modified(item.node)});
      if (!known.files.empty() || known.compared) elsewhere_.emplace(item.node, std::move(known));
    }
  }
  if (lengths.empty()) return;
  for (NodeId id = 1; id < tree.size(); ++id) {
    if (tree.kind(id) != EntryKind::file || tree.length(id) < worthAsking ||
        !lengths.contains(tree.length(id)) || tree.isGone(id))
      continue;
    const auto at = namesakes_.find({tree.length(id), std::string(tree.name(id))});
    if (at != namesakes_.end() && at->second.size() <= mostNamesakes) at->second.push_back(id);
  }
}

Evidence EvidenceDesk::of(const Find& find) const {
  const SurveyTree& tree = context_.tree;
  Evidence e;
  e.place = placeOf(find, context_.places.known());
  if (!find.items.empty() && find.items.front().node != noNode) {
    const Sighting& s = context_.sightings.all[context_.sightings.of[find.items.front().node]];
    e.verdict = s.verdict;
  }
  Bytes occupied = 0;
  for (const Subject& item : find.items) occupied += item.occupied;
  if (e.place != nullptr && e.place->usual && e.place->kind == find.kind)
    e.size = occupied > e.place->usual->most    ? SizeVerdict::large
             : occupied < e.place->usual->least ? SizeVerdict::small
                                                : SizeVerdict::usual;
  constexpr Bytes mayLieInItsRecord = 4096;
  for (const Subject& item : find.items)
    e.placeholders += item.node != noNode && tree.kind(item.node) == EntryKind::file &&
                      tree.occupied(item.node) == 0 && tree.length(item.node) > mayLieInItsRecord;
  for (const Subject& item : find.items) {
    if (item.node == noNode || std::min(e.namesakes.size(), e.elsewhere.size()) >= mostNamesakes) continue;
    e.needsRights = e.needsRights || (self_ != 0 && tree.owner(item.node) != self_);
    if (tree.kind(item.node) != EntryKind::file) continue;
    const std::pair key(tree.length(item.node), std::string(tree.name(item.node)));
    if (const auto others = elsewhere_.find(item.node); others != elsewhere_.end()) {
      const auto& files = others->second.files;
      for (const FileElsewhere& other : files)
        if (e.elsewhere.size() < mostNamesakes) e.elsewhere.push_back({other, item.path});
      e.onlyHere = e.onlyHere || (others->second.compared &&
                                  std::none_of(files.begin(), files.end(), [](auto& f) { return f.equal; }));
    }
    const auto at = namesakes_.find(key);
    if (at == namesakes_.end()) continue;
    for (const NodeId other : at->second)
      if (other != item.node && e.namesakes.size() < mostNamesakes)
        e.namesakes.push_back({tree.path(other), item.path});
  }
  return e;
}

}  // namespace zt
