// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/history/comparison.h"

#include <absl/container/flat_hash_map.h>

#include <algorithm>

namespace zt {

namespace {

/// What is found out before it is put in order.
struct Raw {
  std::uint32_t parent = 0;  ///< of folders' pairs
  Change change = Change::within;
  NodeId was = noNode, is = noNode;
  NodeId moved = noNode;
  ChangeSums sums = {};
};

class Comparing {
public:
  Comparing(const Survey& before, const Survey& after, const std::stop_token& stop)
      : was_(before.tree), is_(after.tree), stop_(stop) {
    result_.byIdentity =
        !before.imported && !after.imported && !before.driveId.empty() && before.driveId == after.driveId;
  }

  Result<Comparison> run() {
    raw_.push_back({0, Change::within, 0, 0});
    // Pairs of folders are put behind as they are found: a parent stands before its children.
    for (std::uint32_t at = 0; at < raw_.size(); ++at) {
      if (raw_[at].change != Change::within) continue;
      if (stop_.stop_requested()) return fail(Errc::cancelled, "compare");
      compareFolders(at);
    }
    if (result_.byIdentity) findMoves();
    for (auto at = static_cast<std::uint32_t>(raw_.size()); at-- > 1;) {
      addOwn(raw_[at]);
      raw_[raw_[at].parent].sums += raw_[at].sums;
    }
    order();
    return std::move(result_);
  }

private:
  void compareFolders(std::uint32_t at) {
    const FolderTotals& b = was_.totals(raw_[at].was);
    const FolderTotals& a = is_.totals(raw_[at].is);
    std::uint32_t i = 0;
    // The same drive lists a folder that did not change in the same order.
    for (; i < std::min(b.children, a.children); ++i) {
      if (was_.name(b.firstChild + i) != is_.name(a.firstChild + i)) break;
      compareEntries(at, b.firstChild + i, a.firstChild + i);
    }
    if (i == b.children && i == a.children) return;
    absl::flat_hash_map<std::string_view, NodeId> rest;
    rest.reserve(b.children - i);
    for (std::uint32_t k = i; k < b.children; ++k)
      rest.emplace(was_.name(b.firstChild + k), b.firstChild + k);
    for (std::uint32_t k = i; k < a.children; ++k) {
      const NodeId is = a.firstChild + k;
      const auto found = rest.find(is_.name(is));
      if (found == rest.end()) {
        raw_.push_back({at, Change::came, noNode, is});
        continue;
      }
      compareEntries(at, found->second, is);
      rest.erase(found);
    }
    for (std::uint32_t k = i; k < b.children; ++k)
      if (const NodeId was = b.firstChild + k; rest.contains(was_.name(was)))
        raw_.push_back({at, Change::went, was, noNode});
  }

  void compareEntries(std::uint32_t at, NodeId was, NodeId is) {
    if (was_.kind(was) != is_.kind(is)) {
      raw_.push_back({at, Change::went, was, noNode});
      raw_.push_back({at, Change::came, noNode, is});
      return;
    }
    if (was_.isFolder(was)) {
      raw_.push_back({at, Change::within, was, is});
      return;
    }
    const Bytes before = was_.occupied(was), after = is_.occupied(is);
    if (before == after && was_.length(was) == is_.length(is) && was_.modified(was) == is_.modified(is)) {
      ++result_.same;
      return;
    }
    raw_.push_back({at,
                    before < after   ? Change::grew
                    : before > after ? Change::shrank
                                     : Change::altered,
                    was, is});
  }

  void addOwn(Raw& raw) const {
    ChangeSums& s = raw.sums;
    if (raw.change == Change::came) s.came += is_.weight(raw.is);
    if (raw.change == Change::went) s.went += was_.weight(raw.was);
    if (raw.change == Change::grew) s.grew += is_.occupied(raw.is) - was_.occupied(raw.was);
    if (raw.change == Change::shrank) s.shrank += was_.occupied(raw.was) - is_.occupied(raw.is);
    if (raw.change != Change::within) s.entries += 1 + beneath(raw);
  }
  std::uint64_t beneath(const Raw& raw) const {
    if (raw.change == Change::came && is_.isFolder(raw.is)) return is_.totals(raw.is).entries;
    if (raw.change == Change::went && was_.isFolder(raw.was)) return was_.totals(raw.was).entries;
    return 0;
  }

  template <class Each>
  static void eachBeneath(const SurveyTree& tree, NodeId top, Each each) {
    std::vector<NodeId> open{top};
    while (!open.empty()) {
      const NodeId node = open.back();
      open.pop_back();
      if (!each(node) || !tree.isFolder(node)) continue;
      const FolderTotals& t = tree.totals(node);
      for (std::uint32_t k = t.children; k-- > 0;) open.push_back(t.firstChild + k);
    }
  }

  /// A number that was free may be used again: then its birth differs, or, where none is kept, its content.
  bool same(NodeId was, NodeId is) const {
    const Identity b = was_.identity(was), a = is_.identity(is);
    if (b.kind != a.kind || b.inode != a.inode || b.bornMark != a.bornMark) return false;
    if (b.bornMark != 0) return true;
    return b.kind == EntryKind::folder ? was_.name(was) == is_.name(is)
                                       : b.length == a.length && b.modified == a.modified;
  }

