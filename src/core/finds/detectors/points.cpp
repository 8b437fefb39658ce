// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finds/detectors/detectors.h"

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
      if (series.linked) continue;  // a find of old copies
      Find find;
      find.kind = "points";
      find.likelihood = 60;
      std::uint64_t locked = 0;
      TimeNs stays = 0;
      bool foreign = false;
      bool received = false;
      for (const std::uint32_t p : series.points) {
        const PointLock lock = c.points.lock(p);
        received = received || !c.points[p].receivedUuid.empty();
        foreign = foreign || lock == PointLock::foreign;
        if (lock == PointLock::none || lock == PointLock::foreign)
          find.items.push_back(c.pointSubject(p));
        else
          ++locked, stays = c.points[p].taken;  // of the last in the series
      }
      if (find.items.empty()) continue;
      find.place = series.place;
      find.standing = find.judged = Standing::ownersCall;
      // What came from another drive may be the only copy of what lies in it: a person's to decide.
      find.regret = received ? Regret::personalGone : Regret::wayBack;
      find.offers = {{foreign ? "advise" : "drop", {}, {}, {}}};
      c.weigh(find);
      find.facts.push_back({"points-stay", locked});
      if (!c.points.exact(series)) find.facts.push_back({"bytes-not-known", std::uint64_t{1}});
      find.facts.push_back({"newest-stays", static_cast<std::uint64_t>(std::max<TimeNs>(0, stays))});
      find.id = FindContext::findId(find.kind, series.origin, AgeBand::today);
      find.band = ageBand(find.newest, c.options.now);
      if (!sink(std::move(find))) break;
    }
    return {};
  }
};

}  // namespace

std::shared_ptr<const Detector> pointsDetector() {
  return std::make_shared<PointsDetector>();
}

}  // namespace zt
