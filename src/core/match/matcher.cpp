// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/match/matcher.h"

#include <absl/container/flat_hash_set.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <mutex>
#include <thread>

#include "core/base/apart.h"
#include "core/finds/hold_name.h"
#include "core/match/file_content.h"

namespace zt {

namespace {

/// A file of which another has the length; 24 bytes.
struct Candidate {
  NodeId node = noNode;
  bool failed = false;
  bool thrownAway = false;
  Digest digest;
};
/// Neighbours in the list of candidates, all of one length.
struct Range {
  std::size_t from = 0;
  std::size_t to = 0;
  std::size_t size() const { return to - from; }
};

class Matching {
public:
  Matching(FileSystemReader& files, const Folder& root, const FindContext& context,
           const MatchOptions& options, const EqualFound& found, ProgressSink* progress)
      : files_(files),
        root_(root),
        context_(context),
        tree_(context.tree),
        options_(options),
        found_(found),
        progress_(progress) {}

  MatchResult run() {
    findCandidates();
    joinSharers();
    std::vector<Range> same = rangesOf([&](const Candidate& c) { return tree_.length(c.node); }, whole());
    compareEnds(same);
    std::vector<Range> alike;
    for (const Range& r : same)
      for (const Range& part : split(r)) alike.push_back(part);
    std::stable_sort(alike.begin(), alike.end(),
                     [&](const Range& a, const Range& b) { return weight(a) > weight(b); });
    compareWhole(alike);
    readForOthers();
    finish();
    return std::move(result_);
  }

private:
  Range whole() const { return {0, candidates_.size()}; }
  Bytes weight(const Range& r) const { return tree_.length(candidates_[r.from].node) * (r.size() - 1); }
  /// Ends and all are the same for these.
  static bool isShort(Bytes length) { return length <= FileContent::blockSize; }

  bool mayMatter(NodeId id) const {
    constexpr Bytes inlined = 4096;  // kept among the metadata, it takes no block of its own
    if (tree_.kind(id) != EntryKind::file || tree_.isGone(id)) return false;
    const bool also = !options_.also.empty() && options_.also[id];
    if (tree_.occupied(id) == 0 && !(also && tree_.length(id) <= inlined)) return false;
    if (tree_.length(id) < std::max<Bytes>(1, also ? 1 : options_.least)) return false;
    if (context_.inTrash[id]) return options_.only.empty() && !isBeneathAny(context_.gain, id, holds_);
    const Standing standing = context_.standing[id];
    if (standing == Standing::spent || standing == Standing::rebuilds) return false;
    // What is a way back goes, or stays, with the whole that it lies in.
    if (standing == Standing::ownersCall && context_.regret[id] == Regret::wayBack) return false;
    if (isBeneathAny(context_.gain, id, holds_)) return false;
    return options_.only.empty() || options_.only[id];
  }
  bool mayGo(NodeId id) const {
    return !context_.inTrash[id] && context_.standing[id] > Standing::kept && !context_.part[id] &&
           !context_.cannotGo(id);
  }

  void findCandidates() {
    holds_ = holdFolders(tree_);
    absl::flat_hash_set<std::uint32_t> seen;
    for (NodeId id = 1; id < tree_.size(); ++id) {
      if (!mayMatter(id)) continue;
      const auto file = tree_.isLinked(id) ? context_.names.fileOf(id) : std::nullopt;
      if (!file || seen.insert(*file).second) candidates_.push_back({id, false, context_.inTrash[id], {}});
    }
    std::stable_sort(candidates_.begin(), candidates_.end(), [&](const Candidate& a, const Candidate& b) {
      return tree_.length(a.node) > tree_.length(b.node);
    });
    // What has no other of its length, or only such as cannot go, is out.
    std::vector<Candidate> kept;
    for (const Range& r : rangesOf([&](const Candidate& c) { return tree_.length(c.node); }, whole()))
      kept.insert(kept.end(), at(r.from), at(r.to));
    candidates_ = std::move(kept);
    candidates_.shrink_to_fit();
  }

