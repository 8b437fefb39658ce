// SPDX-License-Identifier: GPL-3.0-or-later
#include <absl/container/flat_hash_map.h>
#include <absl/container/flat_hash_set.h>

#include <algorithm>

#include "core/match/content_json.h"
#include "core/match/contents.h"

namespace zt {

namespace {

struct EqualKnown final : ContentSeen {
  std::vector<EqualFiles> groups;
};

const std::vector<EqualFiles>& groupsOf(const ContentSeen& seen) {
  return static_cast<const EqualKnown&>(seen).groups;
}

/// The find of each group (nullptr: none), then those of the folders.
struct EqualFinds final : ContentFinds {
  std::vector<FolderCopy> folders;
};

Json groupJson(const EqualFiles& group, const SurveyTree& tree) {
  Json files = Json::array();
  for (const NodeId node : group.nodes) {
    files.push_back(seenFileJson(tree, node));
    if (group.bodyOf(node) != node) putPath(files.back(), "shares", tree.path(group.bodyOf(node)));
    if (const auto born = group.born.find(node); born != group.born.end())
      files.back()["born_ns"] = born->second;
  }
  Json all{{"length_bytes", group.length}, {"digest", hexOf(group.digest)}, {"files", std::move(files)}};
  if (group.links) all["links"] = true;
  for (const NodeId node : group.thrownAway) all["thrown_away"].push_back(seenFileJson(tree, node));
  return all;
}

/// Only what is still in the survey, with that length.
std::optional<EqualFiles> readGroup(JsonReader& in, const SurveyTree& tree) {
  EqualFiles group;
  group.length = in.number<Bytes>("length_bytes");
  const auto digest = digestOf(in.text("digest"));
  group.links = in.has("links") && in.flag("links");
  const EntryKind kind = group.links ? EntryKind::symlink : EntryKind::file;
  const auto is = [&](NodeId node) { return tree.kind(node) == kind && tree.length(node) == group.length; };
  in.eachOr("thrown_away", mostContentRows, [&](JsonReader& file) {
    if (const auto node = readSeenFile(file, tree); node && is(*node)) group.thrownAway.push_back(*node);
  });
  in.each("files", mostContentRows, [&](JsonReader& file) {
    const auto node = readSeenFile(file, tree);
    const auto born = file.has("born_ns") ? file.number<TimeNs>("born_ns") : 0;
    if (!node || !is(*node)) return;
    group.nodes.push_back(*node);
    if (born != 0) group.born.emplace(*node, born);
    const auto body = file.has("shares") ? tree.find(file.path("shares")) : std::nullopt;
    if (body && *body != *node) group.sharing.emplace(*node, *body);
  });
  if (!digest || group.nodes.size() < 2) return std::nullopt;
  group.digest = *digest;
  std::sort(group.nodes.begin(), group.nodes.end());
  group.nodes.erase(std::unique(group.nodes.begin(), group.nodes.end()), group.nodes.end());
  return group.nodes.size() < 2 ? std::nullopt : std::optional(std::move(group));
}

/// What is left of an earlier group after a comparison: that says more of those that it compared.
EqualFiles uncontradicted(const EqualFiles& earlier, const MatchResult& now,
                          const absl::flat_hash_map<NodeId, Digest>& read,
                          const std::map<NodeId, std::size_t>& groupOf) {
  std::vector<NodeId> compared;
  for (const NodeId node : earlier.nodes)
    if (node < now.compared.size() && now.compared[node]) compared.push_back(node);
  EqualFiles rest = earlier;
  std::erase_if(rest.nodes, [&](NodeId node) {
    if (const auto at = read.find(node); at != read.end() && !earlier.links)
      if (at->second != earlier.digest && earlier.sharing.empty()) return true;
    if (compared.size() < 2 || !std::binary_search(compared.begin(), compared.end(), node)) return false;
    // With the others that were compared it must be in one group now, as it was.
    const auto own = groupOf.find(node);
    return own == groupOf.end() || std::none_of(compared.begin(), compared.end(), [&](NodeId other) {
             const auto group = groupOf.find(other);
             return other != node && group != groupOf.end() && group->second == own->second;
           });
  });
  // Of those that were compared the new one says whether they share their bytes.
  std::erase_if(rest.sharing, [&](const auto& one) {
    return std::binary_search(compared.begin(), compared.end(), one.first) ||
           !std::binary_search(rest.nodes.begin(), rest.nodes.end(), one.first) ||
           !std::binary_search(rest.nodes.begin(), rest.nodes.end(), one.second);
  });
  return rest;
}

/// What was found before holds as long as the survey does, whatever was asked for now, but for what a new
/// comparison contradicts.
std::vector<EqualFiles> withEarlier(const std::vector<EqualFiles>* earlier, const MatchResult& result) {
  std::vector<EqualFiles> groups = result.groups;
  if (earlier == nullptr) return groups;
  std::map<NodeId, std::size_t> groupOf;
  std::map<std::pair<Digest, Bytes>, std::size_t> byContent;
  for (std::size_t g = 0; g < groups.size(); ++g) {
    byContent.emplace(std::pair(groups[g].digest, groups[g].length), g);
    for (const NodeId node : groups[g].nodes) groupOf.emplace(node, g);
  }
  const absl::flat_hash_map<NodeId, Digest> read(result.digests.begin(), result.digests.end());
  for (const EqualFiles& before : *earlier) {
    EqualFiles group = uncontradicted(before, result, read, groupOf);
    if (group.nodes.size() < 2) continue;
    // Of what was read now and then the digest tells; of what shared its bytes then, the files.
    auto same = byContent.find({group.digest, group.length});
    const auto met = std::find_if(group.nodes.begin(), group.nodes.end(),
                                  [&](NodeId node) { return groupOf.contains(node); });
    if (same == byContent.end() && met == group.nodes.end()) {
      groups.push_back(std::move(group));
      continue;
    }
    EqualFiles& now = groups[same != byContent.end() ? same->second : groupOf[*met]];
    const auto join = [](std::vector<NodeId>& all, const std::vector<NodeId>& more) {
      all.insert(all.end(), more.begin(), more.end());
      std::sort(all.begin(), all.end());
      all.erase(std::unique(all.begin(), all.end()), all.end());
    };
    join(now.nodes, group.nodes);
    join(now.thrownAway, group.thrownAway);
    now.born.insert(group.born.begin(), group.born.end());
    now.sharing.insert(group.sharing.begin(), group.sharing.end());
  }
  return groups;
}

/// By what the finds of groups are made.
struct Said {
  const ContentView& view;
  const Marks& marks;
  absl::flat_hash_set<NodeId> folders;  ///< that could go as a whole: what lies in them is said with them