  /// What came is looked for among what went, from the outside in.
  void findMoves() {
    absl::flat_hash_map<std::uint64_t, NodeId> gone;
    absl::flat_hash_map<NodeId, std::uint32_t> rowOfGone, rowOfNew;
    const auto count = static_cast<std::uint32_t>(raw_.size());
    for (std::uint32_t at = 0; at < count; ++at) {
      if (raw_[at].change == Change::came) rowOfNew.emplace(raw_[at].is, at);
      if (raw_[at].change != Change::went) continue;
      rowOfGone.emplace(raw_[at].was, at);
    }
    if (rowOfNew.empty()) return;
    for (const auto& [node, at] : rowOfGone)
      eachBeneath(was_, node, [&](NodeId n) { return gone.emplace(was_.inode(n), n), true; });
    for (std::uint32_t at = 0; at < count; ++at)
      if (raw_[at].change == Change::came)
        eachBeneath(is_, raw_[at].is, [&](NodeId is) {
          const auto was = gone.find(is_.inode(is));
          if (was == gone.end() || !same(was->second, is)) return true;
          noteMove(was->second, is, at, rowOfGone);
          gone.erase(was);
          return false;
        });
    std::sort(result_.moves.begin(), result_.moves.end(), [](const Move& a, const Move& b) {
      return a.bytes != b.bytes ? a.bytes > b.bytes : a.is < b.is;
    });
  }

  void noteMove(NodeId was, NodeId is, std::uint32_t cameAt,
                const absl::flat_hash_map<NodeId, std::uint32_t>& rowOfGone) {
    result_.moves.push_back({was, is, is_.weight(is)});
    raw_[cameAt].sums.movedIn += is_.weight(is);
    if (raw_[cameAt].is == is) raw_[cameAt].moved = was;
    NodeId top = was;
    auto row = rowOfGone.find(top);
    while (row == rowOfGone.end() && top != 0) row = rowOfGone.find(top = was_.parent(top));
    if (row == rowOfGone.end()) return;
    raw_[row->second].sums.movedOut += was_.weight(was);
    if (top == was) raw_[row->second].moved = is;
  }

  ChangeRow rowOf(const Raw& raw) const {
    ChangeRow row;
    row.change = raw.change;
    row.was = raw.was;
    row.is = raw.is;
    row.before = raw.was == noNode ? 0 : was_.weight(raw.was);
    row.after = raw.is == noNode ? 0 : is_.weight(raw.is);
    row.sums = raw.sums;
    row.moved = raw.moved;
    return row;
  }

  /// Rows of one parent side by side, in levels from the root down.
  void order() {
    const auto changed = [](const Raw& raw) { return raw.change != Change::within || raw.sums.entries > 0; };
    std::vector<std::uint32_t> children(raw_.size() + 1, 0);
    for (std::size_t at = 1; at < raw_.size(); ++at)
      if (changed(raw_[at])) ++children[raw_[at].parent + 1];
    for (std::size_t at = 1; at < children.size(); ++at) children[at] += children[at - 1];
    std::vector<std::uint32_t> byParent(children.back()), next(children.begin(), children.end() - 1);
    for (std::uint32_t at = 1; at < raw_.size(); ++at)
      if (changed(raw_[at]))
        byParent[next[raw_[at].parent]++] = at;
      else
        ++result_.same;
    std::vector<std::uint32_t> from{0};
    result_.rows.push_back(rowOf(raw_[0]));
    for (std::uint32_t row = 0; row < result_.rows.size(); ++row) {
      const auto begin = byParent.begin() + children[from[row]],
                 end = byParent.begin() + children[from[row] + 1];
      std::stable_sort(begin, end, [&](std::uint32_t a, std::uint32_t b) { return weight(a) > weight(b); });
      result_.rows[row].firstChild = static_cast<std::uint32_t>(result_.rows.size());
      result_.rows[row].children = static_cast<std::uint32_t>(end - begin);
      for (auto at = begin; at != end; ++at) {
        ChangeRow child = rowOf(raw_[*at]);
        child.parent = row;
        result_.rows.push_back(child);
        from.push_back(*at);
      }
    }
  }
  Bytes weight(std::uint32_t at) const {
    const ChangeSums& s = raw_[at].sums;
    return s.came + s.went + s.grew + s.shrank;
  }

  const SurveyTree& was_;
  const SurveyTree& is_;
  const std::stop_token& stop_;
  std::vector<Raw> raw_;
  Comparison result_;
};

}  // namespace

std::string_view name(Change change) {
  static constexpr std::array<std::string_view, changes> names{"within",  "grew", "shrank",
                                                               "altered", "came", "went"};
  return names[static_cast<std::size_t>(change)];
}

ChangeSums& ChangeSums::operator+=(const ChangeSums& o) {
  came += o.came, went += o.went, grew += o.grew, shrank += o.shrank;
  movedIn += o.movedIn, movedOut += o.movedOut, entries += o.entries;
  return *this;
}

Result<Comparison> compareSurveys(const Survey& before, const Survey& after, const std::stop_token& stop) {
  return Comparing(before, after, stop).run();
}

PathBytes pathOf(const Survey& before, const Survey& after, const ChangeRow& row) {
  return row.is != noNode ? after.tree.path(row.is) : before.tree.path(row.was);
}

}  // namespace zt