  /// Files that share all their extents are equal unread: one stands for all of them.
  void joinSharers() {
    std::map<std::pair<Bytes, Digest>, NodeId> bodies;
    std::vector<Candidate> kept;
    for (const Candidate& c : candidates_) {
      const auto map = tree_.mayShare(c.node) && !c.thrownAway ? mapDigest(c.node) : std::nullopt;
      const auto [body, isFirst] =
          map ? bodies.emplace(std::pair(tree_.length(c.node), *map), c.node) : std::pair(bodies.end(), true);
      if (isFirst)
        kept.push_back(c);
      else
        sharers_[body->second].push_back(c.node);
    }
    candidates_ = std::move(kept);
    for (const auto& [key, node] : bodies)
      if (sharers_.contains(node)) {
        stored_.emplace_back();
        stored_.back().length = key.first;
        stored_.back().digest = key.second;
        stored_.back().nodes = {node};
      }
  }

  /// What shares its bytes is equal even where nothing else is equal to it.
  void addStoredOnce() {
    absl::flat_hash_set<NodeId> told;
    for (const EqualFiles& group : result_.groups) told.insert(group.nodes.begin(), group.nodes.end());
    for (EqualFiles& group : stored_) {
      if (told.contains(group.nodes.front())) continue;
      addSharers(group);
      addBirths(group);
      result_.groups.push_back(std::move(group));
    }
  }

  /// Of where a file's bytes lie; nothing unless all that it holds is shared, settled and as it lies there.
  std::optional<Digest> mapDigest(NodeId node) const {
    if (options_.stop.stop_requested()) return std::nullopt;
    const PathBytes path = tree_.path(node);
    const auto folder = files_.openBeneath(root_, parentPath(path));
    if (!folder) return std::nullopt;
    const auto map = files_.fileMap(**folder, baseName(path));
    const auto same = files_.stat(**folder, baseName(path));
    if (!map || !same || map->empty() || same->inode != tree_.inode(node) ||
        same->modified != tree_.modified(node))
      return std::nullopt;
    const auto hash = xxh3Hash();
    for (const FileExtent& e : *map) {
      if (!e.shared || !e.plain) return std::nullopt;
      const std::array<std::uint64_t, 4> run{e.at, e.place, e.bytes, e.written ? 1u : 0u};
      hash->add({reinterpret_cast<const char*>(run.data()), sizeof run});
    }
    return hash->finish();
  }

  void addSharers(EqualFiles& group) const {
    for (std::size_t i = 0, own = group.nodes.size(); i < own; ++i) {
      const auto others = sharers_.find(group.nodes[i]);
      if (others == sharers_.end()) continue;
      for (const NodeId other : others->second) {
        group.nodes.push_back(other);
        group.sharing.emplace(other, group.nodes[i]);
      }
    }
    std::sort(group.nodes.begin(), group.nodes.end());
  }

  std::vector<Candidate>::iterator at(std::size_t i) {
    return candidates_.begin() + static_cast<std::ptrdiff_t>(i);
  }

  /// Runs of one key with two or more that were not thrown away, and in which something could go.
  template <class Key>
  std::vector<Range> rangesOf(const Key& key, Range in) {
    std::vector<Range> all;
    for (std::size_t from = in.from; from < in.to;) {
      std::size_t to = from + 1;
      while (to < in.to && key(candidates_[to]) == key(candidates_[from])) ++to;
      const bool any = std::any_of(at(from), at(to), [&](const Candidate& c) { return mayGo(c.node); });
      const auto there = std::count_if(at(from), at(to), [](const Candidate& c) { return !c.thrownAway; });
      if (there > 1 && any) all.push_back({from, to});
      from = to;
    }
    return all;
  }

  /// By their digests; what failed is out.
  std::vector<Range> split(Range r) {
    const auto failed =
        std::stable_partition(at(r.from), at(r.to), [](const Candidate& c) { return !c.failed; });
    r.to = static_cast<std::size_t>(failed - candidates_.begin());
    std::stable_sort(at(r.from), at(r.to),
                     [](const Candidate& a, const Candidate& b) { return a.digest < b.digest; });
    return rangesOf([](const Candidate& c) { return c.digest; }, r);
  }

