// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/match/equal_folders.h"

#include <absl/container/flat_hash_map.h>
#include <absl/container/flat_hash_set.h>

#include <algorithm>
#include <map>

#include "core/finds/dated_name.h"

namespace zt {

namespace {

/// What a file or link counts as; nothing for one that is like no other.
using KeyOf = std::function<std::optional<std::uint64_t>(NodeId)>;

/// Digests of whole folders, from what their entries are called and count as; from the leaves upwards.
class FolderDigests {
public:
  FolderDigests(const Survey& survey, const KeyOf& keyOf)
      : tree_(survey.tree), keyOf_(keyOf), hash_(xxh3Hash()) {
    // What was not seen whole is like no other.
    for (const SurveyException& e : survey.exceptions) unseen_.insert(e.node);
    // A parent's number is smaller than its children's.
    for (NodeId id = static_cast<NodeId>(tree_.size()); id-- > 0;)
      if (!tree_.isGone(id) && tree_.isFolder(id) && !unseen_.contains(id)) digest(id);
  }
  const absl::flat_hash_map<NodeId, Digest>& all() const { return all_; }

private:
  void digest(NodeId folder) {
    const FolderTotals& t = tree_.totals(folder);
    std::vector<std::pair<std::string_view, NodeId>> entries;
    for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id)
      if (!tree_.isGone(id)) entries.emplace_back(tree_.name(id), id);
    if (entries.empty()) return;
    std::sort(entries.begin(), entries.end());
    std::string text;
    for (const auto& [name, id] : entries) {
      text.append(name).push_back('/');
      if (!addEntry(id, text)) return;
    }
    hash_->add(text);
    all_.emplace(folder, hash_->finish());
  }

  bool addEntry(NodeId id, std::string& text) const {
    if (tree_.isFolder(id)) {
      if (unseen_.contains(id)) return false;
      if (tree_.totals(id).children == 0) return text.append("empty"), true;
      const auto below = all_.find(id);
      if (below == all_.end()) return false;
      addNumber(below->second.high, text);
      addNumber(below->second.low, text);
      return true;
    }
    const EntryKind kind = tree_.kind(id);
    const auto key = kind == EntryKind::file || kind == EntryKind::symlink ? keyOf_(id) : std::nullopt;
    if (!key) return false;
    addNumber(*key, text);
    if (kind == EntryKind::symlink) text.push_back('>');
    return true;
  }

  static void addNumber(std::uint64_t value, std::string& text) {
    text.append(reinterpret_cast<const char*>(&value), sizeof value);
  }

  const SurveyTree& tree_;
  const KeyOf& keyOf_;
  std::unique_ptr<ContentHash> hash_;
  absl::flat_hash_set<NodeId> unseen_;
  absl::flat_hash_map<NodeId, Digest> all_;
};

template <class Each>
void eachFile(const SurveyTree& tree, NodeId folder, const Each& each) {
  std::vector<NodeId> waiting{folder};
  while (!waiting.empty()) {
    const NodeId at = waiting.back();
    waiting.pop_back();
    const FolderTotals& t = tree.totals(at);
    for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id) {
      if (tree.isGone(id)) continue;
      if (tree.isFolder(id))
        waiting.push_back(id);
      else
        each(id);
    }
  }
}

/// Works the copies out from groups of equal files.
class FolderMatch {
public:
  FolderMatch(const FindContext& context, const std::vector<EqualFiles>& groups, const Marks& marks,
              const KeeperOrder& order)
      : context_(context), tree_(context.tree), groups_(groups), marks_(marks), order_(order) {
    for (std::size_t g = 0; g < groups.size(); ++g)
      for (const NodeId node : groups[g].nodes) {
        groupOf_.emplace(node, g);
        if (const auto file = context.names.fileOf(node)) groupOfLinked_.emplace(*file, g);
      }
    weighAll();
  }

  std::vector<FolderCopy> run() {
    if (groups_.empty()) return {};
    findSame();
    findHeldElsewhere();
    return std::move(found_);
  }

private:
  static constexpr std::size_t fewest = 2;  ///< of one file the file itself is said

  std::optional<std::size_t> groupFor(NodeId file) const {
    if (const auto at = groupOf_.find(file); at != groupOf_.end()) return at->second;
    const auto linked = context_.names.fileOf(file);
    const auto at = linked ? groupOfLinked_.find(*linked) : groupOfLinked_.end();
    return at == groupOfLinked_.end() ? std::nullopt : std::optional(at->second);
  }

