// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <map>

#include "core/detect/detectors.h"
#include "core/detect/place_finds.h"
#include "core/detect/user_dirs.h"

namespace zt {

namespace {

/// Names of what can usually be fetched again: installers and disk images of systems.
bool canBeFetched(std::string_view name) {
  static constexpr std::string_view endings[] = {".deb",     ".rpm",  ".msi",      ".exe", ".pkg",
                                                 ".dmg",     ".iso",  ".xip",      ".run", ".snap",
                                                 ".flatpak", ".msix", ".appimage", ".apk", ".ipsw"};
  const std::string plain = lowered(name);
  return std::any_of(std::begin(endings), std::end(endings), [&](auto end) { return plain.ends_with(end); });
}

/// Whether it was noted with a file where it was fetched from: user.xdg.origin.url (freedesktop.org, Common
/// Extended Attributes), the zone stream of nt as its driver shows streams, or the list that mac keeps. Asked
/// of larger files only, and of so many: each costs a call.
class Origins {
public:
  Origins(const DetectInput& input, NodeId folder) : files_(input.files) {
    if (!files_ || !input.root) return;
    at_ = files_->openBeneath(*input.root, input.context->tree.path(folder)).value_or(nullptr);
  }
  bool knows(const SurveyTree& tree, NodeId file) {
    constexpr Bytes worthAsking = 1'000'000;
    if (at_ == nullptr || left_ == 0 || tree.occupied(file) < worthAsking) return false;
    --left_;
    const auto says = [&](const char* key, std::string_view what) {
      const auto value = files_->attribute(*at_, tree.name(file), key);
      return value && value->find(what) != std::string::npos;
    };
    return says("user.xdg.origin.url", "://") || says("user.Zone.Identifier", "HostUrl=http") ||
           says("com.apple.metadata:kMDItemWhereFroms", "://");
  }

private:
  std::shared_ptr<FileSystemReader> files_;
  FolderPtr at_;
  int left_ = 2'000;
};

/// What arrived, for every user: by age, what can be fetched again apart from the rest. Nobody's to take but
/// a person's.
class Arrivals final : public Detector {
public:
  std::string_view id() const override { return "arrivals"; }

  Result<void> detect(const DetectInput& input, const FindSink& sink,
                      const std::stop_token& stop) const override {
    const FindContext& c = *input.context;
    for (const NodeId folder : folders(input)) {
      Origins origins(input, folder);
      std::map<std::pair<AgeBand, bool>, std::vector<NodeId>> groups;
      const FolderTotals& t = c.tree.totals(folder);
      for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id) {
        if (stop.stop_requested()) return {};
        if (c.tree.isGone(id) || c.tree.weight(id) == 0 || c.strictest(id).standing <= Standing::kept)
          continue;
        const Place* place = c.placeOf(id);
        if (place != nullptr && !place->kind.empty() && place->kind != this->id()) continue;
        const TimeNs newest = c.tree.isFolder(id) ? c.tree.totals(id).newest : c.tree.modified(id);
        const bool fetched =
            !c.tree.isFolder(id) && (canBeFetched(c.tree.name(id)) || origins.knows(c.tree, id));
        groups[{ageBand(newest, c.options.now), fetched}].push_back(id);
      }
      for (auto& [key, nodes] : groups)
        if (!sink(findOf(c, folder, key.first, key.second, nodes))) return {};
    }
    return {};
  }

private:
  /// The folders in which downloads arrive: where each user's own settings say, else the family's place.
  static std::vector<NodeId> folders(const DetectInput& input) {
    const FindContext& c = *input.context;
    std::vector<NodeId> all;
    const auto add = [&](NodeId id) {
      if (c.tree.isFolder(id) && std::find(all.begin(), all.end(), id) == all.end()) all.push_back(id);
    };
    for (std::uint32_t i = 1; i < c.sightings.all.size(); ++i) {
      const Sighting& s = c.sightings.all[i];
      if (s.place->kind == "arrivals" && c.tree.isFolder(s.node)) add(s.node);
    }
    for (const NodeId home : c.sightings.homes) {
      const auto settings = c.tree.child(home, ".config");
      if (!settings || !input.files || !input.root) continue;
      const auto at = input.files->openBeneath(*input.root, c.tree.path(*settings));
      const auto text = at ? input.files->readFile(**at, "user-dirs.dirs", std::size_t{64} * 1024)
                           : Result<std::string>(tl::unexpected(at.error()));
      const auto said = text ? downloadFolder(*text) : std::nullopt;
      if (!said) continue;
      if (const auto folder = c.tree.find(joinPath(c.tree.path(home), *said))) add(*folder);
    }
    return all;
  }

  Find findOf(const FindContext& c, NodeId folder, AgeBand band, bool fetch,
              std::vector<NodeId>& nodes) const {
    Find find;
    find.kind = this->id();
    find.likelihood = fetch ? 65 : 30;
    find.band = band;
    find.place = c.tree.path(folder);
    find.offers = {{"discard", {}, {}, {}}, {"hold", {}, {}, {}}, {"transfer", {}, {}, {}}};
    takeLargest(find, c, nodes);
    find.facts.push_back({"arrived", std::string(fetch ? "can-be-fetched" : "papers-and-others")});
    c.complete(find);
    find.id = FindContext::findId(this->id(), find.place + (fetch ? "/+" : "/-"), band);
    return find;
  }
};

}  // namespace

std::shared_ptr<const Detector> arrivalsDetector() {
  return std::make_shared<Arrivals>();
}

}  // namespace zt
