// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/snapshots.h"

#include <algorithm>
#include <map>
#include <numeric>

#include "core/base/token.h"

namespace zt {

namespace {

/// The point that the others of what was received came on top of, as far as it is still known.
std::string_view firstOf(const std::map<std::string_view, const PointOrigin*>& received,
                         const PointOrigin& one) {
  std::string_view first = one.origin.empty() ? one.uuid : one.origin;
  for (std::size_t steps = 0; steps < received.size(); ++steps) {
    const auto at = received.find(first);
    if (at == received.end() || at->second->origin.empty()) break;
    first = at->second->origin;
  }
  return first;
}

}  // namespace

std::vector<SeriesPlace> placesInSeries(const std::vector<PointOrigin>& points) {
  std::map<std::string_view, const PointOrigin*> received;
  for (const PointOrigin& p : points)
    if (!p.received.empty() && !p.uuid.empty()) received.emplace(p.uuid, &p);
  std::vector<SeriesPlace> places;
  std::map<std::string_view, bool> allSent;
  for (const PointOrigin& p : points) {
    const bool came = !p.received.empty() || p.origin.empty();
    places.push_back({came ? "came " + std::string(firstOf(received, p)) : std::string(p.origin), 0});
  }
  for (std::size_t i = 0; i < points.size(); ++i)
    allSent.try_emplace(places[i].series, true).first->second &= points[i].sent != 0;
  std::vector<std::size_t> sorted(points.size());
  std::iota(sorted.begin(), sorted.end(), std::size_t{0});
  const auto ordered = [&](std::size_t i) {
    return std::pair(allSent[places[i].series] ? points[i].sent : 0, points[i].id);
  };
  std::sort(sorted.begin(), sorted.end(),
            [&](std::size_t a, std::size_t b) { return ordered(a) < ordered(b); });
  for (std::size_t rank = 0; rank < sorted.size(); ++rank) places[sorted[rank]].order = rank;
  return places;
}

namespace {

/// One that can be gone on in is no state to go back to: of the others, the last counts as the newest too.
bool newestOfItsSeries(const std::vector<Subvolume>& all, const Subvolume& one) {
  std::vector<PointOrigin> points;
  std::vector<bool> fixed;
  std::size_t at = 0;
  for (const Subvolume& s : all) {
    if (!s.isState() || s.going) continue;
    if (s.id == one.id) at = points.size();
    points.push_back({s.id, s.uuid, s.parentUuid, s.receivedUuid, s.sent});
    fixed.push_back(s.readOnly);
  }
  const auto places = placesInSeries(points);
  const auto later = [&](bool onlyFixed) {
    for (std::size_t i = 0; i < places.size(); ++i)
      if (places[i].series == places[at].series && places[i].order > places[at].order &&
          (fixed[i] || !onlyFixed))
        return true;
    return false;
  };
  return !later(one.readOnly);
}

}  // namespace

Result<void> checkDrop(const std::vector<Subvolume>& all, const Subvolume& meant) {
  const auto is =
      std::find_if(all.begin(), all.end(), [&](const Subvolume& s) { return s.id == meant.id && !s.going; });
  if (is == all.end()) return fail(Errc::notThere, "drop", meant.path);
  const bool same = is->uuid == meant.uuid && is->made == meant.made;
  if (!same || !is->isState()) return fail(Errc::changed, "drop", meant.path);
  if (!is->readOnly && is->changed) return fail(Errc::bedrock, "drop", meant.path, "writable");
  if (is->mounted) return fail(Errc::inUse, "drop", meant.path, "mounted");
  const bool holds =
      std::any_of(all.begin(), all.end(), [&](const Subvolume& s) { return s.parent == is->id; });
  if (is->isDefault || holds) return fail(Errc::bedrock, "drop", meant.path);
  if (newestOfItsSeries(all, *is)) return fail(Errc::lastCopy, "drop", meant.path);
  return {};
}

bool DropOrder::names(const Subvolume& point) const {
  return std::find(points.begin(), points.end(), std::pair(point.id, point.made)) != points.end();
}

std::string DropOrder::digest() const {
  std::string all = consent;
  for (const auto& [id, made] : points) all += ' ' + std::to_string(id) + ' ' + std::to_string(made);
  return tokenOf(all);
}

}  // namespace zt
