// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/detect/detectors.h"
#include "core/detect/place_finds.h"
#include "core/finds/dated_name.h"

namespace zt {

namespace {

constexpr int staleDays = 180;

/// Words that people and tools put into names of copies.
bool saysCopy(std::string_view name) {
  static constexpr std::string_view words[] = {"backup", "back-up", "sicherung", "sauvegarde", "respaldo",
                                               "image",  "clone",   "dump",      "snapshot",   "archive"};
  const std::string plain = lowered(name);
  return std::any_of(std::begin(words), std::end(words),
                     [&](auto word) { return plain.find(word) != std::string::npos; });
}

/// Endings that copies of whole drives and folders have.
bool looksPacked(std::string_view name) {
  static constexpr std::string_view endings[] = {
      ".img", ".dd", ".wim", ".vhd", ".vhdx", ".tar", ".tgz", ".gz",  ".xz",  ".zst", ".bz2",
      ".zip", ".7z", ".rar", ".bak", ".dmg",  ".iso", ".fsa", ".gho", ".tib", ".sql", ".sparseimage"};
  const std::string plain = lowered(name);
  return std::any_of(std::begin(endings), std::end(endings), [&](auto end) { return plain.ends_with(end); });
}

/// Copies that nobody has written to for long: what places know, packed files whose names say so, and folders
/// of a series that share their files.
class StaleBackups final : public Detector {
public:
  std::string_view id() const override { return "stale-backups"; }

  Result<void> detect(const DetectInput& input, const FindSink& sink,
                      const std::stop_token& stop) const override {
    const FindContext& c = *input.context;
    const FindSink told = [&](Find find) {
      sayMakerGone(c, find);
      return sink(std::move(find));
    };
    if (auto given = PlaceFinds(input, id()).give(told, stop); !given) return given;
    for (NodeId id = 1; id < c.tree.size(); ++id) {
      if (stop.stop_requested()) return {};
      if (isPackedCopy(c, id) && !sink(findOf(c, {id}, 75))) return {};
    }
    return giveSeries(c, sink, stop);
  }

private:
  static TimeNs line(const FindContext& c) { return c.options.now - staleDays * nsPerDay; }

  /// Where the program that made and would remove them is on the drive no more, they are folders like others:
  /// for a person to let go.
  static void sayMakerGone(const FindContext& c, Find& find) {
    const Place* place = c.places.known().find(find.placeId);
    if (place == nullptr || place->go != LetGo::owner || place->command.empty()) return;
    const std::string program = place->command.substr(0, place->command.find(' '));
    for (const SystemRoot& system : c.places.systems()) {
      const bool here = system.at.empty() || find.place == system.at || beneath(find.place, system.at);
      if (!here || system.family != SystemFamily::linuxFamily || !system.certain || system.previous ||
          !system.prefix.empty())
        continue;
      static constexpr const char* folders[] = {"usr/bin/", "usr/sbin/", "bin/", "sbin/", "usr/local/bin/"};
      if (std::any_of(std::begin(folders), std::end(folders), [&](const char* folder) {
            return c.tree.find(joinPath(system.at, folder + program)).has_value();
          }))
        return;
      find.facts.push_back({"maker-gone", program});
      find.offers = {{"discard", {}, {}, {}}, {"hold", {}, {}, {}}};
      find.standing = find.judged = std::min(find.judged, Standing::unjudged);
      find.likelihood = 75;
      return;
    }
  }

  static bool open(const FindContext& c, NodeId id) {
    if (c.inTrash[id] || c.part[id] || c.tree.isGone(id)) return false;
    const Place* place = c.placeOf(id);
    return c.strictest(id).standing > Standing::kept && (place == nullptr || place->kind.empty());
  }

  static bool isPackedCopy(const FindContext& c, NodeId id) {
    if (c.tree.kind(id) != EntryKind::file || c.tree.occupied(id) < c.large() ||
        c.tree.modified(id) > line(c))
      return false;
    const auto name = c.tree.name(id);
    const auto folder = c.tree.name(c.tree.parent(id));
    return looksPacked(name) && (saysCopy(name) || holdsDate(name) || saysCopy(folder)) && open(c, id);
  }

  /// Folders that share their files, by date or number, as far as they may go.
  Result<void> giveSeries(const FindContext& c, const FindSink& sink, const std::stop_token& stop) const {
    for (const PointSeries& series : c.points.series()) {
      if (!series.linked || stop.stop_requested()) continue;
      std::vector<NodeId> copies;
      std::uint64_t stay = 0;
      TimeNs stays = 0;
      bool alive = false;
      for (const std::uint32_t i : series.points) {
        alive = alive || c.tree.totals(c.points[i].node).newest > line(c);
        if (c.points.lock(i) == PointLock::none)
          copies.push_back(c.points[i].node);
        else
          ++stay, stays = c.points[i].taken;  // of the last in the series
      }
      std::erase_if(copies, [&](NodeId id) { return !open(c, id); });
      if (copies.empty()) continue;
      Find find = findOf(c, copies, alive ? 60 : 75);
      // As with snapshots: what stays in the newest is not lost, what was changed or deleted before is.
      if (find.regret > Regret::wayBack && stays > 0) find.regret = Regret::wayBack;
      find.facts.push_back({"newest-stay", stay});
      find.facts.push_back({"newest-stays", static_cast<std::uint64_t>(std::max<TimeNs>(0, stays))});
      if (find.gain.atMost > 0 && !sink(std::move(find))) return {};
    }
    return {};
  }

  Find findOf(const FindContext& c, const std::vector<NodeId>& nodes, std::uint32_t likelihood) const {
    Find find;
    find.kind = this->id();
    find.likelihood = likelihood;
    if (nodes.size() > 1) find.place = c.tree.path(c.tree.parent(nodes.front()));
    for (const NodeId id : nodes) find.items.push_back(c.subject(id));
    std::stable_sort(find.items.begin(), find.items.end(),
                     [](const Subject& a, const Subject& b) { return a.occupied > b.occupied; });
    find.offers = {{"discard", {}, {}, {}}, {"hold", {}, {}, {}}, {"transfer", {}, {}, {}}};
    c.complete(find);
    find.band = ageBand(find.newest, c.options.now);
    return find;
  }
};

}  // namespace

std::shared_ptr<const Detector> staleBackupsDetector() {
  return std::make_shared<StaleBackups>();
}

}  // namespace zt
