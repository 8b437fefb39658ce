// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/detect/detectors.h"

namespace zt {

namespace {

/// Snapshots, a find a series: all that may go, without the newest and what is locked.
class PointsDetector final : public Detector {
public:
  std::string_view id() const override { return "points"; }
  Result<void> detect(const DetectInput& input, const FindSink& sink,
                      const std::stop_token& stop) const override {
    const FindContext& c = *input.context;
    for (const PointSeries& series : c.points.series()) {
      if (stop.stop_requested()) break;
      if (series.linked || series.walked) continue;  // a find of old copies; files like others
      if (!give(c, series, false, sink) || !give(c, series, true, sink)) break;
    }
    return {};
  }

private:
  /// Those of a series that may go, `writable`: that somebody could have gone on in, and nobody has.
  static bool give(const FindContext& c, const PointSeries& series, bool writable, const FindSink& sink) {
    Find find;
    find.kind = "points";
    find.likelihood = 60;
    std::uint64_t locked = 0;
    TimeNs stays = 0;
    bool foreign = false;
    bool received = false;
    for (const std::uint32_t p : series.points) {
      const PointLock lock = c.points.lock(p);
      const bool open = lock == PointLock::none || lock == PointLock::foreign;
      const bool byHand = lock == PointLock::none && !c.points.mayGoByRule(p);
      if (open && byHand != writable) continue;
      received = received || !c.points[p].receivedUuid.empty();
      foreign = foreign || lock == PointLock::foreign;
      if (open)
        find.items.push_back(c.pointSubject(p));
      else
        ++locked, stays = c.points[p].taken;  // of the last in the series
    }
    if (find.items.empty()) return true;
    find.place = series.place;
    find.standing = find.judged = Standing::ownersCall;
    // What came from another drive may be the only copy of what lies in it, and what can be gone on in may be
    // what something works from: a person's to decide.
    find.regret = received || writable ? Regret::personalGone : Regret::wayBack;
    find.offers = {{foreign ? "advise" : "drop", {}, {}, {}}};
    c.weigh(find);
    find.facts.push_back({"points-stay", locked});
    if (!c.points.exact(series)) find.facts.push_back({"bytes-not-known", std::uint64_t{1}});
    if (writable) find.facts.push_back({"writable-unchanged", static_cast<std::uint64_t>(find.items.size())});
    find.facts.push_back({"newest-stays", static_cast<std::uint64_t>(std::max<TimeNs>(0, stays))});
    find.id = FindContext::findId(find.kind, (writable ? "writable " : "") + series.origin, AgeBand::today);
    find.band = ageBand(find.newest, c.options.now);
    return sink(std::move(find));
  }
};

}  // namespace

std::shared_ptr<const Detector> pointsDetector() {
  return std::make_shared<PointsDetector>();
}

}  // namespace zt
