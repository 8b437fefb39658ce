// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/catalogue/judge.h"

#include <algorithm>
#include <map>

#include "core/catalogue/cut_apart.h"
#include "core/catalogue/personal_names.h"

namespace zt {

std::string_view name(Verdict verdict) {
  static constexpr std::array<std::string_view, verdicts> names{
      "as-said", "too-young", "stays", "unmarked", "uncertain", "link", "personal", "foreign"};
  return names[static_cast<std::size_t>(verdict)];
}

namespace {

using Way = PlaceMap::Way;
using Candidate = FormIndex::Candidate;

class Judge {
public:
  Judge(const PlaceMap& map, const SurveyTree& tree, const JudgeOptions& options)
      : map_(map), tree_(tree), options_(options), forms_(FormIndex(map).candidatesIn(tree)) {
    for (const PathBytes& path : map.entrances())
      if (const auto node = path.empty() ? std::nullopt : tree.find(path)) entrances_[*node] = path;
  }

  Sightings run() {
    out_.all.emplace_back();
    out_.of.resize(tree_.size());
    out_.part.resize(tree_.size());
    Visit first{0, map_.start(), 0, {}};
    if (first.way.inHome) out_.homes.push_back(0);
    note(first, 0);
    std::vector<Visit> waiting;
    waiting.push_back(std::move(first));
    while (!waiting.empty()) {
      const Visit at = std::move(waiting.back());
      waiting.pop_back();
      visitChildren(at, waiting);
    }
    leaveNewest();
    const auto spoken = static_cast<std::uint32_t>(out_.all.size());
    for (std::uint32_t i = 1; i < spoken; ++i)
      if (out_.all[i].verdict == Verdict::asSaid) cutApart(i, map_, tree_, out_);
    return std::move(out_);
  }

private:
  struct Visit {
    NodeId node;
    Way way;
    std::uint32_t sighting;              ///< what speaks of the node
    std::vector<Candidate> forChildren;  ///< forms that its children are
  };

  void visitChildren(const Visit& at, std::vector<Visit>& waiting) {
    const FolderTotals& t = tree_.totals(at.node);
    const bool still = at.way.spots.empty() && entrances_.empty() && at.forChildren.empty();
    const bool inWhole =
        at.way.inWhole || (out_.all[at.sighting].place != nullptr && out_.all[at.sighting].place->whole);
    for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id) {
      const bool folder = tree_.isFolder(id) && tree_.totals(id).children > 0;
      out_.of[id] = at.sighting;
      out_.part[id] = inWhole;
      if (inWhole || (still && !forms_.contains(id))) {
        // Nothing begins or speaks here; a folder is gone into only for what may begin further down.
        if (folder) {
          Visit below{id, at.way, at.sighting, {}};
          below.way.spots.clear();
          below.way.inWhole = inWhole;
          waiting.push_back(std::move(below));
        }
        continue;
      }
      Visit next{id, map_.step(at.way, tree_.name(id), tree_.kind(id)), at.sighting, {}};
      if (const auto top = entrances_.find(id); top != entrances_.end()) map_.enter(next.way, top->second);
      if (next.way.inHome && !at.way.inHome) out_.homes.push_back(id);
      note(next, at.sighting);
      applyForms(at, next);
      if (folder) waiting.push_back(std::move(next));
    }
  }

  /// Makes a sighting of a place that has spoken at this step.
  void note(Visit& visit, std::uint32_t above) {
    if (!visit.way.spoke) return;
    visit.sighting = add(visit, *visit.way.place, visit.way.certain, above);
    out_.of[visit.node] = visit.sighting;
  }

  std::uint32_t add(const Visit& visit, const Place& place, bool certain, std::uint32_t above) {
    Sighting s{visit.node,      &place, place.standing,  place.regret,
               Verdict::asSaid, above,  visit.way.layer, visit.way.inHome};
    s.verdict = verdictOn(place, visit.node, certain, visit.way.layer);
    if (s.verdict != Verdict::asSaid) hold(s);
    out_.all.push_back(s);
    return static_cast<std::uint32_t>(out_.all.size() - 1);
  }

  void hold(Sighting& s) const { holdBack(s, out_); }

