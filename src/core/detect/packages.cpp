// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/detect/detectors.h"
#include "core/detect/flatpaks.h"
#include "core/detect/kernels.h"
#include "core/detect/place_finds.h"
#include "core/detect/snaps.h"

namespace zt {

namespace {

/// Fetched packages by the places that know them, and superseded kernels, each with all that belongs to it.
class Packages final : public Detector {
public:
  std::string_view id() const override { return "packages"; }

  Result<void> detect(const DetectInput& input, const FindSink& sink,
                      const std::stop_token& stop) const override {
    const FindContext& c = *input.context;
    if (auto given = PlaceFinds(input, id()).give(sink, stop); !given) return given;
    for (const SystemRoot& system : c.places.systems()) {
      if (system.family != SystemFamily::linuxFamily || !system.certain || system.previous ||
          !system.prefix.empty())
        continue;
      for (const KernelVersion& kernel : kernelsOf(c, system.at)) {
        if (stop.stop_requested()) return {};
        if (!kernel.stays && !sink(findOf(c, kernel))) return {};
      }
      for (const Flatpak& runtime : flatpaksIn(input, system))
        if (runtime.runtime && !runtime.used && !sink(unusedRuntime(c, runtime))) return {};
      for (const SnapRevision& snap : disabledSnaps(input, system))
        if (!sink(disabledRevision(c, snap))) return {};
    }
    return {};
  }

private:
  Find unusedRuntime(const FindContext& c, const Flatpak& runtime) const {
    Find find;
    find.kind = this->id();
    find.likelihood = 75;
    find.whole = true;
    find.items.push_back(c.subject(runtime.folder));
    // Its files are names of what the manager keeps in its store: only that can let them go.
    find.offers = {{"advise", {}, {}, {"live"}}};
    c.complete(find);
    find.standing = find.judged = Standing::rebuilds;
    find.regret = Regret::timeOrBandwidth;
    find.facts.push_back({"package", runtime.id});
    find.facts.push_back({"wanted", std::string("unused")});
    find.facts.push_back({"command", "flatpak uninstall " + runtime.id});
    find.band = ageBand(find.newest, c.options.now);
    return find;
  }

  Find disabledRevision(const FindContext& c, const SnapRevision& snap) const {
    Find find;
    find.kind = this->id();
    find.likelihood = 75;
    find.whole = true;
    find.items.push_back(c.subject(snap.image));
    // Its manager keeps the list of them: only that can let one go.
    find.offers = {{"advise", {}, {}, {"live"}}};
    c.complete(find);
    find.standing = find.judged = Standing::spent;
    find.regret = Regret::wayBack;
    find.facts.push_back({"package", snap.name});
    find.facts.push_back({"package-version", snap.revision});
    find.facts.push_back({"wanted", std::string("disabled")});
    find.facts.push_back({"command", "snap remove " + snap.name + " --revision=" + snap.revision});
    find.band = ageBand(find.newest, c.options.now);
    return find;
  }

  /// On the running system its package goes, not its files, which are the system's.
  static void asPackage(Find& find, const KernelVersion& kernel) {
    constexpr std::string_view byApt = "apt-get purge ";
    if (!kernel.removal.starts_with(byApt)) return;
    Subject package;
    package.kind = SubjectKind::package;
    package.path = kernel.removal.substr(byApt.size());
    for (const Subject& file : find.items) package.occupied += file.occupied;
    find.items = {std::move(package)};
    find.offers.push_back({"remove", {}, {}, {}});
  }

  Find findOf(const FindContext& c, const KernelVersion& kernel) const {
    Find find;
    find.kind = this->id();
    find.likelihood = 70;
    find.whole = true;
    for (const NodeId id : kernel.nodes) find.items.push_back(c.subject(id));
    std::stable_sort(find.items.begin(), find.items.end(),
                     [](const Subject& a, const Subject& b) { return a.occupied > b.occupied; });
    // Never file by file: its package takes it away, on its own running system.
    find.offers = {{"advise", {}, {}, {"live"}}};
    c.complete(find);
    find.place = c.tree.path(c.tree.parent(kernel.nodes.front()));
    find.placeId = "superseded-kernels";
    find.standing = find.judged = Standing::spent;
    find.regret = Regret::wayBack;
    find.facts.push_back({"kernel-version", kernel.version});
    find.facts.push_back({"command", kernel.removal});
    if (c.options.live) asPackage(find, kernel);
    find.id = FindContext::findId(this->id(), find.place + "/" + kernel.version, AgeBand::today);
    find.band = ageBand(find.newest, c.options.now);
    return find;
  }
};

}  // namespace

std::shared_ptr<const Detector> packagesDetector() {
  return std::make_shared<Packages>();
}

}  // namespace zt
