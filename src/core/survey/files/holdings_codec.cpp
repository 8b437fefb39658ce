// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/files/holdings_codec.h"

#include <algorithm>

#include "core/survey/files/byte_stream.h"

namespace zt {

namespace {

constexpr std::size_t longestText = 1 << 16;
enum PointBit : std::uint8_t {
  readOnly = 1,
  isDefault = 2,
  mounted = 4,
  holdsOthers = 8,
  foreign = 16,
  received = 32,
  changed = 64
};

void putPoint(ByteWriter& w, const Point& p, const std::vector<NodeId>& numbers) {
  w.put(p.id);
  for (const std::string* text : {&p.uuid, &p.originUuid, &p.receivedUuid, &p.path, &p.words}) w.text(*text);
  w.put(p.node == noNode ? noNode : numbers[p.node]);
  w.put(p.taken);
  w.put(static_cast<std::uint8_t>((p.readOnly ? readOnly : 0) | (p.isDefault ? isDefault : 0) |
                                  (p.mounted ? mounted : 0) | (p.holdsOthers ? holdsOthers : 0) |
                                  (p.foreign ? foreign : 0) | (p.sent != 0 ? received : 0) |
                                  (p.changed ? changed : 0)));
  if (p.sent != 0) w.put(p.sent);
}

bool getPoint(ByteReader& r, Point& p, const SurveyTree& tree) {
  p.id = r.get<std::uint64_t>();
  for (std::string* text : {&p.uuid, &p.originUuid, &p.receivedUuid, &p.path, &p.words})
    *text = r.text(longestText);
  p.node = r.get<NodeId>();
  p.taken = r.get<TimeNs>();
  const auto bits = r.get<std::uint8_t>();
  p.readOnly = (bits & readOnly) != 0;
  p.isDefault = (bits & isDefault) != 0;
  p.mounted = (bits & mounted) != 0;
  p.holdsOthers = (bits & holdsOthers) != 0;
  p.foreign = (bits & foreign) != 0;
  p.changed = (bits & changed) != 0;
  if ((bits & received) != 0) p.sent = r.get<std::uint64_t>();
  return r.ok() && (p.node == noNode || (p.node < tree.size() && tree.isFolder(p.node)));
}

class Decoding {
public:
  Decoding(std::string_view bytes, const SurveyTree& tree) : r_(bytes), tree_(tree) {}

