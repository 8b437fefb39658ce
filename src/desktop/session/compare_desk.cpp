// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/compare_desk.h"

namespace zt::desktop {

void CompareDesk::compareWith(const PathBytes& file, std::function<void(const ComparedPtr&)> then) {
  auto compared = std::make_shared<Compared>();
  session_.post(
      Session::Work::opening,
      [compared, file, workshop = session_.workshop()](std::unique_ptr<Job>& job,
                                                       std::stop_token stop) -> Result<void> {
        if (!job || !job->surveys().survey()) return fail(Errc::notThere, "survey");
        const auto other = Job::open(workshop, file);
        if (!other) return tl::unexpected(other.error());
        compared->was = (*other)->surveys().survey();
        compared->is = job->surveys().survey();
        if (!compared->was) return fail(Errc::notThere, "survey", file);
        if (compared->was->finished > compared->is->finished) std::swap(compared->was, compared->is);
        auto done = compareSurveys(*compared->was, *compared->is, stop);
        if (!done) return tl::unexpected(done.error());
        compared->comparison = std::move(*done);
        return {};
      },
      [compared, then = std::move(then)] { then(compared); });
}

}  // namespace zt::desktop