  void compareEnds(const std::vector<Range>& ranges) {
    std::vector<std::size_t> tasks;
    for (const Range& r : ranges)
      for (std::size_t i = r.from; i < r.to; ++i) {
        tasks.push_back(i);
        needed_ +=
            std::min<Bytes>(tree_.length(candidates_[i].node),
                            isShort(tree_.length(candidates_[i].node)) ? FileContent::blockSize : 8192);
      }
    order(tasks);
    readAll(candidates_, tasks, [&](FileContent& content, std::size_t i) {
      Candidate& c = candidates_[i];
      const Bytes length = tree_.length(c.node);
      if (isShort(length)) return digestOf(content, c);
      return withFile(c, [&](OpenedFile& file) -> Result<Digest> {
        read_ += 8192;
        return content.ends(file, length);
      });
    });
  }

  void compareWhole(const std::vector<Range>& ranges) {
    std::vector<std::size_t> tasks, rangeOf;
    for (std::size_t r = 0; r < ranges.size(); ++r) {
      if (isShort(tree_.length(candidates_[ranges[r].from].node))) continue;
      for (std::size_t i = ranges[r].from; i < ranges[r].to; ++i) {
        tasks.push_back(i);
        const NodeId node = candidates_[i].node;
        if (knownDigest(node) == nullptr) needed_ += std::min(tree_.length(node), tree_.occupied(node));
      }
    }
    // Groups come as they are done, the weightiest first; on a drive that rotates, in the order of blocks.
    if (options_.inOrder) order(tasks);
    for (const Range& r : ranges) open_.push_back({r, r.size()});
    std::vector<std::size_t> owner(candidates_.size(), 0);
    for (std::size_t r = 0; r < ranges.size(); ++r)
      for (std::size_t i = ranges[r].from; i < ranges[r].to; ++i) owner[i] = r;
    for (std::size_t r = 0; r < ranges.size(); ++r)
      if (isShort(tree_.length(candidates_[ranges[r].from].node))) give(ranges[r]);
    readAll(
        candidates_, tasks,
        [&](FileContent& content, std::size_t i) { return digestOf(content, candidates_[i]); },
        [&](std::size_t i) {
          if (--open_[owner[i]].left == 0) give(open_[owner[i]].range);
        });
  }

  /// What another drive may have a copy of: read whole, so that it can be told by its content.
  void readForOthers() {
    if (options_.lengthsElsewhere.empty()) return;
    absl::flat_hash_set<NodeId> read;
    for (const auto& [node, digest] : result_.digests) read.insert(node);
    absl::flat_hash_set<std::uint32_t> seen;
    alone_.clear();
    for (NodeId id = 1; id < tree_.size(); ++id) {
      const bool asked = std::binary_search(options_.lengthsElsewhere.begin(),
                                            options_.lengthsElsewhere.end(), tree_.length(id));
      if (!asked || read.contains(id) || knownDigest(id) != nullptr || !mayMatter(id) ||
          context_.inTrash[id] || !mayGo(id))
        continue;
      const auto file = tree_.isLinked(id) ? context_.names.fileOf(id) : std::nullopt;
      if (file && !seen.insert(*file).second) continue;
      alone_.push_back({id, false, false, {}});
      needed_ += std::min(tree_.length(id), tree_.occupied(id));
    }
    std::vector<std::size_t> tasks(alone_.size());
    for (std::size_t i = 0; i < tasks.size(); ++i) tasks[i] = i;
    readAll(alone_, tasks, [&](FileContent& content, std::size_t i) { return digestOf(content, alone_[i]); });
  }

  const KnownContent* knownDigest(NodeId node) const {
    if (options_.known == nullptr) return nullptr;
    const auto at = options_.known->find(tree_.inode(node));
    return at != options_.known->end() && at->second.identity == tree_.identity(node) ? &at->second : nullptr;
  }

  Result<void> digestOf(FileContent& content, Candidate& c) {
    if (const KnownContent* known = knownDigest(c.node)) {
      c.digest = known->digest;
      return {};
    }
    auto done = withFile(
        c, [&](OpenedFile& file) { return content.whole(file, tree_.length(c.node), read_, options_.stop); });
    if (done) {
      const std::scoped_lock lock(mutex_);
      result_.digests.emplace_back(c.node, c.digest);
    }
    return done;
  }