  Verdict verdictOn(const Place& place, NodeId node, bool certain, std::uint16_t layer) const {
    if (place.standing <= Standing::unjudged) return Verdict::asSaid;  // cannot become milder
    if (!certain) return Verdict::uncertain;
    if (tree_.kind(node) == EntryKind::symlink && place.ageDays == 0) return Verdict::link;
    if (!marked(place, node, layer)) return Verdict::unmarked;
    if (place.ageDays > 0 && !agedBy(node, place.ageDays)) return Verdict::tooYoung;
    // What an earlier system is made of is told apart from what persons left in it.
    if (place.impersonal && !place.isEarlierSystem() && holdsPersonal(node)) return Verdict::personal;
    return Verdict::asSaid;
  }

  bool marked(const Place& place, NodeId node, std::uint16_t layer) const {
    const auto there = [&](const Marker& m) { return holds(m, node, layer); };
    return std::all_of(place.onlyIf.begin(), place.onlyIf.end(),
                       [&](const Marker& m) { return there(m).value_or(false); }) &&
           std::none_of(place.unless.begin(), place.unless.end(),
                        [&](const Marker& m) { return there(m).value_or(true); });
  }

  /// Latest modification of it and all in it; times to come tell nothing.
  bool agedBy(NodeId node, int days) const {
    const TimeNs touched =
        std::max(tree_.modified(node), tree_.isFolder(node) ? tree_.totals(node).newest : 0);
    return options_.now != 0 && touched <= options_.now - days * nsPerDay;
  }

  /// Whether a personal kind of file is in it.
  bool holdsPersonal(NodeId node) const {
    std::vector<NodeId> waiting{node};
    while (!waiting.empty()) {
      const NodeId at = waiting.back();
      waiting.pop_back();
      if (!tree_.isFolder(at)) {
        if (looksPersonal(tree_.name(at))) return true;
        continue;
      }
      const FolderTotals& t = tree_.totals(at);
      for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id)
        waiting.push_back(id);
    }
    return false;
  }

  /// Whether a marker is there; nothing where it cannot be told.
  std::optional<bool> holds(const Marker& marker, NodeId node, std::uint16_t layer) const {
    const PlaceMap::Layer& l = map_.layers()[layer];
    const bool fold = foldsCase(l.catalogue->family());
    NodeId from = node;
    if (marker.where == Marker::Where::beside) from = node == 0 ? noNode : tree_.parent(node);
    if (marker.where == Marker::Where::top)
      from = l.prefix.empty() ? tree_.find(l.at).value_or(noNode) : noNode;
    if (from == noNode) return std::nullopt;
    for (const std::string& path : marker.paths) {
      if (marker.where == Marker::Where::name) {
        if (NamePattern(fold ? lowered(path) : path)
                .fits(fold ? lowered(tree_.name(node)) : std::string(tree_.name(node))))
          return true;
        continue;
      }
      const NodeId found = below(from, splitPath(path), 0, fold);
      if (found == noNode) continue;
      if (marker.head.empty()) return true;
      if (!options_.head) return std::nullopt;
      const auto head = options_.head(found, marker.head.size());
      if (head && *head == marker.head) return true;
    }
    return false;
  }

