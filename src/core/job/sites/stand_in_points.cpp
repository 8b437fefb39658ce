// SPDX-License-Identifier: GPL-3.0-or-later
// Snapshots of a stand-in: blocks and their holders, out of the manifest.
#include <algorithm>
#include <map>

#include "core/job/sites/stand_in_drive.h"

namespace zt {

namespace {
constexpr std::uint64_t firstId = 256;
constexpr const char* droppedFile = "dropped-snapshots";
}  // namespace

std::vector<bool> StandInDrive::dropped() const {
  std::vector<bool> gone(manifest_.snapshots.size(), false);
  constexpr std::size_t longest = std::size_t{1} << 20;
  const auto lines = inner_.readFile(*top_, droppedFile, longest);
  if (!lines) return gone;
  for (std::size_t i = 0; i < gone.size(); ++i)
    gone[i] = ("\n" + *lines).find("\n" + std::to_string(i) + "\n") != std::string::npos;
  return gone;
}

Bytes StandInDrive::heldBySnapshots() const {
  const std::vector<bool> gone = dropped();
  Bytes sum = 0;
  for (const auto& held : manifest_.held) {
    bool stays = false;
    for (std::uint32_t i = held.first; i <= held.last; ++i) stays = stays || !gone[i];
    if (!stays) continue;
    // What a file holds as well counts with it, as long as it is there.
    bool withFile = false;
    if (!held.path.empty())
      if (const auto at = inner_.openBeneath(*folder_, parentPath(held.path)))
        withFile = inner_.stat(**at, baseName(held.path)).has_value();
    if (!withFile) sum += held.bytes;
  }
  return sum;
}

HoldingsPtr StandInDrive::holdings(const SurveyTree& tree) const {
  if (manifest_.snapshots.empty()) return nullptr;
  const std::vector<bool> gone = dropped();
  auto h = std::make_shared<Holdings>();
  std::vector<std::uint32_t> number(gone.size(), 0);
  for (std::size_t i = 0; i < gone.size(); ++i) {
    if (gone[i]) continue;
    const auto& s = manifest_.snapshots[i];
    number[i] = static_cast<std::uint32_t>(h->points.size());
    Point point;
    point.id = firstId + i;
    point.uuid = std::to_string(i);
    point.originUuid = manifest_.id;
    point.path = isForeign() ? s.name : joinPath(".snapshots", s.name);
    point.taken = s.taken;
    point.foreign = isForeign();
    point.words = s.words;
    h->points.push_back(std::move(point));
  }
  std::map<NodeId, std::vector<std::uint32_t>> files;
  for (const auto& held : manifest_.held) {
    std::vector<NumberSets::Run> runs;
    for (std::uint32_t i = held.first; i <= held.last; ++i)
      if (!gone[i]) runs.push_back({number[i], number[i] + 1});
    const NumberSets::Id set = h->sets.of(std::move(runs));
    const auto node = held.path.empty() ? std::nullopt : tree.find(held.path);
    if (node) {
      files[*node].push_back(static_cast<std::uint32_t>(h->extents.size()));
      h->extents.push_back({0, std::min(held.bytes, tree.occupied(*node)), 1, set});
    } else if (set != NumberSets::none) {
      h->outside.push_back({set, held.bytes, 0});
    }
  }
  for (const auto& [node, list] : files) {
    h->nodes.push_back(node);
    h->start.push_back(static_cast<std::uint32_t>(h->held.size()));
    h->held.insert(h->held.end(), list.begin(), list.end());
  }
  h->start.push_back(static_cast<std::uint32_t>(h->held.size()));
  return h;
}

Result<std::vector<Subvolume>> StandInDrive::list(const PathBytes&) {
  const std::vector<bool> gone = dropped();
  std::vector<Subvolume> all;
  for (std::size_t i = 0; i < gone.size(); ++i) {
    if (gone[i]) continue;
    Subvolume s;
    s.id = firstId + i;
    s.uuid = std::to_string(i);
    s.parentUuid = manifest_.id;
    s.name = manifest_.snapshots[i].name;
    s.path = isForeign() ? s.name : joinPath(".snapshots", s.name);
    s.made = manifest_.snapshots[i].taken;
    s.readOnly = true;
    all.push_back(std::move(s));
  }
  return all;
}

Result<void> StandInDrive::drop(const PathBytes& target, const Subvolume& meant) {
  if (isForeign()) return fail(Errc::unsupported, "drop", meant.path);
  const auto all = list(target);
  if (!all) return tl::unexpected(all.error());
  if (auto may = checkDrop(*all, meant); !may) return may;
  return inner_.appendFile(*top_, droppedFile, std::to_string(meant.id - firstId) + "\n");
}

}  // namespace zt