  Said(const ContentView& with, const Marks& said, const std::vector<FolderCopy>& copies)
      : view(with), marks(said) {
    for (const FolderCopy& copy : copies) folders.insert(copy.gone);
  }
  std::shared_ptr<const Find> findOf(const EqualFiles& group) const {
    const EqualFiles rest = outside(view.context, group, folders);
    auto find = rest.nodes.size() < 2 ? std::nullopt : duplicateFind(view.context, rest, marks, view.order);
    return find ? view.made(std::move(*find)) : nullptr;
  }
};

/// Equal files, and whole folders of them.
class EqualContent final : public ContentKind {
public:
  std::string_view id() const override { return "groups"; }
  std::vector<std::string> findKinds() const override { return {"duplicates"}; }

  ContentSeenPtr look(ContentSearch& search) const override {
    const ContentSeenPtr before = search.before.of(id());
    MatchResult now =
        match(search.files, search.root, search.context, search.how, search.found, search.progress);
    auto all = std::make_shared<EqualKnown>();
    all->groups = withEarlier(before ? &groupsOf(*before) : nullptr, now);
    search.result = std::move(now);
    return all;
  }

  /// Those of a group's files that are still what they were.
  ContentSeenPtr carriedOver(const ContentSeen& seen, const SurveyTree& from,
                             const SurveyTree& to) const override {
    auto all = std::make_shared<EqualKnown>();
    for (const EqualFiles& group : groupsOf(seen)) {
      EqualFiles now;
      now.length = group.length;
      now.digest = group.digest;
      now.links = group.links;
      std::map<NodeId, NodeId> bodies;
      const auto still = [&](NodeId node) { return stillOn(from, node, to); };
      for (const NodeId node : group.thrownAway)
        if (const auto same = still(node)) now.thrownAway.push_back(*same);
      for (const NodeId node : group.nodes) {
        const auto same = still(node);
        if (!same) continue;
        now.nodes.push_back(*same);
        if (const auto born = group.born.find(node); born != group.born.end())
          now.born.emplace(*same, born->second);
        const auto [body, isFirst] = bodies.emplace(group.bodyOf(node), *same);
        if (!isFirst) now.sharing.emplace(*same, body->second);
      }
      std::sort(now.nodes.begin(), now.nodes.end());
      if (now.nodes.size() > 1) all->groups.push_back(std::move(now));
    }
    return all;
  }

