// SPDX-License-Identifier: GPL-3.0-or-later
#include <absl/container/flat_hash_map.h>
#include <absl/container/flat_hash_set.h>

#include <algorithm>

#include "core/base/lines.h"
#include "core/detect/detectors.h"
#include "core/detect/flatpaks.h"
#include "core/detect/package_sources.h"
#include "core/detect/place_finds.h"

namespace zt {

namespace {

constexpr std::size_t mostPrograms = 100;

/// Finds nodes by absolute paths that come in order: neighbours share the folder that was looked up last.
class PathsInOrder {
public:
  PathsInOrder(const SurveyTree& tree, NodeId top) : tree_(tree), top_(top) {}
  NodeId find(std::string_view path) {
    if (path.starts_with('/')) path.remove_prefix(1);
    const auto parent = parentPath(path);
    if (folder_ == noNode || parent != parent_) {
      parent_ = parent;
      folder_ = walk(parent);
    }
    if (folder_ == noNode || !tree_.isFolder(folder_)) return noNode;
    return tree_.child(folder_, baseName(path)).value_or(noNode);
  }

private:
  NodeId walk(std::string_view path) const {
    NodeId at = top_;
    for (const auto part : splitPath(path)) {
      if (!tree_.isFolder(at)) return noNode;
      const auto next = tree_.child(at, part);
      // "/lib" leads into "/usr/lib" where the tree is merged.
      if (next && tree_.kind(*next) == EntryKind::symlink && at == top_) {
        const auto usr = tree_.child(top_, "usr");
        const auto merged = usr ? tree_.child(*usr, part) : std::nullopt;
        if (!merged) return noNode;
        at = *merged;
        continue;
      }
      if (!next) return noNode;
      at = *next;
    }
    return at;
  }
  const SurveyTree& tree_;
  NodeId top_;
  PathBytes parent_;
  NodeId folder_ = noNode;
};

/// What a package occupies, by the survey, and when one of its programs was last run.
struct PackageWeight {
  std::vector<NodeId> files;
  Bytes occupied = 0;
  std::int64_t used = 0;

  void add(const PackageWeight& other) {
    files.insert(files.end(), other.files.begin(), other.files.end());
    occupied += other.occupied;
    used = std::max(used, other.used);
  }
};

/// A package with what would go with it, because nothing else needs that.
struct Weighed {
  const PackageRecord* package = nullptr;
  PackageWeight weight;
  std::vector<std::string> with;
};

/// Programs by what they really occupy: packages of the drive's own database, program folders and bundles of
/// the other families, games. Measured only: a program goes by its own removal.
class Programs final : public Detector {
public:
  std::string_view id() const override { return "programs"; }

  Result<void> detect(const DetectInput& input, const FindSink& sink,
                      const std::stop_token& stop) const override {
    const FindContext& c = *input.context;
    if (auto given = PlaceFinds(input, id()).give(sink, stop); !given) return given;
    for (const SystemRoot& system : c.places.systems()) {
      if (stop.stop_requested()) return {};
      if (system.previous || !system.prefix.empty() || !system.certain) continue;
      if (system.family == SystemFamily::linuxFamily) {
        if (auto done = packages(input, system, sink, stop); !done) return done;
        for (const Flatpak& app : flatpaksIn(input, system))
          if (!app.runtime && c.tree.weight(app.folder) >= c.large() / 4 && !sink(flatpakFind(c, app)))
            return {};
      } else {
        giveFolders(c, system, sink);
      }
    }
    return {};
  }

private:
  /// What lies in "Program Files" and "Applications".
  void giveFolders(const FindContext& c, const SystemRoot& system, const FindSink& sink) const {
    const std::string_view place = system.family == SystemFamily::nt ? "nt-programs" : "mac-programs";
    for (const Sighting& s : c.sightings.all) {
      if (s.place == nullptr || s.place->id != place || !c.tree.isFolder(s.node)) continue;
      const bool program = system.family == SystemFamily::nt || c.tree.name(s.node).ends_with(".app");
      if (program && c.tree.weight(s.node) >= c.large() && !sink(folderFind(c, s.node))) return;
    }
  }

  Find folderFind(const FindContext& c, NodeId folder) const {
    Find find;
    find.kind = this->id();
    find.likelihood = 40;
    find.items.push_back(c.subject(folder));
    find.offers = {{"advise", {}, {}, {}}};
    c.complete(find);
    find.band = ageBand(find.newest, c.options.now);
    return find;
  }

  Find flatpakFind(const FindContext& c, const Flatpak& app) const {
    Find find = folderFind(c, app.folder);
    find.offers = {{"advise", {}, {}, {"live"}}};
    find.standing = find.judged = Standing::ownersCall;
    find.regret = Regret::timeOrBandwidth;
    find.facts.push_back({"package", app.id});
    find.facts.push_back({"wanted", std::string("by-hand")});
    find.facts.push_back({"command", "flatpak uninstall " + app.id});
    return find;
  }

