// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/cut_apart.h"

#include <algorithm>

#include "core/catalogue/earlier_system.h"
#include "core/catalogue/personal_names.h"

namespace zt {

namespace {

/// Tells what was made from what was not, on the way down and up again.
class Maker {
public:
  virtual ~Maker() = default;
  virtual void enter(NodeId node) = 0;
  virtual void leave() = 0;
  /// Of what was entered last, no folder.
  virtual bool made() const = 0;
};

/// By the kinds of file that the place's maker makes.
class MakerOfKinds final : public Maker {
public:
  MakerOfKinds(const Place& place, const SurveyTree& tree, NodeId top, bool fold)
      : place_(place), tree_(tree), fold_(fold), own_(ownParts(top)) {}
  void enter(NodeId node) override { names_.push_back(folded(tree_.name(node))); }
  void leave() override { names_.pop_back(); }
  bool made() const override {
    // Whoever writes a place of his own knows what is there; without a list only what is plainly personal
    // stays.
    if (place_.own && place_.holds.empty()) return !looksPersonal(names_.back());
    std::vector<std::string_view> way(names_.begin(), names_.end());
    return place_.holds.fits(way, own_, fold_);
  }

private:
  /// The name of the place's own entry counts where a wildcard stands for it.
  std::size_t ownParts(NodeId top) const {
    const std::string own = folded(tree_.name(top));
    const bool exact = std::any_of(place_.paths.begin(), place_.paths.end(), [&](const std::string& path) {
      return path == "**" || (fold_ ? lowered(baseName(path)) : std::string(baseName(path))) == own;
    });
    return exact ? 1 : 0;
  }
  std::string folded(std::string_view name) const { return fold_ ? lowered(name) : std::string(name); }

  const Place& place_;
  const SurveyTree& tree_;
  bool fold_;
  std::size_t own_;
  std::vector<std::string> names_;  ///< from the place's own entry down to where one is
};

/// By what an earlier system's own places say.
class MakerOfSystem final : public Maker {
public:
  MakerOfSystem(SystemFamily family, const SurveyTree& tree, std::shared_ptr<const KnownPlaces> known)
      : tree_(tree), byDate_(family == SystemFamily::mac), system_(family, std::move(known)) {}
  void enter(NodeId node) override {
    ways_.push_back(ways_.empty() ? system_.start()
                                  : system_.step(ways_.back(), tree_.name(node), tree_.kind(node)));
    // Of several that were replaced each lies in a folder of its own.
    if (byDate_ && ways_.size() == 2 && ways_.back().place == nullptr && tree_.isFolder(node))
      ways_.back() = system_.start();
    node_ = node;
  }
  void leave() override { ways_.pop_back(); }
  bool made() const override {
    return EarlierSystem::made(ways_.back(), tree_.name(node_), tree_.length(node_));
  }

private:
  const SurveyTree& tree_;
  bool byDate_;
  EarlierSystem system_;
  std::vector<PlaceMap::Way> ways_;
  NodeId node_ = noNode;
};

class Cutter {
public:
  Cutter(Maker& maker, const SurveyTree& tree, std::uint32_t sighting, Verdict verdict, Sightings& all)
      : maker_(maker), tree_(tree), sighting_(sighting), verdict_(verdict), all_(all) {}

  void run() {
    const NodeId top = all_.all[sighting_].node;
    const Seen seen = sort(top);
    if (seen.foreign == 0) return;
    if (seen.made == 0) {
      Sighting& s = all_.all[sighting_];
      s.verdict = verdict_;
      holdBack(s, all_);
      return;
    }
    for (const NodeId node : apart_) all_.part[node] = false;
    for (const NodeId node : cut_) cutOut(node);
    all_.cutApart.insert(sighting_);
  }

private:
  /// Nobody makes folders that deep; what lies there is left.
  static constexpr std::size_t deepest = 500;
  struct Seen {
    std::uint64_t made = 0;
    std::uint64_t foreign = 0;
  };

