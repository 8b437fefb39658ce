// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/steps/with_file_rights.h"

#include <algorithm>

#include "core/finds/hold_name.h"
#include "core/os/rights/changing_file_system.h"
#include "core/os/rights/file_rights.h"
#include "core/plan/plan_json.h"

namespace zt {

namespace {

/// The site of a thing that needs the rights; of any other the site itself.
class RightSite {
public:
  RightSite(StepSite& site, std::span<const JournalRecord> records)
      : site_(site), rightful_(site.drive.rightful) {
    if (!rightful_) return;
    const bool ordered = std::any_of(records.begin(), records.end(), [&](const JournalRecord& r) {
      return rightful_->things.contains(r.path);
    });
    if (ordered)
      with_.emplace(StepSite{rightful_->drive, site.run, site.holders, site.stop, site.others, site.went,
                             site.note, site.memory});
  }
  RightSite(StepSite& site, const JournalRecord& record) : RightSite(site, std::span(&record, 1)) {}
  StepSite& get() { return with_ ? *with_ : site_; }

private:
  StepSite& site_;
  std::shared_ptr<RightfulDrive> rightful_;
  std::optional<StepSite> with_;
};

class WithFileRights final : public StepExecutor {
public:
  explicit WithFileRights(std::shared_ptr<const StepExecutor> step) : step_(std::move(step)) {}

  Result<void> check(StepSite& site, const JournalRecord& record) const override {
    auto fits = step_->check(RightSite(site, record).get(), record);
    // What is closed to who works here is looked at when the rights are there.
    const bool later = !fits && fits.error().code == Errc::notPermitted && !site.drive.rightful &&
                       site.drive.fileRights && site.drive.fileRights->worthAsking() &&
                       needsRights(site.drive, record.path);
    return later ? Result<void>{} : fits;
  }
  Result<void> prepare(StepSite& site, JournalRecord& record) const override {
    return step_->prepare(RightSite(site, record).get(), record);
  }
  Result<void> announce(StepSite& site, std::span<JournalRecord> batch) const override {
    return step_->announce(RightSite(site, batch).get(), batch);
  }
  Result<void> apply(StepSite& site, JournalRecord& record) const override {
    return step_->apply(RightSite(site, record).get(), record);
  }
  void settleOnDevice(StepSite& site, std::span<const JournalRecord> batch) const override {
    step_->settleOnDevice(RightSite(site, batch).get(), batch);
  }
  Result<void> verify(StepSite& site, JournalRecord& record) const override {
    return step_->verify(RightSite(site, record).get(), record);
  }
  ItemState settled() const override { return step_->settled(); }
  bool finishes() const override { return step_->finishes(); }
  Result<void> finish(StepSite& site, JournalRecord& record) const override {
    return step_->finish(RightSite(site, record).get(), record);
  }
  void awaitSpace(StepSite& site, std::span<JournalRecord> batch) const override {
    step_->awaitSpace(site, batch);
  }
  Result<void> undo(StepSite& site, JournalRecord& record) const override {
    return step_->undo(RightSite(site, record).get(), record);
  }
  Result<void> release(StepSite& site, JournalRecord& record) const override {
    return step_->release(RightSite(site, record).get(), record);
  }
  Result<void> recover(StepSite& site, JournalRecord& record) const override {
    return step_->recover(RightSite(site, record).get(), record);
  }
  void tidy(StepSite& site, const JournalRecord& record) const override {
    step_->tidy(RightSite(site, record).get(), record);
  }

private:
  std::shared_ptr<const StepExecutor> step_;
};

}  // namespace

bool needsRights(const GuardedDrive& drive, const PathBytes& path) {
  const auto now = look(drive, path);
  // What cannot even be looked at is closed to who works here.
  if (!now) return now.error().code == Errc::notPermitted;
  const auto around = drive.files->stat(*now->parent, {});
  if (around && drive.fileRights->lacks(*around, now->stat)) return true;
  if (now->stat.kind != EntryKind::folder) return false;
  const SurveyTree& tree = drive.tree();
  const NodeId node = drive.nodeAt(path);
  std::vector<NodeId> waiting;
  if (node != noNode) waiting.push_back(node);
  while (!waiting.empty()) {
    const NodeId at = waiting.back();
    waiting.pop_back();
    if (!tree.isFolder(at)) continue;
    if (drive.fileRights->isOthers(tree.owner(at))) return true;
    const FolderTotals& t = tree.totals(at);
    for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id)
      waiting.push_back(id);
  }
  return false;
}

bool heldByOthers(const GuardedDrive& drive, const JournalRecord& record) {
  if (record.holdFolder.empty()) return false;
  const PathBytes hold(parentPath(parentPath(record.holdFolder)));
  if (baseName(hold) != holdName) return false;
  const auto now = look(drive, hold);
  return now && drive.fileRights->isOthers(now->stat.owner);
}

RightsThing fileThing(std::string_view may, const PathBytes& path, const Identity& identity) {
  return {std::string(may), path, toJson(identity).dump()};
}

std::shared_ptr<void> beginFiles(GuardedDrive& drive, const RightsOrder& order) {
  if (!drive.fileRights || order.things.empty()) return nullptr;
  auto changes = drive.fileRights->begin(drive.context->survey.root, order);
  if (!changes) return nullptr;
  const auto was = std::exchange(drive.openFiles, {*changes, &(*changes)->openFiles()});
  auto rightful = std::make_shared<RightfulDrive>(RightfulDrive{drive, {}, {}, *changes});
  rightful->drive.files =
      std::make_shared<ChangingFileSystem>(drive.files, *changes, drive.context->survey.root);
  for (const RightsThing& thing : order.things) {
    const bool taken = thing.action == mayTake || thing.action == mayGiveBack || thing.action == mayRelease;
    (taken ? rightful->things : rightful->whole).insert(thing.path);
  }
  drive.rightful = rightful;
  return {rightful.get(), [&drive, was](void*) {
            drive.rightful = nullptr;
            drive.openFiles = was;
          }};
}

std::shared_ptr<const StepExecutor> withFileRights(std::shared_ptr<const StepExecutor> step) {
  return std::make_shared<WithFileRights>(std::move(step));
}

}  // namespace zt