  /// The first entry that parts of a path lead to; noNode if there is none.
  NodeId below(NodeId at, const std::vector<std::string_view>& parts, std::size_t i, bool fold) const {
    if (i == parts.size()) return at;
    if (parts[i] == "..") return at == 0 ? noNode : below(tree_.parent(at), parts, i + 1, fold);
    if (!tree_.isFolder(at)) return noNode;
    const bool wild = NamePattern::isWild(parts[i]);
    if (!wild && !fold) {
      const auto child = tree_.child(at, parts[i]);
      return child ? below(*child, parts, i + 1, fold) : noNode;
    }
    const NamePattern pattern(fold ? lowered(parts[i]) : std::string(parts[i]));
    const FolderTotals& t = tree_.totals(at);
    for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id) {
      const std::string name = fold ? lowered(tree_.name(id)) : std::string(tree_.name(id));
      if (wild ? !pattern.fits(name) : name != pattern.text()) continue;
      if (const NodeId found = below(id, parts, i + 1, fold); found != noNode) return found;
    }
    return noNode;
  }

  /// Lets the forms speak that an entry is of. A path beats a form at the same depth.
  void applyForms(const Visit& parent, Visit& visit) {
    for (const Candidate& c : parent.forChildren) applyForm(c, visit, parent.sighting);
    const auto at = forms_.find(visit.node);
    if (at == forms_.end()) return;
    for (const Candidate& c : at->second) {
      if (c.children)
        visit.forChildren.push_back(c);
      else
        applyForm(c, visit, parent.sighting);
    }
  }

  void applyForm(const Candidate& c, Visit& visit, std::uint32_t above) {
    const Place& place = *c.form->place;
    const bool folder = tree_.isFolder(visit.node);
    if ((place.filesOnly && folder) || (place.foldersOnly && !folder) ||
        tree_.kind(visit.node) == EntryKind::symlink)
      return;
    // Where a system or a home begins, its own places speak.
    if (entrances_.contains(visit.node) || !lies(visit.node, c.layer)) return;
    // Of several forms at one entry the strictest is heard.
    const Sighting& now = out_.all[visit.sighting];
    if (now.node == visit.node && now.standing <= place.standing) return;
    if (visit.way.spoke || !allowed(place, visit, out_.all[visit.sighting].standing)) return;
    // What a form is told by is the form: without it the place does not speak at all.
    if (!marked(place, visit.node, c.layer)) return;
    visit.way.layer = c.layer;
    visit.sighting = add(visit, place, map_.layers()[c.layer].certain, above);
    out_.of[visit.node] = visit.sighting;
    visit.way.closed = visit.way.closed || place.closed;
  }

  /// Whether an entry lies where a layer is put to.
  bool lies(NodeId node, std::uint16_t layer) const {
    const PathBytes& at = map_.layers()[layer].at;
    if (at.empty()) return true;
    const auto root =
        std::find_if(entrances_.begin(), entrances_.end(), [&](const auto& e) { return e.second == at; });
    return root != entrances_.end() && (root->first == node || tree_.isBeneath(node, root->first));
  }

  /// A form loosens nothing: bedrock is bedrock, and what is kept is opened in homes alone. Stricter ones
  /// hold everywhere, milder ones in homes and where no system lies.
  static bool allowed(const Place& form, const Visit& visit, Standing now) {
    if (now == Standing::bedrock) return false;
    if (form.standing <= now) return true;
    if (visit.way.closed && !form.deep) return false;
    if (visit.way.inHome) return true;
    return !visit.way.system && now != Standing::kept;
  }

  /// Of every series the newest stay.
  void leaveNewest() {
    std::map<std::tuple<const Place*, NodeId, std::string>, std::vector<std::uint32_t>> series;
    for (std::uint32_t i = 1; i < out_.all.size(); ++i) {
      const Sighting& s = out_.all[i];
      // What is too young is among the newest, too.
      const bool counts = s.verdict == Verdict::asSaid || s.verdict == Verdict::tooYoung;
      if (s.place->newestStay > 0 && counts && s.node != 0)
        series[{s.place, tree_.parent(s.node), seriesOf(*s.place, tree_.name(s.node))}].push_back(i);
    }
    const auto touched = [&](std::uint32_t i) {
      const NodeId node = out_.all[i].node;
      return std::pair(tree_.isFolder(node) ? tree_.totals(node).newest : tree_.modified(node), node);
    };
    for (auto& [key, numbers] : series) {
      std::sort(numbers.begin(), numbers.end(), [&](auto a, auto b) { return touched(a) > touched(b); });
      const auto stay =
          std::min<std::size_t>(numbers.size(), static_cast<std::size_t>(std::get<0>(key)->newestStay));
      for (std::size_t i = 0; i < stay; ++i) {
        Sighting& s = out_.all[numbers[i]];
        if (s.verdict != Verdict::asSaid) continue;
        s.verdict = Verdict::stays;
        hold(s);
      }
    }
  }

  /// "syslog" of "syslog.2.gz", a device of its dated copies; nothing where all siblings are one series.
  static std::string seriesOf(const Place& place, std::string_view name) {
    if (place.series == "name")
      for (std::size_t i = 1; i < name.size(); ++i) {
        const bool apart = name[i - 1] == '.' || name[i - 1] == '-' || name[i - 1] == '_';
        if (apart && name[i] >= '0' && name[i] <= '9') return std::string(name.substr(0, i - 1));
      }
    if (place.series == "device" && name.size() > 16 && name[name.size() - 16] == '-' &&
        name[name.size() - 7] == '-')
      return std::string(name.substr(0, name.size() - 16));
    return place.series.empty() ? std::string() : std::string(name);
  }

  const PlaceMap& map_;
  const SurveyTree& tree_;
  const JudgeOptions& options_;
  FormIndex::Candidates forms_;
  absl::flat_hash_map<NodeId, PathBytes> entrances_;
  Sightings out_;
};

}  // namespace

Sightings judge(const PlaceMap& map, const SurveyTree& tree, const JudgeOptions& options) {
  return Judge(map, tree, options).run();
}

}  // namespace zt
