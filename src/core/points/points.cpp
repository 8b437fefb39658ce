// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/points/points.h"

#include <algorithm>
#include <array>
#include <map>

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

PointModel::PointModel(const Survey& survey) : holdings_(survey.holdings) {
  if (!holdings_) return;
  findSeries();
  findLocks();
  findOwn();
}

/// What was received has no origin here: it belongs to the others that came to the same folder.
void PointModel::findSeries() {
  std::map<std::string, std::vector<std::uint32_t>> all;
  const auto& points = holdings_->points;
  for (std::uint32_t i = 0; i < points.size(); ++i) {
    const Point& p = points[i];
    const bool received = !p.receivedUuid.empty() || p.originUuid.empty();
    all[received ? "in " + std::string(parentPath(p.path)) : p.originUuid].push_back(i);
  }
  seriesOf_.resize(points.size());
  for (auto& [origin, members] : all) {
    std::sort(members.begin(), members.end(), [&](std::uint32_t a, std::uint32_t b) {
      return std::pair(points[a].taken, points[a].id) < std::pair(points[b].taken, points[b].id);
    });
    for (const std::uint32_t i : members) seriesOf_[i] = static_cast<std::uint32_t>(series_.size());
    series_.push_back({origin, placeOf(points, members), std::move(members)});
  }
}

void PointModel::findLocks() {
  locks_.assign(holdings_->points.size(), PointLock::none);
  for (std::size_t i = 0; i < locks_.size(); ++i) {
    const Point& p = holdings_->points[i];
    locks_[i] = p.mounted       ? PointLock::mounted
                : p.isDefault   ? PointLock::isDefault
                : p.holdsOthers ? PointLock::holdsOthers
                : !p.readOnly   ? PointLock::writable
                : p.foreign     ? PointLock::foreign
                                : PointLock::none;
  }
  for (const PointSeries& s : series_)
    if (PointLock& lock = locks_[s.points.back()]; lock == PointLock::none || lock == PointLock::foreign)
      lock = PointLock::newest;
}

void PointModel::findOwn() {
  own_.assign(holdings_->points.size(), 0);
  for (const Holdings::Outside& o : holdings_->outside) {
    const auto runs = holdings_->sets.runs(o.holders);
    if (runs.size() == 1 && runs[0].to == runs[0].from + 1 && runs[0].from < own_.size())
      own_[runs[0].from] += o.bytes;
  }
}

PointSum PointModel::of(const GainModel::Points& chosen) const {
  PointSum sum{0, 0, exact()};
  if (!holdings_) return sum;
  const NumberSets::Chosen all(chosen);
  for (const Holdings::Outside& o : holdings_->outside) {
    if (!all.all(holdings_->sets, o.holders)) continue;
    sum.frees += o.bytes;
    sum.records += o.records;
  }
  return sum;
}

std::vector<PointSpan> PointModel::spans(const PointSeries& series) const {
  std::vector<std::uint32_t> placeOf(size(), ~0u);
  for (std::uint32_t i = 0; i < series.points.size(); ++i) placeOf[series.points[i]] = i;
  std::map<std::pair<std::uint32_t, std::uint32_t>, Bytes> all;
  for (const Holdings::Outside& o : holdings_->outside) {
    std::uint32_t first = ~0u, last = 0, count = 0;
    bool here = true;
    for (const NumberSets::Run& run : holdings_->sets.runs(o.holders))
      for (std::uint32_t p = run.from; p < run.to && here; ++p) {
        here = p < placeOf.size() && placeOf[p] != ~0u;
        if (!here) break;
        first = std::min(first, placeOf[p]);
        last = std::max(last, placeOf[p]);
        ++count;
      }
    if (here && count > 0 && last - first + 1 == count) all[{first, last}] += o.bytes;
  }
  std::vector<PointSpan> spans;
  for (const auto& [at, bytes] : all)
    if (bytes > 0) spans.push_back({at.first, at.second, bytes});
  std::stable_sort(spans.begin(), spans.end(), [](const PointSpan& a, const PointSpan& b) {
    return a.last - a.first < b.last - b.first;
  });
  return spans;
}

std::optional<std::uint32_t> PointModel::find(std::uint64_t id, TimeNs taken) const {
  for (std::uint32_t i = 0; i < size(); ++i)
    if (holdings_->points[i].id == id && holdings_->points[i].taken == taken) return i;
  return std::nullopt;
}

}  // namespace zt