  /// From the leaves upwards: how many files of each folder are equal to others, and whether all of them are.
  void weighAll() {
    grouped_.assign(tree_.size(), 0);
    all_.assign(tree_.size(), false);
    for (NodeId id = static_cast<NodeId>(tree_.size()); id-- > 0;) {
      if (tree_.isGone(id)) continue;
      if (!tree_.isFolder(id)) {
        // Links and empty files are compared, and weigh nothing.
        const bool file = tree_.kind(id) == EntryKind::file;
        grouped_[id] = file && groupFor(id);
        all_[id] = file ? grouped_[id] != 0 || tree_.length(id) == 0
                        : tree_.kind(id) == EntryKind::symlink && groupFor(id);
        continue;
      }
      const FolderTotals& t = tree_.totals(id);
      all_[id] = true;
      for (NodeId child = t.firstChild; t.children > 0 && child < t.firstChild + t.children; ++child) {
        grouped_[id] += grouped_[child];
        all_[id] = all_[id] && (all_[child] || tree_.isGone(child));
      }
    }
    for (const SurveyException& e : context_.survey.exceptions)
      for (NodeId up = e.node; up != noNode; up = up == 0 ? noNode : tree_.parent(up)) all_[up] = false;
  }

  bool mayGo(NodeId folder) const {
    const auto& homes = context_.sightings.homes;
    return folder != 0 && std::find(homes.begin(), homes.end(), folder) == homes.end() &&
           context_.strictest(folder).standing > Standing::kept && !context_.part[folder] &&
           !context_.inTrash[folder] && !context_.locked(tree_.path(folder)) &&
           !marks_.locks(tree_.path(folder));
  }
  bool covered(NodeId folder) const {
    return std::any_of(found_.begin(), found_.end(), [&](const FolderCopy& f) {
      return folder == f.gone || context_.gain.beneath(folder, f.gone);
    });
  }
  bool around(NodeId a, NodeId b) const {
    return a == b || context_.gain.beneath(a, b) || context_.gain.beneath(b, a);
  }

  void findSame() {
    const KeyOf key = [this](NodeId file) -> std::optional<std::uint64_t> {
      constexpr std::uint64_t ofEmpty = ~std::uint64_t{0};
      if (tree_.kind(file) == EntryKind::file && tree_.length(file) == 0) return ofEmpty;
      const auto group = groupFor(file);
      return group ? std::optional<std::uint64_t>(*group) : std::nullopt;
    };
    std::map<Digest, std::vector<NodeId>> byContent;
    const FolderDigests digests(context_.survey, key);
    for (const auto& [folder, digest] : digests.all())
      if (grouped_[folder] >= fewest) byContent[digest].push_back(folder);
    std::vector<std::vector<NodeId>> sets;
    for (auto& [digest, folders] : byContent)
      if (folders.size() > 1) {
        std::sort(folders.begin(), folders.end());
        sets.push_back(std::move(folders));
      }
    // The largest first: what lies in a pair of equal folders is equal, too, and said with them.
    std::stable_sort(sets.begin(), sets.end(), [&](const auto& a, const auto& b) {
      return std::pair(tree_.weight(b.front()), a.front()) < std::pair(tree_.weight(a.front()), b.front());
    });
    for (const auto& folders : sets) addSet(folders);
  }

  void addSet(const std::vector<NodeId>& folders) {
    EqualFiles set;
    for (const NodeId folder : folders)
      if (!covered(folder)) set.nodes.push_back(folder);
    if (set.nodes.size() < 2) return;
    const Keeper keeper = keeperOf(context_, set, marks_, order_);
    for (const NodeId folder : set.nodes)
      if (folder != keeper.node && !around(folder, keeper.node) && mayGo(folder))
        found_.push_back({folder, keeper.node, true, keeper.why});
  }