  /// Opens a file that is still what was measured, and looks again after it was read.
  template <class Work>
  Result<void> withFile(Candidate& c, const Work& work) {
    const PathBytes path = tree_.path(c.node);
    const auto folder = files_.openBeneath(root_, parentPath(path));
    if (!folder) return tl::unexpected(folder.error());
    const auto file = files_.openFile(**folder, baseName(path));
    if (!file) return tl::unexpected(file.error());
    if (auto same = unchanged(**file, c.node); !same) return same;
    const auto digest = work(**file);
    if (!digest) return tl::unexpected(digest.error());
    if (auto same = unchanged(**file, c.node); !same) return same;
    c.digest = *digest;
    return {};
  }

  Result<void> unchanged(OpenedFile& file, NodeId node) const {
    const auto stat = file.stat();
    if (!stat) return tl::unexpected(stat.error());
    Identity now = identityOf(*stat);
    now.changedMark = tree_.identity(node).changedMark;  // a further name changes that, and no content
    if (now != tree_.identity(node)) return fail(Errc::changed, "match", tree_.path(node));
    return {};
  }

  /// By where their first blocks lie, else by inode.
  void order(std::vector<std::size_t>& tasks) {
    if (!options_.inOrder) return;
    std::vector<std::pair<Bytes, std::size_t>> places;
    for (const std::size_t i : tasks) {
      const PathBytes path = tree_.path(candidates_[i].node);
      const auto folder = files_.openBeneath(root_, parentPath(path));
      const auto facts =
          folder ? files_.extents(**folder, baseName(path)) : Result<ExtentFacts>(ExtentFacts{});
      places.emplace_back(facts ? facts->first : 0, i);
    }
    std::stable_sort(places.begin(), places.end());
    for (std::size_t k = 0; k < tasks.size(); ++k) tasks[k] = places[k].second;
  }

  using Work = std::function<Result<void>(FileContent&, std::size_t)>;
  using Done = std::function<void(std::size_t)>;
  void readAll(std::vector<Candidate>& of, const std::vector<std::size_t>& tasks, const Work& work,
               const Done& done = {}) {
    std::atomic<std::size_t> next{0};
    const auto reader = [&](unsigned) {
      FileContent content(options_.hash);
      for (std::size_t t = next++; t < tasks.size() && !options_.stop.stop_requested(); t = next++) {
        if (options_.pause != nullptr) options_.pause->pass(options_.stop);
        const auto read = work(content, tasks[t]);
        const std::scoped_lock lock(mutex_);
        if (!read) leave(of[tasks[t]], read.error());
        if (done) done(tasks[t]);
        tell(of[tasks[t]].node);
      }
    };
    fanOut(std::clamp(options_.readers, 1u, 16u), reader);
  }

  void leave(Candidate& c, const Error& error) {
    c.failed = true;
    if (error.code == Errc::cancelled) return;
    result_.left.push_back({c.node, error});
    result_.left.back().error.path = tree_.path(c.node);
  }

  void tell(NodeId node) {
    constexpr std::chrono::milliseconds apart{60};
    const auto now = std::chrono::steady_clock::now();
    if (progress_ == nullptr || now < nextTold_) return;
    nextTold_ = now + apart;
    progress_->report({read_, std::max<Bytes>(needed_, read_), 0, 0, tree_.path(node)});
  }

  /// A range of which all has been read: its groups are known.
  void give(const Range& range) {
    for (const Range& r : split(range)) {
      EqualFiles group;
      group.length = tree_.length(candidates_[r.from].node);
      group.digest = candidates_[r.from].digest;
      for (std::size_t i = r.from; i < r.to; ++i)
        (candidates_[i].thrownAway ? group.thrownAway : group.nodes).push_back(candidates_[i].node);
      addSharers(group);
      addBirths(group);
      if (found_) found_(group);
      result_.groups.push_back(std::move(group));
    }
  }

  /// What was made first is the original, whatever its modification time says: a copy may keep that.
  void addBirths(EqualFiles& group) const {
    for (const NodeId node : group.nodes) {
      const PathBytes path = tree_.path(node);
      const auto folder = files_.openBeneath(root_, parentPath(path));
      const auto stat = folder ? files_.stat(**folder, baseName(path)) : Result<EntryStat>(EntryStat{});
      if (stat && stat->born != 0 && stat->inode == tree_.inode(node)) group.born.emplace(node, stat->born);
    }
  }

