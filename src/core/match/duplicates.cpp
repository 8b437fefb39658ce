// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/match/duplicates.h"

#include <algorithm>
#include <array>
#include <limits>
#include <map>
#include <set>

#include "core/finds/dated_name.h"
#include "core/finds/file_kinds.h"
#include "core/match/file_content.h"
#include "core/survey/measure/shared_extents.h"

namespace zt {

namespace {

/// Whether at least half of what lies in one folder lies in the other by the same name: folders likewise,
/// files of the same length.
bool holdsTheSame(const SurveyTree& tree, NodeId a, NodeId b) {
  constexpr NodeId enough = 200;
  const FolderTotals& all = tree.totals(a);
  const NodeId count = std::min<NodeId>(all.children, enough);
  NodeId same = 0;
  for (NodeId id = all.firstChild; id < all.firstChild + count; ++id) {
    const auto other = tree.child(b, tree.name(id));
    same += other && tree.kind(*other) == tree.kind(id) &&
            (tree.isFolder(id) || tree.length(*other) == tree.length(id));
  }
  return count > 0 && 2 * same >= count;
}

/// Whether a dated folder is one of several states of a thing: another one beside it holds the same tree. A
/// library that goes by dates is none of copies.
bool isDatedState(const SurveyTree& tree, NodeId folder) {
  constexpr int enough = 8;
  constexpr NodeId farthest = 500;
  const FolderTotals& beside = tree.totals(tree.parent(folder));
  int seen = 0;
  for (NodeId away = 1; away < std::min(beside.children, farthest) && seen < enough; ++away)
    for (const std::int64_t at : {std::int64_t{folder} - away, std::int64_t{folder} + away}) {
      if (at < std::int64_t{beside.firstChild} || at >= std::int64_t{beside.firstChild} + beside.children)
        continue;
      const auto other = static_cast<NodeId>(at);
      if (!tree.isFolder(other) || tree.isGone(other) || !holdsDate(tree.name(other))) continue;
      if (holdsTheSame(tree, folder, other)) return true;
      ++seen;
    }
  return false;
}

/// Of a folder: itself counts, too.
bool inDatedCopy(const SurveyTree& tree, NodeId node) {
  for (NodeId up = tree.isFolder(node) ? node : tree.parent(node); up != 0; up = tree.parent(up))
    if (holdsDate(tree.name(up)) && isDatedState(tree, up)) return true;
  return false;
}

bool arrived(const FindContext& c, NodeId node) {
  for (NodeId up = node; up != 0; up = c.tree.parent(up)) {
    const Place* place = c.placeOf(up);
    if (place != nullptr && place->kind == "arrivals") return true;
  }
  return false;
}

bool atHome(const FindContext& c, NodeId node) {
  const auto& homes = c.sightings.homes;
  for (NodeId up = node; up != 0; up = c.tree.parent(up))
    if (std::find(homes.begin(), homes.end(), up) != homes.end()) return true;
  return false;
}

/// Whether of all of these it is known when they were made, and not all of them at once.
bool birthsTell(const EqualFiles& group, const std::vector<NodeId>& nodes) {
  constexpr TimeNs atOnce = 2 * nsPerSecond;
  TimeNs first = std::numeric_limits<TimeNs>::max(), last = 0;
  for (const NodeId node : nodes) {
    const auto born = group.born.find(node);
    if (born == group.born.end()) return false;
    first = std::min(first, born->second);
    last = std::max(last, born->second);
  }
  return nodes.size() > 1 && last - first > atOnce;
}

/// How well a file stands by a rule: less is better. `byBirth`: what is older, by when it was made.
std::int64_t rank(const FindContext& c, const EqualFiles& group, NodeId node, KeeperRule rule,
                  const Marks& marks, bool byBirth) {
  const PathBytes path = c.tree.path(node);
  switch (rule) {
    case KeeperRule::saidKeep:
      return marks.locks(path) ? 0 : 1;
    case KeeperRule::cannotGo:
      return c.standing[node] <= Standing::kept || c.part[node] || c.cannotGo(node) ? 0 : 1;
    case KeeperRule::notDated:
      return inDatedCopy(c.tree, node) ? 1 : 0;
    case KeeperRule::notArrived:
      return arrived(c, node) ? 1 : 0;
    case KeeperRule::atHome:
      return atHome(c, node) ? 0 : 1;
    case KeeperRule::older:
      if (byBirth) return group.born.at(node);
      return c.tree.isFolder(node) ? c.tree.totals(node).newest : c.tree.modified(node);
    case KeeperRule::shorterPath:
      return static_cast<std::int64_t>(splitPath(path).size()) * 5000 +
             static_cast<std::int64_t>(path.size());
    case KeeperRule::holdsAll:
    case KeeperRule::firstOfEqual:
      return 0;
  }
  return 0;
}

}  // namespace

std::string_view name(KeeperRule rule) {
  static constexpr std::array<std::string_view, keeperRules> names{
      "said-keep", "cannot-go",    "not-dated", "not-arrived",   "at-home",
      "older",     "shorter-path", "holds-all", "first-of-equal"};
  return names[static_cast<std::size_t>(rule)];
}

KeeperOrder usualOrder() {
  return {KeeperRule::notDated, KeeperRule::notArrived, KeeperRule::atHome, KeeperRule::older,
          KeeperRule::shorterPath};
}

Result<KeeperOrder> parseOrder(std::string_view words) {
  if (words.empty()) return usualOrder();
  KeeperOrder order;
  while (!words.empty()) {
    const std::string_view word = words.substr(0, words.find(','));
    words.remove_prefix(std::min(words.size(), word.size() + 1));
    const KeeperOrder all = usualOrder();
    const auto rule = std::find_if(all.begin(), all.end(), [&](KeeperRule r) { return name(r) == word; });
    if (rule == all.end() || std::find(order.begin(), order.end(), *rule) != order.end())
      return fail(Errc::badInput, "keepers", {}, std::string(word));
    order.push_back(*rule);
  }
  return order;
}

std::string orderText(const KeeperOrder& order) {
  std::string text;
  for (const KeeperRule rule : order) text += (text.empty() ? "" : ",") + std::string(name(rule));
  return text;
}

Keeper keeperOf(const FindContext& context, const EqualFiles& group, const Marks& marks,
                const KeeperOrder& order) {
  KeeperOrder rules{KeeperRule::saidKeep, KeeperRule::cannotGo};
  rules.insert(rules.end(), order.begin(), order.end());
  std::vector<NodeId> left = group.nodes;
  for (const KeeperRule rule : rules) {
    std::vector<NodeId> best;
    std::int64_t least = 0;
    const bool byBirth = rule == KeeperRule::older && birthsTell(group, left);
    for (const NodeId node : left) {
      const std::int64_t now = rank(context, group, node, rule, marks, byBirth);
      if (best.empty() || now < least) best.clear(), least = now;
      if (now == least) best.push_back(node);
    }
    if (best.size() == 1 && left.size() > 1) return {best.front(), rule};
    left = std::move(best);
  }
  const auto first = std::min_element(left.begin(), left.end(), [&](NodeId a, NodeId b) {
    return context.tree.path(a) < context.tree.path(b);
  });
  return {*first, KeeperRule::firstOfEqual};
}

void sayKeeper(Find& find, const FindContext& context, const Keeper& keeper, Bytes each, std::size_t copies) {
  find.place = context.tree.path(keeper.node);
  context.complete(find);
  find.standing = find.judged = Standing::ownersCall;
  find.regret = Regret::none;
  find.placeId.clear();
  find.band = ageBand(find.newest, context.options.now);
  find.facts.push_back({"keeper", escapePath(find.place)});
  find.facts.push_back({"keeper-rule", std::string(name(keeper.why))});
  find.facts.push_back({"bytes-each", each});
  find.facts.push_back({"copies", std::uint64_t{copies}});
}

namespace {
/// A file goes with all its names, or it gives nothing.
bool namesMayGo(const FindContext& context, NodeId node) {
  const auto names = context.names.of(node);
  return !context.names.hasOthers(node) && std::none_of(names.begin(), names.end(), [&](NodeId one) {
    return context.standing[one] <= Standing::kept || context.part[one] || context.cannotGo(one);
  });
}
}  // namespace

std::optional<Find> duplicateFind(const FindContext& context, const EqualFiles& group, const Marks& marks,
                                  const KeeperOrder& order) {
  if (group.storedOnce() || group.links) return std::nullopt;
  const Keeper keeper = keeperOf(context, group, marks, order);
  const NodeId body = group.bodyOf(keeper.node);
  Find find;
  find.kind = "duplicates";
  find.likelihood = 85;
  for (const NodeId node : group.nodes)
    if (group.bodyOf(node) != body && namesMayGo(context, node))
      for (const NodeId one : context.names.of(node)) find.items.push_back(context.subject(one));
  if (find.items.empty()) return std::nullopt;
  find.offers = {{"discard", {}, {}, {}}, {"hold", {}, {}, {}}, {"link", {}, {}, {}}};
  // Both keep every path and give the bytes of the copies; sharing needs a file system that can.
  const BlockSharing sharing = blockSharing(context.survey.fsType);
  if (sharing == BlockSharing::asked || sharing == BlockSharing::whole)
    find.offers.push_back({"share", {}, {}, {}});
  sayKeeper(find, context, keeper, group.length, group.nodes.size());
  for (std::size_t i = 2; i < find.offers.size(); ++i) find.offers[i].gain = find.gain;
  if (!group.thrownAway.empty()) {
    find.facts.push_back({"in-trash", static_cast<std::uint64_t>(group.thrownAway.size())});
    find.facts.push_back({"in-trash-at", escapePath(context.tree.path(group.thrownAway.front()))});
  }
  const std::string content = std::to_string(group.digest.high) + "/" + std::to_string(group.digest.low);
  find.id = FindContext::findId(find.kind, content + "/" + std::to_string(group.length), AgeBand::today);
  return find;
}

std::optional<Bytes> differenceOf(const Differences& all, NodeId a, NodeId b) {
  const auto at = all.find(std::minmax(a, b));
  return at == all.end() ? std::nullopt : std::optional(at->second);
}

namespace {
Result<OpenedFilePtr> openNode(FileSystemReader& files, const Folder& root, const SurveyTree& tree,
                               NodeId node) {
  const PathBytes path = tree.path(node);
  const auto in = files.openBeneath(root, parentPath(path));
  if (!in) return tl::unexpected(in.error());
  return files.openFile(**in, baseName(path));
}
}  // namespace

Differences firstDifferences(FileSystemReader& files, const Folder& root, const FindContext& context,
                             const std::vector<Find>& namesakes, DifferenceSearch& search,
                             ProgressSink* progress) {
  const SurveyTree& tree = context.tree;
  Differences all;
  constexpr Bytes most = Bytes{4} << 30;  // enough to tell most; nobody waits an hour for a footnote
  Bytes budget = most;
  for (const Find& find : namesakes)
    for (std::size_t i = 1; i < find.items.size() && !search.stop.stop_requested(); ++i) {
      const NodeId a = find.items.front().node, b = find.items[i].node;
      if (tree.length(a) != tree.length(b)) continue;
      if (search.known != nullptr)
        if (const auto told = differenceOf(*search.known, a, b)) {
          all[std::minmax(a, b)] = *told;
          continue;
        }
      if (search.pause != nullptr) search.pause->pass(search.stop);
      const auto one = openNode(files, root, tree, a);
      const auto other = openNode(files, root, tree, b);
      if (!one || !other) continue;
      const auto at = firstDifference(**one, **other, search.stop, &budget);
      search.read = 2 * (most - budget);
      if (progress != nullptr) progress->report({search.read, search.read, 0, 0, find.items[i].path});
      if (at && *at) all[std::minmax(a, b)] = **at;
    }
  return all;
}

std::vector<Find> namesakeFinds(const FindContext& context, const std::vector<EqualFiles>& groups,
                                const Differences& differences) {
  constexpr Bytes least = 1'000'000;
  constexpr std::size_t most = 500;
  constexpr std::size_t mostPlaces = 50;
  const SurveyTree& tree = context.tree;
  absl::flat_hash_map<NodeId, std::size_t> groupOf;
  for (std::size_t g = 0; g < groups.size(); ++g)
    for (const NodeId node : groups[g].nodes) groupOf.emplace(node, g);
  std::map<std::string, std::vector<NodeId>> byName;
  const std::vector<NodeId> holds = holdFolders(tree);
  for (NodeId id = 1; id < tree.size(); ++id) {
    const FileKind kind = context.kind[id];
    if (tree.kind(id) != EntryKind::file || tree.isGone(id) || tree.occupied(id) < least ||
        kind == FileKind::program || context.inTrash[id] || context.part[id])
      continue;
    const Standing standing = context.standing[id];
    if (standing <= Standing::kept || standing >= Standing::rebuilds) continue;
    if (isBeneathAny(context.gain, id, holds)) continue;
    if (inDatedCopy(tree, id)) continue;  // versions of a series, and meant so
    // A name says little of files that no program is known to open, but where people keep their own.
    if (kind == FileKind::other && standing != Standing::ownersCall) continue;
    byName[std::string(tree.name(id))].push_back(id);
  }
  std::vector<Find> all;
  for (auto& [name, nodes] : byName) {
    // Of equal files one stands for all; the others are the duplicates'.
    std::set<std::size_t> seen;
    std::erase_if(nodes, [&](NodeId id) {
      const auto at = groupOf.find(id);
      return at != groupOf.end() && !seen.insert(at->second).second;
    });
    if (nodes.size() < 2) continue;
    Find find;
    find.kind = "namesakes";
    find.likelihood = 35;
    // The newest first; of very many the largest beside it.
    std::stable_sort(nodes.begin(), nodes.end(),
                     [&](NodeId a, NodeId b) { return tree.modified(a) > tree.modified(b); });
    if (nodes.size() > mostPlaces) {
      find.facts.push_back({"left-out", std::uint64_t{nodes.size() - mostPlaces}});
      std::stable_sort(nodes.begin() + 1, nodes.end(),
                       [&](NodeId a, NodeId b) { return tree.occupied(a) > tree.occupied(b); });
      nodes.resize(mostPlaces);
      std::stable_sort(nodes.begin() + 1, nodes.end(),
                       [&](NodeId a, NodeId b) { return tree.modified(a) > tree.modified(b); });
    }
    for (const NodeId node : nodes) find.items.push_back(context.subject(node));
    find.offers = {
        {"hold", {}, {}, {}}};  // which of them goes is said one by one; what is held can come back
    find.place = name;
    context.complete(find);
    find.placeId.clear();
    find.band = ageBand(find.newest, context.options.now);
    for (std::size_t i = 1; i < find.items.size(); ++i)
      find.facts.push_back(
          {"differs-at",
           std::uint64_t{
               differenceOf(differences, find.items.front().node, find.items[i].node).value_or(~Bytes{0})}});
    find.id = FindContext::findId(find.kind, name, AgeBand::today);
    all.push_back(std::move(find));
  }
  std::stable_sort(all.begin(), all.end(),
                   [](const Find& a, const Find& b) { return a.gain.atMost > b.gain.atMost; });
  if (all.size() > most) all.resize(most);
  return all;
}

Find withoutNewest(const FindContext& context, const Find& part, const Find& whole) {
  Find rest = part;
  TimeNs newest = std::numeric_limits<TimeNs>::min();
  for (const Subject& item : whole.items) newest = std::max(newest, item.identity.modified);
  std::erase_if(rest.items, [&](const Subject& item) { return item.identity.modified >= newest; });
  if (!rest.items.empty()) context.weigh(rest);
  return rest;
}

}  // namespace zt