  /// Folders of which every file has an equal one outside: from the top downwards, so that the outermost are
  /// found.
  void findHeldElsewhere() {
    // Of rules only those that speak of where things lie: that a part is older or shorter says nothing.
    KeeperOrder places;
    for (const KeeperRule rule : order_)
      if (rule == KeeperRule::notDated || rule == KeeperRule::notArrived || rule == KeeperRule::atHome)
        places.push_back(rule);
    std::vector<NodeId> waiting{0};
    while (!waiting.empty()) {
      const NodeId folder = waiting.back();
      waiting.pop_back();
      if (covered(folder)) continue;
      if (all_[folder] && grouped_[folder] >= fewest && mayGo(folder) && !keepsFor(folder) &&
          !holdsGone(folder))
        if (const NodeId other = holderOf(folder); other != noNode) {
          EqualFiles both;
          both.nodes = {folder, other};
          const Keeper keeper = keeperOf(context_, both, marks_, places);
          const bool against = (keeper.node == folder && keeper.why != KeeperRule::firstOfEqual) ||
                               (isDated(other) && !isDated(folder));
          if (!against) {
            found_.push_back({folder, other, false, KeeperRule::holdsAll});
            continue;
          }
        }
      const FolderTotals& t = tree_.totals(folder);
      for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id)
        if (!tree_.isGone(id) && tree_.isFolder(id)) waiting.push_back(id);
    }
  }

  /// What holds more than a folder and has a date is a copy of it, and of what was there besides.
  bool isDated(NodeId folder) const {
    for (NodeId up = folder; up != 0; up = tree_.parent(up))
      if (holdsDate(tree_.name(up))) return true;
    return false;
  }

  /// Whether something that could go is told to have its other half in this folder.
  bool keepsFor(NodeId folder) const {
    return std::any_of(found_.begin(), found_.end(),
                       [&](const FolderCopy& f) { return around(f.stays, folder); });
  }

  /// The innermost folder, neither in this one nor around it, that holds an equal of every file of it.
  NodeId holderOf(NodeId folder) const {
    constexpr std::size_t mostCopies = 50;
    absl::flat_hash_map<NodeId, std::size_t> counts;
    bool all = true;
    eachFile(tree_, folder, [&](NodeId file) {
      const auto group = groupFor(file);
      if (!all || !group) return;  // all others are empty
      all = groups_[*group].nodes.size() <= mostCopies;
      if (!all) return;
      absl::flat_hash_set<NodeId> above;
      for (const NodeId copy : groups_[*group].nodes)
        for (NodeId up = tree_.parent(copy); up != 0 && !around(up, folder); up = tree_.parent(up))
          above.insert(up);
      for (const NodeId up : above) ++counts[up];
      all = !above.empty();
    });
    if (!all) return noNode;
    NodeId best = noNode;
    for (const auto& [other, count] : counts)
      if (count == grouped_[folder] && (best == noNode || other > best) && !covered(other) &&
          !holdsGone(other))
        best = other;
    return best;
  }

  bool holdsGone(NodeId folder) const {
    return std::any_of(found_.begin(), found_.end(),
                       [&](const FolderCopy& f) { return context_.gain.beneath(f.gone, folder); });
  }

  const FindContext& context_;
  const SurveyTree& tree_;
  const std::vector<EqualFiles>& groups_;
  const Marks& marks_;
  const KeeperOrder& order_;
  absl::flat_hash_map<NodeId, std::size_t> groupOf_;
  absl::flat_hash_map<std::uint32_t, std::size_t> groupOfLinked_;  ///< by `LinkNames::fileOf`
  std::vector<std::uint32_t> grouped_;                             ///< by node
  std::vector<bool> all_;                                          ///< by node
  std::vector<FolderCopy> found_;
};

}  // namespace

std::vector<bool> filesOfAlikeFolders(const FindContext& context, Bytes least) {
  const SurveyTree& tree = context.tree;
  const KeyOf byLength = [&](NodeId file) { return std::optional<std::uint64_t>(tree.length(file)); };
  std::map<Digest, std::vector<NodeId>> byShape;
  const FolderDigests digests(context.survey, byLength);
  for (const auto& [folder, digest] : digests.all())
    if (tree.weight(folder) >= std::max<Bytes>(least, 1)) byShape[digest].push_back(folder);
  std::vector<bool> all(tree.size());
  absl::flat_hash_set<NodeId> done;
  for (const auto& [digest, folders] : byShape) {
    if (folders.size() < 2) continue;
    for (const NodeId folder : folders)
      if (done.insert(folder).second) eachFile(tree, folder, [&](NodeId file) { all[file] = true; });
  }
  return all;
}

std::vector<FolderCopy> folderCopies(const FindContext& context, const std::vector<EqualFiles>& groups,
                                     const Marks& marks, const KeeperOrder& order) {
  return FolderMatch(context, groups, marks, order).run();
}

Find folderFind(const FindContext& context, const FolderCopy& copy) {
  Find find;
  find.kind = "duplicates";
  find.likelihood = 85;
  find.items.push_back(context.subject(copy.gone));
  find.offers = {{"discard", {}, {}, {}}, {"hold", {}, {}, {}}};
  sayKeeper(find, context, {copy.stays, copy.why}, context.tree.weight(copy.gone), 2);
  find.facts.push_back({"whole-folder", std::uint64_t{copy.same ? 1u : 2u}});
  find.id =
      FindContext::findId(find.kind, "folder/" + find.items.front().path + "/" + find.place, AgeBand::today);
  return find;
}

EqualFiles outside(const FindContext& context, const EqualFiles& group,
                   const absl::flat_hash_set<NodeId>& folders) {
  const auto inOne = [&](NodeId node) {
    for (NodeId up = node; up != 0; up = context.tree.parent(up))
      if (folders.contains(up)) return true;
    return false;
  };
  EqualFiles rest = group;
  std::erase_if(rest.nodes, [&](NodeId node) { return !folders.empty() && inOne(node); });
  std::erase_if(rest.sharing, [&](const auto& one) {
    return !std::binary_search(rest.nodes.begin(), rest.nodes.end(), one.first);
  });
  return rest;
}

}  // namespace zt