  Json toJson(const ContentSeen& seen, const SurveyTree& tree) const override {
    Json all = Json::array();
    for (const EqualFiles& group : groupsOf(seen)) all.push_back(groupJson(group, tree));
    return all;
  }

  ContentSeenPtr read(JsonReader& in, const char* key, const SurveyTree& tree) const override {
    auto all = std::make_shared<EqualKnown>();
    in.each(key, mostContentRows, [&](JsonReader& group) {
      if (auto read = readGroup(group, tree)) all->groups.push_back(std::move(*read));
    });
    return all;
  }

  /// Of a group of which somebody said keep of a file, with the keeper that makes of it. Where something in a
  /// folder is kept that could go as a whole, its files are said one by one.
  ContentFinds::Ptr finds(const ContentView& view, const Marks& marks,
                          const ContentFinds::Ptr& unmarked) const override {
    const auto groups = equalFiles(view.contents);
    if (!groups) return std::make_shared<EqualFinds>();
    const auto* before = static_cast<const EqualFinds*>(unmarked.get());
    const auto locks = [&](NodeId node) { return marks.locks(view.context.tree.path(node)); };
    const bool anew = before == nullptr || (!marks.all().empty() &&
                                            std::any_of(before->folders.begin(), before->folders.end(),
                                                        [&](const FolderCopy& f) { return locks(f.gone); }));
    // Most looks change no mark that matters here: what was made once is given out again.
    if (!anew && marks.all().empty()) return unmarked;
    auto finds = std::make_shared<EqualFinds>();
    finds->folders = anew ? folderCopies(view.context, *groups, marks, view.order) : before->folders;
    const Said by(view, marks, finds->folders);
    for (std::size_t i = 0; i < groups->size(); ++i) {
      const auto& nodes = (*groups)[i].nodes;
      const bool said = anew || std::any_of(nodes.begin(), nodes.end(), locks);
      finds->all.push_back(said ? by.findOf((*groups)[i]) : before->all[i]);
    }
    for (std::size_t i = 0; i < finds->folders.size(); ++i)
      finds->all.push_back(anew ? view.made(folderFind(view.context, finds->folders[i]))
                                : before->all[groups->size() + i]);
    return finds;
  }
};

}  // namespace

std::shared_ptr<const ContentKind> equalContent() {
  return std::make_shared<EqualContent>();
}

std::shared_ptr<const std::vector<EqualFiles>> equalFiles(const Contents& contents) {
  const auto seen = std::static_pointer_cast<const EqualKnown>(contents.of("groups"));
  return seen ? std::shared_ptr<const std::vector<EqualFiles>>(seen, &seen->groups) : nullptr;
}

std::vector<FolderCopy> folderCopiesIn(const ContentFinds::Ptr& ofEqual) {
  return ofEqual ? static_cast<const EqualFinds&>(*ofEqual).folders : std::vector<FolderCopy>{};
}

void ContentTable::add(std::shared_ptr<const ContentKind> kind) {
  const auto same =
      std::find_if(all_.begin(), all_.end(), [&](const auto& k) { return k->id() == kind->id(); });
  if (same == all_.end())
    all_.push_back(std::move(kind));
  else
    *same = std::move(kind);
}

ContentTable builtInContents() {
  ContentTable table;
  table.add(equalContent());
  table.add(namesakeContent());
  table.add(imageContent());
  return table;
}

}  // namespace zt