  Result<void> packages(const DetectInput& input, const SystemRoot& system, const FindSink& sink,
                        const std::stop_token& stop) const {
    const auto sources = packageSources(input, system, stop);
    if (!sources) return tl::unexpected(sources.error());
    for (const PackageSource& source : *sources)
      if (auto given = packagesOf(source, *input.context, system, sink, stop); !given) return given;
    return {};
  }

  Result<void> packagesOf(const PackageSource& source, const FindContext& c, const SystemRoot& system,
                          const FindSink& sink, const std::stop_token& stop) const {
    const NodeId top = c.tree.find(system.at).value_or(0);
    absl::flat_hash_map<std::string_view, PackageWeight> each;
    for (const PackageRecord& package : source.packages) {
      if (stop.stop_requested()) return {};
      if (const auto list = source.files(package)) each.emplace(package.name, weigh(c, top, *list));
    }
    const PackageGraph graph(source.packages);
    std::vector<Weighed> weighed;
    for (const PackageRecord& package : source.packages) {
      if (stop.stop_requested()) return {};
      const auto own = each.find(package.name);
      if (own == each.end()) continue;
      Weighed w{&package, own->second, {}};
      // One that holds little itself may be all that others are there for.
      if (isWanted(package)) w.with = graph.goesWith(package.name);
      for (const std::string& name : w.with)
        if (const auto other = each.find(name); other != each.end()) w.weight.add(other->second);
      if (w.weight.occupied >= c.large() / 4) weighed.push_back(std::move(w));
    }
    std::sort(weighed.begin(), weighed.end(),
              [](const auto& a, const auto& b) { return a.weight.occupied > b.weight.occupied; });
    if (weighed.size() > mostPrograms) weighed.resize(mostPrograms);
    for (const Weighed& w : weighed)
      if (!sink(packageFind(c, source, w))) return {};
    return {};
  }

  static bool isWanted(const PackageRecord& package) { return package.byHand && !package.essential; }

  static PackageWeight weigh(const FindContext& c, NodeId top, std::string_view list) {
    PackageWeight weight;
    PathsInOrder paths(c.tree, top);
    absl::flat_hash_set<std::uint64_t> inodes;  // names of one inode count once
    eachLine(list, [&](std::string_view line) {
      const NodeId id = paths.find(line);
      if (id == noNode || c.tree.kind(id) != EntryKind::file) return;
      if (c.tree.isLinked(id) && !inodes.insert(c.tree.inode(id)).second) return;
      weight.files.push_back(id);
      weight.occupied += c.tree.occupied(id);
      const bool runs = line.starts_with("/usr/bin/") || line.starts_with("/bin/") ||
                        line.starts_with("/usr/games/") || line.starts_with("/usr/sbin/") ||
                        line.starts_with("/opt/");
      if (runs && c.options.keepsAccessTimes) weight.used = std::max(weight.used, c.tree.accessedSeconds(id));
    });
    return weight;
  }

  Find packageFind(const FindContext& c, const PackageSource& source, const Weighed& weighed) const {
    const PackageRecord& package = *weighed.package;
    const PackageWeight& weight = weighed.weight;
    Find find;
    find.kind = this->id();
    const bool wanted = isWanted(package);
    find.likelihood = wanted ? 40 : 10;
    Subject subject;
    subject.kind = SubjectKind::package;
    subject.path = package.name;
    subject.occupied = weight.occupied;
    find.items.push_back(std::move(subject));
    find.offers = {{"advise", {}, {}, {"live"}}};
    if (source.removal.starts_with("apt")) find.offers.push_back({"remove", {}, {}, {}});
    find.live = c.options.live;
    find.place = source.place;
    find.placeId = "system-tree";
    // The system's own tree: nothing of it goes by hand, all of it goes by its package.
    find.standing = find.judged = wanted ? Standing::ownersCall : Standing::bedrock;
    find.regret = Regret::timeOrBandwidth;
    find.gain = {weight.occupied, weight.occupied, GainTime::now};
    find.files = static_cast<std::uint32_t>(weight.files.size());
    find.accessed = weight.used;
    for (const NodeId id : weight.files) find.newest = std::max(find.newest, c.tree.modified(id));
    find.facts.push_back({"package", package.name});
    find.facts.push_back({"package-version", package.version});
    find.facts.push_back({"wanted", std::string(package.essential ? "needed-by-the-system"
                                                : package.byHand  ? "by-hand"
                                                                  : "pulled-in")});
    if (wanted) {
      find.facts.push_back({"command", source.removal + package.name});
      std::string with;
      for (const std::string& name : weighed.with) with += (with.empty() ? "" : " ") + name;
      if (!with.empty()) find.facts.push_back({"goes-with", std::move(with)});
    }
    find.id = FindContext::findId(this->id(), package.name + ":" + package.architecture, AgeBand::today);
    find.band = ageBand(find.newest, c.options.now);
    return find;
  }
};

}  // namespace

std::shared_ptr<const Detector> programsDetector() {
  return std::make_shared<Programs>();
}

}  // namespace zt