  /// Links in folders that are alike, by what they say.
  void compareLinks() {
    std::map<Bytes, std::vector<NodeId>> byLength;
    for (NodeId id = 1; id < options_.also.size(); ++id)
      if (options_.also[id] && tree_.kind(id) == EntryKind::symlink && !tree_.isGone(id) &&
          !context_.inTrash[id])
        byLength[tree_.length(id)].push_back(id);
    for (const auto& [length, nodes] : byLength) {
      std::map<Digest, EqualFiles> bySaying;
      for (const NodeId node : nodes) {
        if (nodes.size() < 2 || options_.stop.stop_requested()) break;
        const PathBytes path = tree_.path(node);
        const auto folder = files_.openBeneath(root_, parentPath(path));
        const auto says =
            folder ? files_.readLink(**folder, baseName(path)) : Result<std::string>(PathBytes{});
        if (!says || says->size() != length) continue;
        const auto hash = options_.hash();
        hash->add("link ");
        hash->add(*says);
        const Digest digest = hash->finish();
        EqualFiles& group = bySaying[digest];
        group.length = length;
        group.digest = digest;
        group.links = true;
        group.nodes.push_back(node);
      }
      for (auto& [says, group] : bySaying)
        if (group.nodes.size() > 1) result_.groups.push_back(std::move(group));
    }
  }

  /// What was looked at to the end, with all of its length.
  void noteCompared() {
    if (result_.stopped) return;
    result_.compared.assign(tree_.size(), false);
    for (const Candidate& c : candidates_) {
      if (c.failed) continue;
      result_.compared[c.node] = true;
      const auto others = sharers_.find(c.node);
      if (others == sharers_.end()) continue;
      for (const NodeId other : others->second) result_.compared[other] = true;
    }
  }

  void finish() {
    result_.stopped = options_.stop.stop_requested();
    result_.read = read_;
    result_.needed = needed_;
    addStoredOnce();
    compareLinks();
    noteCompared();
    std::sort(result_.groups.begin(), result_.groups.end(), [](const EqualFiles& a, const EqualFiles& b) {
      return std::tuple(b.length * (b.nodes.size() - 1), a.nodes.front()) <
             std::tuple(a.length * (a.nodes.size() - 1), b.nodes.front());
    });
  }

  struct Open {
    Range range;
    std::size_t left = 0;
  };
  FileSystemReader& files_;
  const Folder& root_;
  const FindContext& context_;
  const SurveyTree& tree_;
  const MatchOptions& options_;
  const EqualFound& found_;
  ProgressSink* progress_;
  std::vector<NodeId> holds_;
  std::vector<Candidate> candidates_;
  std::vector<Candidate> alone_;                              ///< that are read for what other drives have
  absl::flat_hash_map<NodeId, std::vector<NodeId>> sharers_;  ///< by the one that stands for them
  std::vector<EqualFiles> stored_;  ///< those that stand for others, by where their bytes lie
  std::vector<Open> open_;
  std::mutex mutex_;
  std::atomic<Bytes> read_{0};
  Bytes needed_ = 0;
  std::chrono::steady_clock::time_point nextTold_{};
  MatchResult result_;
};

}  // namespace

NodeId EqualFiles::bodyOf(NodeId node) const {
  const auto at = sharing.find(node);
  return at == sharing.end() ? node : at->second;
}

std::vector<NodeId> holdFolders(const SurveyTree& tree) {
  std::vector<NodeId> all;
  for (NodeId id = 1; id < tree.size(); ++id)
    if (!tree.isGone(id) && tree.isFolder(id) && tree.name(id) == holdName) all.push_back(id);
  return all;
}

bool isBeneathAny(const GainModel& gain, NodeId node, const std::vector<NodeId>& folders) {
  return std::any_of(folders.begin(), folders.end(),
                     [&](NodeId folder) { return gain.beneath(node, folder); });
}

MatchResult match(FileSystemReader& files, const Folder& root, const FindContext& context,
                  const MatchOptions& options, const EqualFound& found, ProgressSink* progress) {
  return Matching(files, root, context, options, found, progress).run();
}

}  // namespace zt
