// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/os/snapshots.h"

#include <xxhash.h>

#include <algorithm>

namespace zt {

std::string seriesKey(std::string_view origin, std::string_view received, std::string_view path) {
  const bool came = !received.empty() || origin.empty();
  return came ? "in " + std::string(parentPath(path)) : std::string(origin);
}

namespace {

std::string seriesOf(const Subvolume& s) {
  return seriesKey(s.parentUuid, s.receivedUuid, s.path);
}

bool newestOfItsSeries(const std::vector<Subvolume>& all, const Subvolume& one) {
  return std::none_of(all.begin(), all.end(), [&](const Subvolume& s) {
    return s.isPoint() && !s.going && std::pair(s.made, s.id) > std::pair(one.made, one.id) &&
           seriesOf(s) == seriesOf(one);
  });
}

}  // namespace

Result<void> checkDrop(const std::vector<Subvolume>& all, const Subvolume& meant) {
  const auto is =
      std::find_if(all.begin(), all.end(), [&](const Subvolume& s) { return s.id == meant.id && !s.going; });
  if (is == all.end()) return fail(Errc::notThere, "drop", meant.path);
  const bool same = is->uuid == meant.uuid && is->made == meant.made;
  if (!same || !is->isPoint()) return fail(Errc::changed, "drop", meant.path);
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
  const XXH128_hash_t hash = XXH3_128bits(all.data(), all.size());
  char text[40];
  std::snprintf(text, sizeof text, "%016llx%016llx", static_cast<unsigned long long>(hash.high64),
                static_cast<unsigned long long>(hash.low64));
  return text;
}

}  // namespace zt
