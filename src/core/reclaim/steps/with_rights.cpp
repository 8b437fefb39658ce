// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/steps/with_rights.h"

#include "core/reclaim/told_record.h"

namespace zt {

namespace {

class WithRights final : public StepExecutor {
public:
  explicit WithRights(std::shared_ptr<const StepExecutor> step) : step_(std::move(step)) {}

  Result<void> check(StepSite& site, const JournalRecord& record) const override {
    return step_->check(site, record);
  }
  Result<void> prepare(StepSite& site, JournalRecord& record) const override {
    return phase("prepare", site, record);
  }
  Result<void> apply(StepSite& site, JournalRecord& record) const override {
    return phase("apply", site, record);
  }
  Result<void> verify(StepSite& site, JournalRecord& record) const override {
    return phase("verify", site, record);
  }
  ItemState settled() const override { return step_->settled(); }
  bool finishes() const override { return step_->finishes(); }
  Result<void> finish(StepSite& site, JournalRecord& record) const override {
    return phase("finish", site, record);
  }
  Result<void> undo(StepSite& site, JournalRecord& record) const override {
    return phase("undo", site, record);
  }
  Result<void> release(StepSite& site, JournalRecord& record) const override {
    return step_->release(site, record);
  }
  Result<void> recover(StepSite& site, JournalRecord& record) const override {
    return phase("recover", site, record);
  }

private:
  Result<void> phase(const char* phase, StepSite& site, JournalRecord& record) const {
    LiveRights* rights = site.drive.liveRights.get();
    if (rights == nullptr || !rights->begun()) return carryOutPhase(*step_, phase, site, record);
    auto told = rights->carryOut(phase, toTold(record).dump(), site.drive.alive);
    if (!told) return tl::unexpected(told.error());
    const Json json = parseJson(*told);
    JsonReader in(json);
    Result<JournalRecord> after = fail(Errc::corrupt, "helper");
    in.object("record", [&](JsonReader& r) { after = recordFromTold(r.json()); });
    if (!after) return tl::unexpected(after.error());
    // What it is stays as the journal has it; only what became of it is believed.
    record.state = after->state;
    record.payload = after->payload;
    record.freed = after->freed;
    if (!in.has("failed")) return in.ok() ? Result<void>{} : fail(Errc::corrupt, "helper");
    const auto code = in.choice<Errc>("failed", errorCodes);
    return fail(in.ok() ? code : Errc::corrupt, "helper", record.path, unescapePath(in.textOr("detail")));
  }

  std::shared_ptr<const StepExecutor> step_;
};

}  // namespace

RightsThing liveThing(const std::string& action, const PathBytes& path, const StepParameters& told) {
  return {action, path, toJson(told).dump()};
}

std::shared_ptr<void> beginLive(const GuardedDrive& drive, const RightsOrder& order) {
  const auto& rights = drive.liveRights;
  if (!rights || !rights->worthAsking() || order.things.empty()) return nullptr;
  (void)rights->begin(drive.context->survey.root, order);
  return {rights.get(), [rights](LiveRights*) { rights->end(); }};
}

std::shared_ptr<const StepExecutor> withRights(std::shared_ptr<const StepExecutor> step) {
  return std::make_shared<WithRights>(std::move(step));
}

Json toTold(const JournalRecord& record, const Result<void>& done) {
  Json told{{"record", toTold(record)}};
  if (!done) {
    told["failed"] = name(done.error().code);
    told["detail"] = escapePath(done.error().detail).substr(0, 1000);
  }
  return told;
}

Result<void> carryOutPhase(const StepExecutor& step, std::string_view phase, StepSite& site,
                           JournalRecord& record) {
  using Phase = Result<void> (StepExecutor::*)(StepSite&, JournalRecord&) const;
  static constexpr std::pair<std::string_view, Phase> phases[] = {
      {"prepare", &StepExecutor::prepare}, {"apply", &StepExecutor::apply},
      {"verify", &StepExecutor::verify},   {"finish", &StepExecutor::finish},
      {"undo", &StepExecutor::undo},       {"recover", &StepExecutor::recover}};
  for (const auto& [name, run] : phases)
    if (name == phase) return guardedly([&] { return (step.*run)(site, record); });
  return fail(Errc::unsupported, "phase", {}, std::string(phase));
}

}  // namespace zt