  HoldingsPtr read() {
    const bool good = points() && sets() && extents() && files() && outside() &&
                      (r_.atEnd() || read(h_->walked)) && r_.atEnd();
    return good ? std::move(h_) : nullptr;
  }

private:
  /// A number of things of which each takes a byte at least.
  bool count(std::uint64_t& n) {
    n = r_.varint();
    return r_.ok() && n <= r_.left();
  }
  bool points() {
    h_->exact = r_.get<std::uint8_t>() != 0;
    return read(h_->points);
  }
  bool read(std::vector<Point>& points) {
    std::uint64_t n = 0;
    if (!count(n)) return false;
    points.resize(n);
    return std::all_of(points.begin(), points.end(), [&](Point& p) { return getPoint(r_, p, tree_); });
  }
  bool sets() {
    std::uint64_t n = 0;
    if (!count(n)) return false;
    for (std::uint64_t i = 0; i < n; ++i) {
      std::uint64_t runs = 0;
      if (!count(runs)) return false;
      std::vector<NumberSets::Run> all;
      std::uint64_t at = 0;
      for (std::uint64_t k = 0; k < runs; ++k) {
        const std::uint64_t from = at + r_.varint(), to = from + r_.varint();
        if (!r_.ok() || from < at || to < from || to > h_->unseen() + 1) return false;
        all.push_back({static_cast<std::uint32_t>(from), static_cast<std::uint32_t>(to)});
        at = to;
      }
      set_.push_back(h_->sets.of(std::move(all)));
    }
    return r_.ok();
  }
  bool set(NumberSets::Id& id) {
    const std::uint64_t written = r_.varint();
    if (!r_.ok() || written >= set_.size()) return false;
    id = set_[written];
    return true;
  }
  bool extents() {
    std::uint64_t n = 0;
    if (!count(n)) return false;
    Bytes place = 0;
    for (std::uint64_t i = 0; i < n; ++i) {
      Holdings::Extent e;
      place += static_cast<Bytes>(r_.zigzag());
      e.place = place;
      e.bytes = r_.varint();
      if (!set(e.outside) || e.bytes > (Bytes{1} << 62)) return false;
      h_->extents.push_back(e);
    }
    return true;
  }
  bool files() {
    std::uint64_t n = 0;
    if (!count(n)) return false;
    std::uint64_t node = 0;
    for (std::uint64_t i = 0; i < n; ++i) {
      node += r_.varint();
      std::uint64_t held = 0;
      if (!count(held) || node == 0 || node >= tree_.size()) return false;
      const auto id = static_cast<NodeId>(node);
      const bool again = !h_->nodes.empty() && h_->nodes.back() >= id;
      if (again || tree_.kind(id) != EntryKind::file) return false;
      h_->nodes.push_back(id);
      h_->start.push_back(static_cast<std::uint32_t>(h_->held.size()));
      if (!heldOf(held)) return false;
    }
    h_->start.push_back(static_cast<std::uint32_t>(h_->held.size()));
    return true;
  }
  bool heldOf(std::uint64_t count) {
    const std::size_t first = h_->held.size();
    std::uint64_t extent = 0;
    for (std::uint64_t k = 0; k < count; ++k) {
      extent += r_.varint();
      if (!r_.ok() || extent >= h_->extents.size()) return false;
      const auto e = static_cast<std::uint32_t>(extent);
      if (h_->held.size() > first && h_->held.back() == e) return false;
      h_->held.push_back(e);
      ++h_->extents[e].files;
    }
    return true;
  }
  bool outside() {
    std::uint64_t n = 0;
    if (!count(n)) return false;
    for (std::uint64_t i = 0; i < n; ++i) {
      Holdings::Outside one;
      if (!set(one.holders)) return false;
      one.bytes = r_.varint();
      one.records = r_.varint();
      h_->outside.push_back(one);
    }
    return r_.ok();
  }

  ByteReader r_;
  const SurveyTree& tree_;
  std::vector<NumberSets::Id> set_;
  std::shared_ptr<Holdings> h_ = std::make_shared<Holdings>();
};

}  // namespace

std::string encodeHoldings(const Holdings& h, const std::vector<NodeId>& numbers) {
  ByteWriter w;
  w.put(static_cast<std::uint8_t>(h.exact));
  w.varint(h.points.size());
  for (const Point& p : h.points) putPoint(w, p, numbers);
  w.varint(h.sets.size());
  for (NumberSets::Id id = 0; id < h.sets.size(); ++id) {
    w.varint(h.sets.runs(id).size());
    std::uint32_t at = 0;
    for (const NumberSets::Run& run : h.sets.runs(id)) {
      w.varint(run.from - at);
      w.varint(run.to - run.from);
      at = run.to;
    }
  }
  w.varint(h.extents.size());
  Bytes place = 0;
  for (const Holdings::Extent& e : h.extents) {
    w.zigzag(static_cast<std::int64_t>(e.place - place));
    place = e.place;
    w.varint(e.bytes);
    w.varint(e.outside);
  }
  w.varint(h.nodes.size());
  NodeId node = 0;
  for (std::size_t i = 0; i < h.nodes.size(); ++i) {
    w.varint(numbers[h.nodes[i]] - node);
    node = numbers[h.nodes[i]];
    std::vector<std::uint32_t> held(h.heldBy(i).begin(), h.heldBy(i).end());
    std::sort(held.begin(), held.end());
    w.varint(held.size());
    std::uint32_t last = 0;
    for (const std::uint32_t e : held) w.varint(e - std::exchange(last, e));
  }
  w.varint(h.outside.size());
  for (const Holdings::Outside& one : h.outside) {
    w.varint(one.holders);
    w.varint(one.bytes);
    w.varint(one.records);
  }
  w.varint(h.walked.size());
  for (const Point& p : h.walked) putPoint(w, p, numbers);
  return std::move(w.bytes);
}

HoldingsPtr decodeHoldings(std::string_view bytes, const SurveyTree& tree) {
  return Decoding(bytes, tree).read();
}

}  // namespace zt
