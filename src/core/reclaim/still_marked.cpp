// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/still_marked.h"

#include <algorithm>

namespace zt {

namespace {

/// Names in one folder.
class NameList final : public ScanSink {
public:
  bool take(std::span<const ScannedEntry> batch) override {
    for (const auto& e : batch) names.emplace_back(e.name);
    return true;
  }
  std::vector<PathBytes> names;
};

/// Looks for the signs of one place on the drive itself.
class SignReader {
public:
  SignReader(const GuardedDrive& drive, const Sighting& sighting)
      : drive_(drive),
        sighting_(sighting),
        layer_(drive.context->places.layers()[sighting.layer]),
        fold_(foldsCase(layer_.catalogue->family())) {}

  Result<bool> there(const Marker& marker) const {
    const auto from = start(marker.where);
    if (!from) return false;
    for (const std::string& path : marker.paths) {
      const auto found = find(*from, splitPath(path), 0, marker.head);
      if (!found || *found) return found;
    }
    return false;
  }

private:
  /// Where a sign's path begins; nothing for an entry's own name, which is its identity.
  std::optional<PathBytes> start(Marker::Where where) const {
    const PathBytes own = drive_.tree().path(sighting_.node);
    switch (where) {
      case Marker::Where::in:
        return own;
      case Marker::Where::beside:
        return PathBytes(parentPath(own));
      case Marker::Where::top:
        return layer_.at;
      case Marker::Where::name:
        break;
    }
    return std::nullopt;
  }

  Result<bool> find(const PathBytes& at, const std::vector<std::string_view>& parts, std::size_t i,
                    const std::string& head) const {
    if (i == parts.size()) return begins(at, head);
    if (parts[i] == "..")
      return at.empty() ? Result<bool>(false) : find(PathBytes(parentPath(at)), parts, i + 1, head);
    const auto names = named(at, parts[i]);
    if (!names)
      return names.error().code == Errc::notThere ? Result<bool>(false) : tl::unexpected(names.error());
    for (const PathBytes& name : *names) {
      const auto found = find(joinPath(at, name), parts, i + 1, head);
      if (!found || *found) return found;
    }
    return false;
  }

  /// The names in a folder that a part of a path is.
  Result<std::vector<PathBytes>> named(const PathBytes& at, std::string_view part) const {
    const auto folder = drive_.files->openBeneath(*drive_.root, at);
    if (!folder) {
      const bool noFolder = folder.error().code == Errc::notThere || folder.error().code == Errc::notAFolder;
      return noFolder ? Result<std::vector<PathBytes>>(std::vector<PathBytes>{})
                      : tl::unexpected(folder.error());
    }
    if (!fold_ && !NamePattern::isWild(part)) {
      const auto stat = drive_.files->stat(**folder, part);
      if (stat) return std::vector<PathBytes>{PathBytes(part)};
      return tl::unexpected(stat.error());
    }
    NameList list;
    if (const auto listed = drive_.files->scan(**folder, list); !listed)
      return tl::unexpected(listed.error());
    const NamePattern pattern(fold_ ? lowered(part) : std::string(part));
    std::erase_if(list.names, [&](const PathBytes& n) { return !pattern.fits(fold_ ? lowered(n) : n); });
    return std::move(list.names);
  }

  Result<bool> begins(const PathBytes& path, const std::string& head) const {
    if (head.empty()) return true;
    const auto in = drive_.files->openBeneath(*drive_.root, parentPath(path));
    if (!in) return tl::unexpected(in.error());
    const auto read = drive_.files->readHead(**in, baseName(path), head.size());
    if (!read) return tl::unexpected(read.error());
    return read->bytes == head;
  }

  const GuardedDrive& drive_;
  const Sighting& sighting_;
  const PlaceMap::Layer& layer_;
  bool fold_;
};

}  // namespace

Result<void> checkStillMarked(const GuardedDrive& drive, NodeId node) {
  const Sightings& sightings = drive.context->sightings;
  const Sighting& said = sightings.all[sightings.of[node]];
  if (said.place == nullptr || said.verdict != Verdict::asSaid) return {};
  const SignReader signs(drive, said);
  const auto check = [&](const Marker& marker, bool wanted) -> Result<void> {
    const auto there = signs.there(marker);
    if (!there) return tl::unexpected(there.error());
    if (*there == wanted) return {};
    return fail(Errc::changed, "markers", drive.tree().path(node), marker.paths.front());
  };
  for (const Marker& marker : said.place->unless)
    if (auto absent = check(marker, false); !absent) return absent;
  for (const Marker& marker : said.place->onlyIf) {
    if (marker.where == Marker::Where::in || marker.where == Marker::Where::name) continue;
    if (auto present = check(marker, true); !present) return present;
  }
  return {};
}

Result<void> checkNeeds(const GuardedDrive& drive, NodeId node, std::uint64_t device,
                        const Holders& holders) {
  const FindContext& context = *drive.context;
  const Sighting& said = context.sightings.all[context.sightings.of[node]];
  if (said.place == nullptr) return {};
  const PathBytes path = context.tree.path(node);
  for (const std::string& need : said.place->needs) {
    if ((need == "live" && !context.options.live) || (need == "off" && context.options.live))
      return fail(Errc::unmet, "needs", path, need);
    if (need != "idle") continue;
    if (const auto* who = holders.holderWithin(context.tree, said.node, device))
      return fail(Errc::inUse, "needs", path, *who);
    if (const auto* who = context.options.live ? holders.running(said.place->maker) : nullptr)
      return fail(Errc::inUse, "needs", path, *who);
  }
  return {};
}

}  // namespace zt
