// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/match_book.h"

#include <charconv>
#include <map>
#include <set>

#include "core/base/json_reader.h"
#include "core/finds/answer.h"

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

Json groupJson(const EqualFiles& group, const SurveyTree& tree) {
  Json paths = Json::array();
  for (const NodeId node : group.nodes) {
    Json one = Json::object();
    putPath(one, "path", tree.path(node));
    paths.push_back(std::move(one));
  }
  return {{"length_bytes", group.length}, {"digest", hex(group.digest)}, {"files", std::move(paths)}};
}

/// Only what is still in the survey, with that length.
std::optional<EqualFiles> readGroup(JsonReader& in, const SurveyTree& tree) {
  EqualFiles group;
  group.length = in.number<Bytes>("length_bytes");
  const auto digest = digestOf(in.text("digest"));
  in.each("files", mostGroups, [&](JsonReader& file) {
    const auto node = tree.find(file.path("path"));
    if (node && tree.kind(*node) == EntryKind::file && tree.length(*node) == group.length)
      group.nodes.push_back(*node);
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

Result<MatchResult> MatchBook::match(const Options& options, ProgressSink* progress) {
  if (auto here = place_.checkHere("match"); !here) return tl::unexpected(here.error());
  if (!surveys_.survey()) return fail(Errc::notThere, "survey");
  const Site& site = place_.site();
  const auto root = site.files()->openRoot(site.root());
  if (!root) return tl::unexpected(root.error());
  const FindContext& context = *surveys_.context();
  MatchOptions how;
  how.least = options.least.value_or(usualLeast());
  how.inOrder = site.drive().kind == DriveKind::rotating && !site.drive().standIn;
  how.readers = how.inOrder ? 1 : 2;
  how.known = &known_;
  how.hash = options.hash;
  how.stop = options.stop;
  how.pause = options.pause;
  if (!options.question.empty()) {
    how.only.assign(context.tree.size(), false);
    for (const NodeId id : answer(context, options.question, options.stop)) how.only[id] = true;
  }
  MatchResult result = zt::match(*site.files(), **root, context, how, options.found, progress);
  for (const auto& [node, digest] : result.digests)
    known_[context.tree.inode(node)] = {context.tree.identity(node), digest};
  std::vector<EqualFiles> all = withEarlier(result.groups);
  if (auto saved = save(all); !saved) return tl::unexpected(saved.error());
  surveys_.setEqual(std::move(all));
  surveys_.applyMarks(plan_.marks());
  return result;
}

/// What was found before holds as long as the survey does, whatever was asked for now.
std::vector<EqualFiles> MatchBook::withEarlier(std::vector<EqualFiles> groups) const {
  const auto& earlier = surveys_.detected().equal;
  if (!earlier) return groups;
  std::map<std::pair<Digest, Bytes>, std::set<NodeId>> all;
  for (const std::vector<EqualFiles>* list :
       {static_cast<const std::vector<EqualFiles>*>(&groups), earlier.get()})
    for (const EqualFiles& group : *list)
      all[{group.digest, group.length}].insert(group.nodes.begin(), group.nodes.end());
  groups.clear();
  for (const auto& [content, nodes] : all)
    groups.push_back({content.second, content.first, {nodes.begin(), nodes.end()}});
  return groups;
}

Result<void> MatchBook::save(const std::vector<EqualFiles>& groups) {
  const SurveyTree& tree = surveys_.survey()->tree;
  Json all{{"version", 1}, {"groups", Json::array()}, {"read", Json::array()}};
  for (const EqualFiles& group : groups) all["groups"].push_back(groupJson(group, tree));
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
  if (in.number<int>("version") != 1) return {};
  std::vector<EqualFiles> groups;
  in.each("groups", mostGroups, [&](JsonReader& group) {
    if (auto read = readGroup(group, surveys_.survey()->tree)) groups.push_back(std::move(*read));
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
  if (in.ok()) surveys_.setEqual(std::move(groups));
  return {};
}

}  // namespace zt