  Seen sort(NodeId node) {
    maker_.enter(node);
    ++depth_;
    Seen seen;
    if (!tree_.isFolder(node)) {
      (maker_.made() ? seen.made : seen.foreign) = 1;
    } else if (depth_ > deepest || isWorkingCopy(node)) {
      seen.foreign = 1;
    } else {
      seen = sortChildren(node);
    }
    --depth_;
    maker_.leave();
    return seen;
  }

  Seen sortChildren(NodeId node) {
    Seen seen;
    std::vector<NodeId> cut;
    each(node, [&](NodeId id) {
      if (all_.of[id] != sighting_ || tree_.isGone(id)) return;
      const Seen in = sort(id);
      seen.made += in.made;
      seen.foreign += in.foreign;
      if (in.foreign > 0 && in.made == 0) cut.push_back(id);
    });
    // A folder of nothing but foreign things is cut out where something beside it stays.
    if (seen.made > 0) cut_.insert(cut_.end(), cut.begin(), cut.end());
    // What is not all its maker's does not go as a whole; what is stays one beneath it.
    if (seen.made > 0 && seen.foreign > 0) each(node, [&](NodeId id) { apart_.push_back(id); });
    return seen;
  }

  /// What is kept under version control is somebody's work, wherever it lies.
  bool isWorkingCopy(NodeId folder) const {
    bool sign = false;
    each(folder, [&](NodeId id) { sign = sign || isWorkingCopySign(tree_.name(id)); });
    return sign;
  }

  void cutOut(NodeId node) {
    Sighting s = all_.all[sighting_];
    s.node = node;
    s.above = sighting_;
    s.verdict = verdict_;
    holdBack(s, all_);
    all_.all.push_back(s);
    relabel(node, static_cast<std::uint32_t>(all_.all.size() - 1));
  }

  void relabel(NodeId node, std::uint32_t as) {
    std::vector<NodeId> waiting{node};
    while (!waiting.empty()) {
      const NodeId at = waiting.back();
      waiting.pop_back();
      all_.of[at] = as;
      each(at, [&](NodeId id) {
        all_.part[id] = false;
        if (all_.of[id] == sighting_) waiting.push_back(id);
      });
    }
  }

  template <class Each>
  void each(NodeId folder, Each each) const {
    if (!tree_.isFolder(folder)) return;
    const FolderTotals& t = tree_.totals(folder);
    for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id) each(id);
  }

  Maker& maker_;
  const SurveyTree& tree_;
  std::uint32_t sighting_;
  Verdict verdict_;
  Sightings& all_;
  std::size_t depth_ = 0;
  std::vector<NodeId> cut_;
  std::vector<NodeId> apart_;
};

SystemFamily familyOf(const Place& place, const KnownPlaces& known) {
  for (const auto family : {SystemFamily::nt, SystemFamily::mac})
    if (known.of(family).find(place.id) != nullptr) return family;
  return SystemFamily::linuxFamily;
}

}  // namespace

void holdBack(Sighting& s, const Sightings& all) {
  s.standing = std::min(s.place->standing, Standing::unjudged);
  const bool perhaps = s.verdict == Verdict::tooYoung || s.isNewestToAskFor() ||
                       s.verdict == Verdict::personal || s.verdict == Verdict::foreign;
  if (!perhaps) s.standing = std::min(s.standing, all.all[s.above].standing);
  s.regret = Regret::personalGone;
}

void cutApart(std::uint32_t sighting, const PlaceMap& map, const SurveyTree& tree, Sightings& all) {
  const Sighting& s = all.all[sighting];
  if (s.place->isEarlierSystem()) {
    MakerOfSystem maker(familyOf(*s.place, map.known()), tree, map.shared());
    Cutter(maker, tree, sighting, Verdict::personal, all).run();
  } else if (s.place->byKinds()) {
    MakerOfKinds maker(*s.place, tree, s.node, foldsCase(map.layers()[s.layer].catalogue->family()));
    Cutter(maker, tree, sighting, Verdict::foreign, all).run();
  }
}

}  // namespace zt
