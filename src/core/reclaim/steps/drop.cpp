// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <chrono>
#include <thread>

#include "core/reclaim/step_executor.h"
#include "core/reclaim/steps/steps.h"

namespace zt {

namespace {

/// Lets snapshots go through their file system. Nothing can be taken back once `finish` has begun; until then
/// nothing is done.
class Drop final : public StepExecutor {
public:
  /// Letting points go may need rights of its own, asked for once and for these alone. Without them each of
  /// them fails by itself.
  std::shared_ptr<void> begin(const GuardedDrive& drive, std::string_view token,
                              std::span<const Subject> all) const override {
    if (drive.snapshots == nullptr || all.empty()) return nullptr;
    DropOrder order{std::string(token), {}};
    for (const Subject& item : all) order.points.emplace_back(item.identity.inode, item.identity.modified);
    (void)drive.snapshots->begin(drive.mountTarget, order);
    return {drive.snapshots.get(), [kept = drive.snapshots](Snapshots* port) { port->end(); }};
  }
  Result<void> check(StepSite& site, const JournalRecord& record) const override {
    const auto meant = find(site, record);
    if (!meant) return tl::unexpected(meant.error());
    if (!meant->isState() || (!meant->readOnly && meant->changed))
      return fail(Errc::changed, "drop", record.path);
    if (meant->mounted) return fail(Errc::inUse, "drop", record.path, "mounted");
    return {};
  }
  Result<void> prepare(StepSite& site, JournalRecord& record) const override { return check(site, record); }
  Result<void> apply(StepSite&, JournalRecord&) const override { return {}; }
  Result<void> verify(StepSite& site, JournalRecord& record) const override { return check(site, record); }
  bool finishes() const override { return true; }

  Result<void> finish(StepSite& site, JournalRecord& record) const override {
    const auto meant = find(site, record);
    if (!meant) return tl::unexpected(meant.error());
    if (auto gone = site.drive.snapshots->drop(site.drive.mountTarget, *meant); !gone) return gone;
    record.state = ItemState::gone;
    record.freed = record.promised;
    return {};
  }

  void awaitSpace(StepSite& site, std::span<JournalRecord> batch) const override {
    const bool any = std::any_of(batch.begin(), batch.end(),
                                 [](const JournalRecord& r) { return r.state == ItemState::gone; });
    if (!any || site.drive.snapshots == nullptr) return;
    using Clock = std::chrono::steady_clock;
    const auto apart = std::min(site.drive.patience, std::chrono::milliseconds(100));
    std::size_t left = ~std::size_t{0};
    for (auto since = Clock::now();
         Clock::now() - since < site.drive.patience && !site.stop.stop_requested();) {
      if (site.drive.alive) site.drive.alive();
      const auto now = site.drive.snapshots->cleaning(site.drive.mountTarget);
      if (!now || *now == 0) return;
      if (*now < left) left = *now, since = Clock::now();
      std::this_thread::sleep_for(apart);
    }
    for (JournalRecord& r : batch)
      if (r.state == ItemState::gone) r.detail = "cleaning";
  }

  /// Nothing was done before it was finished.
  Result<void> undo(StepSite&, JournalRecord& record) const override {
    if (record.state == ItemState::gone) return fail(Errc::unsupported, "undo", record.path);
    record.state = ItemState::returned;
    return {};
  }

  /// One that is still there is left alone, however far it had come.
  Result<void> recover(StepSite& site, JournalRecord& record) const override {
    const auto meant = find(site, record);
    const bool gone = !meant && meant.error().code == Errc::notThere;
    if (!meant && !gone) return tl::unexpected(meant.error());
    const bool begun = record.state == ItemState::discarding;
    record.state = !gone ? ItemState::returned : begun ? ItemState::gone : ItemState::missing;
    return {};
  }

private:
  /// The subvolume of now with the number and date that were measured. Fails with notThere, changed.
  static Result<Subvolume> find(StepSite& site, const JournalRecord& record) {
    if (site.drive.snapshots == nullptr) return fail(Errc::unsupported, "drop", record.path);
    const auto all = site.drive.snapshots->list(site.drive.mountTarget);
    if (!all) return tl::unexpected(all.error());
    const auto at = std::find_if(all->begin(), all->end(), [&](const Subvolume& s) {
      return s.id == record.identity.inode && !s.going;
    });
    if (at == all->end()) return fail(Errc::notThere, "drop", record.path);
    if (at->made != record.identity.modified || at->path != record.path)
      return fail(Errc::changed, "drop", record.path);
    return *at;
  }
};

}  // namespace

StepKind dropStep() {
  StepKind kind;
  kind.id = "drop";
  kind.label = "let go";
  kind.afterCleaning = true;
  kind.subjects = {SubjectKind::point};
  kind.executor = std::make_shared<Drop>();
  return kind;
}

}  // namespace zt
