// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/match_book.h"

#include <map>

#include "core/match/content_json.h"
#include "core/query/answer.h"

namespace zt {

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
  MatchResult result;
  Contents now;
  ContentSearch search{*site.files(),
                       **root,
                       context,
                       how,
                       !site.drive().standIn,  // of most that counts as stored there is nothing to be read
                       surveys_.detected().contents,
                       now,
                       options.found,
                       progress,
                       result};
  for (const auto& kind : workshop_.craft->contents.all()) now.set(kind->id(), kind->look(search));
  for (const auto& [node, digest] : result.digests)
    known_[context.tree.inode(node)] = {context.tree.identity(node), digest};
  place_.noteContents(context.survey, digestsOf(context.tree));
  result.stopped = result.stopped || options.stop.stop_requested();
  if (auto saved = save(now); !saved) return tl::unexpected(saved.error());
  surveys_.setContents(std::move(now));
  surveys_.applyMarks(plan_.marks());
  return result;
}

Result<void> MatchBook::save(const Contents& contents) {
  Json all{{"version", 2}, {"read", Json::array()}};
  for (const auto& kind : workshop_.craft->contents.all())
    if (const auto seen = contents.of(kind->id()))
      all[std::string(kind->id())] = kind->toJson(*seen, surveys_.survey()->tree);
  for (const auto& [inode, known] : known_) {
    const Identity& i = known.identity;
    all["read"].push_back({inode, i.length, i.modified, i.bornMark, i.changedMark, hexOf(known.digest)});
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
  Contents contents;
  for (const auto& kind : workshop_.craft->contents.all())
    contents.set(kind->id(), kind->read(in, std::string(kind->id()).c_str(), surveys_.survey()->tree));
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
  if (in.ok()) surveys_.setContents(std::move(contents));
  return {};
}

}  // namespace zt
