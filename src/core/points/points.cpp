// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/points/points.h"

#include <algorithm>
#include <array>
#include <map>

#include "core/os/snapshots.h"
#include "core/points/foreign_points.h"

namespace zt {

std::string_view name(PointLock lock) {
  static constexpr std::array<std::string_view, pointLocks> names{
      "", "newest", "mounted", "default", "holds-others", "writable", "foreign"};
  return names[static_cast<std::size_t>(lock)];
}

namespace {
/// The folder that all of them lie in, however deep.
PathBytes placeOf(const std::vector<Point>& points, const std::vector<std::uint32_t>& members) {
  PathBytes place(parentPath(points[members.front()].path));
  for (const std::uint32_t i : members)
    while (!place.empty() && !points[i].path.starts_with(place + "/")) place = PathBytes(parentPath(place));
  return place;
}
}  // namespace

PointModel::PointModel(const Survey& survey, const GainModel& gain, TimeNs now) : holdings_(survey.holdings) {
  if (holdings_) {
    findSeries();
    findLocks();
  }
  addLinked(survey.tree, now);
  addForeign(survey.tree);
  addWalked();
  findOwn(gain);
}

/// Every group of bytes that several hold, and who does: each(sets, holders, bytes, records).
template <class Each>
void PointModel::eachGroup(Each each) const {
  if (holdings_)
    for (const Holdings::Outside& o : holdings_->outside)
      each(holdings_->sets, o.holders, o.bytes, o.records);
  for (const auto& g : linked_.groups) each(linked_.sets, g.holders, g.bytes, Bytes{0});
}

void PointModel::findSeries() {
  std::map<std::string, std::vector<std::uint32_t>> all;
  const auto& points = holdings_->points;
  std::vector<PointOrigin> origins;
  for (const Point& p : points) origins.push_back({p.id, p.uuid, p.originUuid, p.receivedUuid, p.sent});
  const auto places = placesInSeries(origins);
  for (std::uint32_t i = 0; i < points.size(); ++i) all[places[i].series].push_back(i);
  seriesOf_.resize(points.size());
  for (auto& [origin, members] : all) {
    std::sort(members.begin(), members.end(),
              [&](std::uint32_t a, std::uint32_t b) { return places[a].order < places[b].order; });
    for (const std::uint32_t i : members) seriesOf_[i] = static_cast<std::uint32_t>(series_.size());
    PointSeries series;
    series.origin = origin;
    series.place = placeOf(points, members);
    series.foreign = points[members.front()].foreign;
    series.points = std::move(members);
    series_.push_back(std::move(series));
  }
}

void PointModel::findLocks() {
  locks_.assign(holdings_->points.size(), PointLock::none);
  for (std::size_t i = 0; i < locks_.size(); ++i) {
    const Point& p = holdings_->points[i];
    locks_[i] = p.mounted                  ? PointLock::mounted
                : p.isDefault              ? PointLock::isDefault
                : p.holdsOthers            ? PointLock::holdsOthers
                : !p.readOnly && p.changed ? PointLock::writable
                : p.foreign                ? PointLock::foreign
                                           : PointLock::none;
  }
  const auto lockNewest = [&](std::uint32_t point) {
    if (PointLock& lock = locks_[point]; lock == PointLock::none || lock == PointLock::foreign)
      lock = PointLock::newest;
  };
  // One that somebody can go on in is no state to go back to: the last of the others stays as well.
  for (const PointSeries& s : series_) {
    lockNewest(s.points.back());
    const auto fixed = std::find_if(s.points.rbegin(), s.points.rend(),
                                    [&](std::uint32_t p) { return holdings_->points[p].readOnly; });
    if (fixed != s.points.rend()) lockNewest(*fixed);
  }
}

void PointModel::lockIn(const SurveyTree& tree, NodeId node, PointLock lock) {
  if (lock == PointLock::none) return;
  lockedAt_.emplace(node, lock);
  for (NodeId up = tree.parent(node); aboveLocked_.emplace(up, lock).second && up != 0;) up = tree.parent(up);
}

void PointModel::add(PointSeries& series, Point point, PointLock lock) {
  series.points.push_back(static_cast<std::uint32_t>(kept() + folders_.size()));
  seriesOf_.push_back(static_cast<std::uint32_t>(series_.size()));
  locks_.push_back(lock);
  folders_.push_back(std::move(point));
}

namespace {
/// A folder of the survey as a point.
Point stateAt(const SurveyTree& tree, NodeId node, TimeNs taken, bool foreign) {
  Point point;
  point.id = tree.inode(node);
  point.path = tree.path(node);
  point.node = node;
  point.taken = taken;
  point.readOnly = false;
  point.foreign = foreign;
  return point;
}
}  // namespace

void PointModel::addLinked(const SurveyTree& tree, TimeNs now) {
  const auto all = findLinkedSeries(tree, now);
  linked_ = linkedHoldings(tree, all, static_cast<std::uint32_t>(kept()));
  for (const LinkedSeries& linked : all) {
    PointSeries series;
    series.place = tree.path(linked.folder);
    series.origin = "folders " + series.place;
    series.linked = true;
    for (const LinkedSeries::Member& member : linked.members) {
      const PointLock lock = member.stays ? PointLock::newest : PointLock::none;
      lockIn(tree, member.node, lock);
      add(series, stateAt(tree, member.node, member.taken, false), lock);
    }
    series_.push_back(std::move(series));
  }
}

void PointModel::addForeign(const SurveyTree& tree) {
  for (const ForeignPoints& kept : findForeignPoints(tree)) {
    PointSeries series;
    series.place = tree.path(kept.folder);
    series.origin = "of " + series.place;
    series.foreign = true;
    for (const auto& one : kept.points) {
      const bool last = one.node == kept.points.back().node;
      const PointLock lock = last ? PointLock::newest : PointLock::foreign;
      lockIn(tree, one.node, lock);
      add(series, stateAt(tree, one.node, one.taken, true), lock);
    }
    series_.push_back(std::move(series));
  }
}

/// They go as files do, with all that is asked of files: here they are told, and what each holds.
void PointModel::addWalked() {
  if (!holdings_) return;
  for (const Point& p : holdings_->walked) {
    PointSeries series;
    series.place = PathBytes(parentPath(p.path));
    series.origin = "gone on " + std::to_string(p.id);
    series.walked = true;
    add(series, p, p.mounted ? PointLock::mounted : PointLock::writable);
    series_.push_back(std::move(series));
  }
}

bool PointModel::exact(const PointSeries& series) const {
  const std::uint32_t first = series.points.front();
  if (first < kept()) return holdings_->exact;
  return series.foreign || (series.walked ? ownExact_[first - kept()] : linked_.exact);
}

void PointModel::findOwn(const GainModel& gain) {
  own_.assign(kept() + folders_.size(), 0);
  for (std::size_t i = 0; i < folders_.size(); ++i) {
    const GainBounds alone = gain.of({&folders_[i].node, 1});
    own_[kept() + i] = alone.sure;
    ownExact_.push_back(alone.sure == alone.atMost);
    if (series_[seriesOf_[kept() + i]].linked) linked_.exact = linked_.exact && ownExact_.back();
  }
  if (!holdings_) return;
  for (const Holdings::Outside& o : holdings_->outside) {
    const auto runs = holdings_->sets.runs(o.holders);
    if (runs.size() == 1 && runs[0].to == runs[0].from + 1 && runs[0].from < kept())
      own_[runs[0].from] += o.bytes;
  }
}

PointSum PointModel::of(const GainModel::Points& chosen) const {
  PointSum sum{0, 0, true};
  // Numbers beyond the points are others, who hold on.
  GainModel::Points points(chosen.begin(),
                           chosen.begin() + static_cast<std::ptrdiff_t>(std::min(chosen.size(), kept())));
  const NumberSets::Chosen ofKept(points), ofAll(chosen);
  eachGroup([&](const NumberSets& sets, NumberSets::Id holders, Bytes bytes, Bytes records) {
    if (!(&sets == &linked_.sets ? ofAll : ofKept).all(sets, holders)) return;
    sum.frees += bytes;
    sum.records += records;
  });
  for (std::size_t i = 0; i < chosen.size(); ++i) {
    if (!chosen[i]) continue;
    if (i >= kept()) sum.frees += own_[i];
    sum.exact = sum.exact && exact(series_[seriesOf_[i]]);
  }
  return sum;
}

std::vector<PointSpan> PointModel::spans(const PointSeries& series) const {
  std::vector<std::uint32_t> placeOf(size(), ~0u);
  for (std::uint32_t i = 0; i < series.points.size(); ++i) placeOf[series.points[i]] = i;
  std::map<std::pair<std::uint32_t, std::uint32_t>, Bytes> all;
  eachGroup([&](const NumberSets& sets, NumberSets::Id holders, Bytes bytes, Bytes) {
    const std::size_t numbers = &sets == &linked_.sets ? size() : kept();
    std::uint32_t first = ~0u, last = 0, count = 0;
    for (const NumberSets::Run& run : sets.runs(holders))
      for (std::uint32_t p = run.from; p < run.to; ++p) {
        if (p >= numbers || placeOf[p] == ~0u) return;
        first = std::min(first, placeOf[p]);
        last = std::max(last, placeOf[p]);
        ++count;
      }
    if (count > 0 && last - first + 1 == count) all[{first, last}] += bytes;
  });
  if (series.points.front() >= kept())
    for (std::uint32_t i = 0; i < series.points.size(); ++i) all[{i, i}] += own_[series.points[i]];
  std::vector<PointSpan> spans;
  for (const auto& [at, bytes] : all)
    if (bytes > 0) spans.push_back({at.first, at.second, bytes});
  std::stable_sort(spans.begin(), spans.end(), [](const PointSpan& a, const PointSpan& b) {
    return a.last - a.first < b.last - b.first;
  });
  return spans;
}

PointLock PointModel::lockAround(const SurveyTree& tree, NodeId node) const {
  if (const auto above = aboveLocked_.find(node); above != aboveLocked_.end()) return above->second;
  for (NodeId up = node; up != 0; up = tree.parent(up))
    if (const auto locked = lockedAt_.find(up); locked != lockedAt_.end()) return locked->second;
  return PointLock::none;
}

std::optional<std::uint32_t> PointModel::memberAt(NodeId folder) const {
  for (std::uint32_t i = 0; i < folders_.size(); ++i)
    if (folders_[i].node == folder) return static_cast<std::uint32_t>(kept()) + i;
  return std::nullopt;
}

std::optional<std::uint32_t> PointModel::find(std::uint64_t id, TimeNs taken) const {
  for (std::uint32_t i = 0; i < kept(); ++i)
    if (holdings_->points[i].id == id && holdings_->points[i].taken == taken) return i;
  return std::nullopt;
}

}  // namespace zt
