// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/match_book.h"

#include <charconv>
#include <map>
#include <set>

#include "core/base/json_reader.h"
#include "core/finds/answer.h"
#include "core/job/image_json.h"

namespace zt {

namespace {

constexpr std::size_t mostGroups = 1'000'000;

std::string hex(std::uint64_t value) {
  char text[20];
  std::snprintf(text, sizeof text, "%016llx", static_cast<unsigned long long>(value));
  return text;
}

std::string hex(const Digest& d) {
  return hex(d.high) + hex(d.low);
}

std::optional<Digest> digestOf(std::string_view text) {
  if (text.size() != 32) return std::nullopt;
  Digest d;
  for (auto [part, value] : {std::pair(text.substr(0, 16), &d.high), std::pair(text.substr(16), &d.low)}) {
    const auto [end, problem] = std::from_chars(part.data(), part.data() + part.size(), *value, 16);
    if (problem != std::errc{} || end != part.data() + part.size()) return std::nullopt;
  }
  return d;
}

/// A file by its path and by what it was.
Json fileJson(const SurveyTree& tree, NodeId node) {
  const Identity is = tree.identity(node);
  Json one{
      {"inode", is.inode}, {"length_bytes", is.length}, {"modified_ns", is.modified}, {"born", is.bornMark}};
  putPath(one, "path", tree.path(node));
  return one;
}

/// The entry of the survey, if it is still that file.
std::optional<NodeId> readFile(JsonReader& in, const SurveyTree& tree) {
  const auto node = tree.find(in.path("path"));
  const auto inode = in.number<std::uint64_t>("inode");
  const auto length = in.number<Bytes>("length_bytes");
  const auto modified = in.number<TimeNs>("modified_ns");
  const auto born = in.number<std::uint32_t>("born");
  if (!node) return std::nullopt;
  const Identity is = tree.identity(*node);
  const bool same =
      is.inode == inode && is.length == length && is.modified == modified && is.bornMark == born;
  return same ? node : std::nullopt;
}

Json groupJson(const EqualFiles& group, const SurveyTree& tree) {
  Json files = Json::array();
  for (const NodeId node : group.nodes) {
    files.push_back(fileJson(tree, node));
    if (group.bodyOf(node) != node) putPath(files.back(), "shares", tree.path(group.bodyOf(node)));
    if (const auto born = group.born.find(node); born != group.born.end())
      files.back()["born_ns"] = born->second;
  }
  Json all{{"length_bytes", group.length}, {"digest", hex(group.digest)}, {"files", std::move(files)}};
  if (group.links) all["links"] = true;
  for (const NodeId node : group.thrownAway) all["thrown_away"].push_back(fileJson(tree, node));
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
  in.eachOr("thrown_away", mostGroups, [&](JsonReader& file) {
    if (const auto node = readFile(file, tree); node && is(*node)) group.thrownAway.push_back(*node);
  });
  in.each("files", mostGroups, [&](JsonReader& file) {
    const auto node = readFile(file, tree);
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

}  // namespace

Bytes MatchBook::usualLeast() const {
  constexpr Bytes block = 4096;
  const Target* most = hardest(plan_.targets());
  const Bytes free = place_.reading().free;
  if (most == nullptr || most->bytes <= free) return 1'000'000;
  return std::max(block, (most->bytes - free) / 10'000);
}

namespace {
/// Marks those of a find that have the length of another one of it.
void markTwins(const Find& find, const FindContext& context, std::vector<bool>& marks) {
  std::map<Bytes, std::vector<NodeId>> byLength;
  for (const Subject& item : find.items) byLength[context.tree.length(item.node)].push_back(item.node);
  for (const auto& [length, nodes] : byLength)
    for (const NodeId node : nodes) marks[node] = marks[node] || nodes.size() > 1;
}
}  // namespace

MatchOptions MatchBook::matchOptions(const Options& options) const {
  const Site& site = place_.site();
  MatchOptions how;
  how.least = options.least.value_or(usualLeast());
  how.inOrder = site.drive().kind == DriveKind::rotating && !site.drive().standIn;
  how.readers = how.inOrder ? 1 : 2;
  how.known = &known_;
  how.hash = options.hash;
  how.also = filesOfAlikeFolders(*surveys_.context(), how.least);
  // What is shorter and has another one of its name and length is told equal, or not, as well.
  for (const Find& find : namesakeFinds(*surveys_.context(), {}))
    markTwins(find, *surveys_.context(), how.also);
  how.lengthsElsewhere = place_.lengthsElsewhere();
  how.stop = options.stop;
  how.pause = options.pause;
  if (!options.question.empty()) {
    const FindContext& context = *surveys_.context();
    how.only.assign(context.tree.size(), false);
    for (const NodeId id : answer(context, options.question, options.stop)) how.only[id] = true;
  }
  return how;
}

/// Of all files that are still what was read.
std::vector<std::pair<NodeId, Digest>> MatchBook::digestsOf(const SurveyTree& tree) const {
  std::vector<std::pair<NodeId, Digest>> all;
  for (NodeId id = 1; id < tree.size(); ++id) {
    if (tree.kind(id) != EntryKind::file || tree.isGone(id)) continue;
    const auto known = known_.find(tree.inode(id));
    if (known != known_.end() && known->second.identity == tree.identity(id))
      all.emplace_back(id, known->second.digest);
  }
  return all;
}

Result<MatchResult> MatchBook::match(const Options& options, ProgressSink* progress) {
  if (auto here = place_.checkHere("match"); !here) return tl::unexpected(here.error());
  if (!surveys_.survey()) return fail(Errc::notThere, "survey");
  const Site& site = place_.site();
  const auto root = site.files()->openToRead(site.root());
  if (!root) return tl::unexpected(root.error());
  const FindContext& context = *surveys_.context();
  const MatchOptions how = matchOptions(options);
  MatchResult result = zt::match(*site.files(), **root, context, how, options.found, progress);
  for (const auto& [node, digest] : result.digests)
    known_[context.tree.inode(node)] = {context.tree.identity(node), digest};
  place_.noteContents(context.survey, digestsOf(context.tree));
  ImageSearch search;
  search.least = std::max(how.least, search.least);
  search.only = how.only;
  search.stop = options.stop;
  search.readZeros = !site.drive().standIn;  // of most that counts as stored there is nothing to be read
  search.pause = options.pause;
  search.known = surveys_.detected().images.get();
  ImagesFound found = findImages(*site.files(), **root, context, search, progress);
  result.readOfImages = found.read;
  result.stopped = result.stopped || found.stopped;
  std::set<NodeId> left;
  for (const NotCompared& one : result.left) left.insert(one.node);
  for (NotCompared& one : found.left)
    if (!left.contains(one.node)) result.left.push_back(std::move(one));
  std::vector<EqualFiles> all = withEarlier(result);
  std::vector<ImageSeen> images = withEarlier(std::move(found.images));
  const auto& known = surveys_.detected().differences;
  DifferenceSearch pairs;
  pairs.known = known.get();
  pairs.stop = options.stop;
  pairs.pause = options.pause;
  Differences differences =
      firstDifferences(*site.files(), **root, context, namesakeFinds(context, all), pairs, progress);
  result.read += pairs.read;
  result.needed += pairs.read;
  result.stopped = result.stopped || options.stop.stop_requested();
  if (auto saved = save(all, images, differences); !saved) return tl::unexpected(saved.error());
  surveys_.setContents(std::move(all), std::move(images), std::move(differences));
  surveys_.applyMarks(plan_.marks());
  return result;
}

namespace {

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

}  // namespace

/// What was found before holds as long as the survey does, whatever was asked for now, but for what a new
/// comparison contradicts.
std::vector<EqualFiles> MatchBook::withEarlier(const MatchResult& result) const {
  std::vector<EqualFiles> groups = result.groups;
  const auto& earlier = surveys_.detected().equal;
  if (!earlier) return groups;
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

std::vector<ImageSeen> MatchBook::withEarlier(std::vector<ImageSeen> images) const {
  const auto& earlier = surveys_.detected().images;
  if (!earlier) return images;
  std::set<NodeId> now;
  for (const ImageSeen& image : images) now.insert(image.node);
  for (const ImageSeen& image : *earlier)
    if (!now.contains(image.node)) images.push_back(image);
  std::sort(images.begin(), images.end(),
            [](const ImageSeen& a, const ImageSeen& b) { return a.node < b.node; });
  return images;
}

Result<void> MatchBook::save(const std::vector<EqualFiles>& groups, const std::vector<ImageSeen>& images,
                             const Differences& differences) {
  const SurveyTree& tree = surveys_.survey()->tree;
  Json all{{"version", 2}, {"groups", Json::array()}, {"images", Json::array()}, {"read", Json::array()}};
  for (const EqualFiles& group : groups) all["groups"].push_back(groupJson(group, tree));
  for (const ImageSeen& image : images) {
    Json one = imageJson(image.facts);
    one["file"] = fileJson(tree, image.node);
    all["images"].push_back(std::move(one));
  }
  for (const auto& [pair, at] : differences) {
    all["differences"].push_back(
        {{"at_bytes", at}, {"one", fileJson(tree, pair.first)}, {"other", fileJson(tree, pair.second)}});
  }
  for (const auto& [inode, known] : known_) {
    const Identity& i = known.identity;
    all["read"].push_back({inode, i.length, i.modified, i.bornMark, i.changedMark, hex(known.digest)});
  }
  return file_.put({{"match", all.dump()}});
}

Result<void> MatchBook::load() {
  known_.clear();
  auto text = file_.get("match");
  if (!text) return tl::unexpected(text.error());
  if (!*text || !surveys_.survey()) return {};
  const Json json = parseJson(**text);
  JsonReader in(json);
  if (in.number<int>("version") != 2) return {};
  std::vector<EqualFiles> groups;
  in.each("groups", mostGroups, [&](JsonReader& group) {
    if (auto read = readGroup(group, surveys_.survey()->tree)) groups.push_back(std::move(*read));
  });
  std::vector<ImageSeen> images;
  in.eachOr("images", mostGroups, [&](JsonReader& image) {
    std::optional<NodeId> node;
    image.object("file", [&](JsonReader& file) { node = readFile(file, surveys_.survey()->tree); });
    const ImageFacts facts = readImageFacts(image);
    if (node) images.push_back({*node, facts});
  });
  Differences differences;
  in.eachOr("differences", mostGroups, [&](JsonReader& one) {
    std::optional<NodeId> a, b;
    one.object("one", [&](JsonReader& file) { a = readFile(file, surveys_.survey()->tree); });
    one.object("other", [&](JsonReader& file) { b = readFile(file, surveys_.survey()->tree); });
    const Bytes at = one.number<Bytes>("at_bytes");
    if (a && b) differences[std::minmax(*a, *b)] = at;
  });
  if (json.contains("read") && json["read"].is_array())
    for (const Json& row : json["read"]) {
      const bool whole = row.is_array() && row.size() == 6 && row[0].is_number_unsigned() &&
                         row[1].is_number_unsigned() && row[2].is_number_integer() &&
                         row[3].is_number_unsigned() && row[4].is_number_unsigned() && row[5].is_string();
      const auto digest = whole ? digestOf(row[5].get<std::string>()) : std::nullopt;
      if (!digest) continue;
      const Identity identity{EntryKind::file,      row[0].get<std::uint64_t>(), row[1].get<Bytes>(),
                              row[2].get<TimeNs>(), row[3].get<std::uint32_t>(), row[4].get<std::uint32_t>()};
      known_[identity.inode] = {identity, *digest};
    }
  if (in.ok()) surveys_.setContents(std::move(groups), std::move(images), std::move(differences));
  return {};
}

}  // namespace zt
