// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/drive_holds.h"

#include <algorithm>
#include <map>

#include "core/job/register.h"

namespace zt {

std::vector<HeldThing> heldOn(const Workshop& workshop, const Drive& drive,
                              const std::vector<PathBytes>& folders) {
  if (!drive.answers) return {};
  const auto root = workshop.files->openRoot(drive.target);
  if (!root) return {};
  return heldThings(*workshop.files, *root, folders, workshop.craft->steps);
}

Result<std::unique_ptr<DriveHolds>> DriveHolds::open(const Workshop& workshop, const PathBytes& path,
                                                     bool standIn) {
  auto site = standIn ? standInSite(workshop, path) : mountedSite(workshop, path);
  if (!site) return tl::unexpected(site.error());
  std::unique_ptr<DriveHolds> holds(new DriveHolds(workshop, std::move(*site)));
  if (auto looked = holds->look(); !looked) return tl::unexpected(looked.error());
  return holds;
}

Result<void> DriveHolds::look() {
  const Drive& drive = site_->drive();
  auto root = site_->files()->openRoot(drive.standIn ? site_->root() : drive.target);
  if (!root) return tl::unexpected(root.error());
  root_ = std::move(*root);
  auto folders = workshop_.visits ? workshop_.visits->holds(drive.id) : std::vector<PathBytes>{};
  // A hold lies where its owner could make one: in any folder above what it took.
  auto survey = std::make_shared<Survey>();
  if (walk(site_->files(), root_, {}, {}, nullptr, survey)) {
    const SurveyTree& tree = survey->tree;
    for (NodeId id = 1; id < tree.size(); ++id)
      if (tree.isFolder(id) && tree.name(id) == holdName) folders.push_back(tree.path(tree.parent(id)));
  }
  things_ = heldThings(*site_->files(), root_, folders, workshop_.craft->steps);
  return {};
}

std::vector<JournalRecord> DriveHolds::records(bool placed) const {
  std::vector<JournalRecord> all;
  const StepPtr usual = workshop_.craft->steps.settingAside();
  for (const HeldThing& thing : things_) {
    if (placed && thing.record.path.empty()) continue;
    all.push_back(thing.record);
    if (all.back().action.empty() && usual != nullptr) all.back().action = usual->id;
    if (all.back().path.empty())  // known by where it lies alone
      all.back().path = joinPath(thing.record.holdFolder, std::to_string(thing.record.seq));
  }
  return all;
}

/// The drive as a hold's own survey sees it. Of the rest nothing is known and nothing can be touched.
Result<GuardedDrive> DriveHolds::guardedAt(const PathBytes& hold) {
  const auto folder = site_->files()->openBeneath(*root_, hold);
  if (!folder) return tl::unexpected(folder.error());
  auto survey = std::make_shared<Survey>();
  if (auto walked = walk(site_->files(), *folder, {}, {}, nullptr, survey); !walked)
    return tl::unexpected(walked.error());
  survey->root = joinPath(site_->root(), hold);
  survey->finished = workshop_.clock->now();
  std::vector<SystemRoot> systems = site_->drive().systems;
  if (site_->drive().liveSystem)
    systems.push_back({{}, site_->drive().target.substr(1), SystemFamily::linuxFamily, true, false});
  // The places are asked by paths from the drive's top alone, for where things return to.
  auto context = std::make_shared<const FindContext>(survey, PlaceMap(std::move(systems), {}), FindOptions{});
  return GuardedDrive{site_->files(), site_->openFiles(), std::move(context), {}, root_, {}, hold};
}

Result<std::vector<JournalRecord>> DriveHolds::putBack(std::stop_token stop) {
  if (auto may = site_->mayChange(); !may) return tl::unexpected(may.error());
  auto journal = JobFile::create({});
  if (!journal) return tl::unexpected(journal.error());
  std::vector<JournalRecord> done;
  std::map<PathBytes, std::vector<JournalRecord>> byHold;
  for (JournalRecord& r : records(true)) byHold[r.holdFolder].push_back(std::move(r));
  for (auto& [hold, held] : byHold) {
    auto drive = guardedAt(hold);
    if (!drive) return tl::unexpected(drive.error());
    auto back = undoRun(std::move(*drive), workshop_.craft->steps, **journal, std::move(held), stop);
    if (!back) return back;
    std::move(back->begin(), back->end(), std::back_inserter(done));
  }
  (void)look();
  return done;
}

Consent DriveHolds::releaseConsent() const {
  return consentToRelease(records(false));
}

Result<std::vector<JournalRecord>> DriveHolds::release(std::string_view token, std::stop_token stop) {
  if (releaseConsent().token != token) return fail(Errc::noConsent, "release");
  if (auto may = site_->mayChange(); !may) return tl::unexpected(may.error());
  auto journal = JobFile::create({});
  if (!journal) return tl::unexpected(journal.error());
  std::vector<JournalRecord> done;
  std::map<PathBytes, std::vector<JournalRecord>> byHold;
  for (JournalRecord& r : records(false)) byHold[r.holdFolder].push_back(std::move(r));
  for (auto& [hold, held] : byHold) {
    auto drive = guardedAt(hold);
    if (!drive) return tl::unexpected(drive.error());
    auto gone = releaseRun(std::move(*drive), workshop_.craft->steps, **journal, std::move(held), stop);
    if (!gone) return gone;
    std::move(gone->begin(), gone->end(), std::back_inserter(done));
  }
  (void)look();
  return done;
}

}  // namespace zt
