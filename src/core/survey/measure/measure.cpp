// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/measure/measure.h"

#include <algorithm>
#include <future>
#include <thread>

#include "core/base/apart.h"
#include "core/survey/measure/point_words.h"
#include "core/survey/measure/shared_extents.h"
#include "core/survey/measure/statement_lines.h"
#include "core/survey/measure/stored_files.h"
#include "core/survey/measure/stored_holdings.h"

namespace zt {

namespace {

std::shared_ptr<Survey> newSurvey(const Drive& drive, const PathBytes& path, const Clock& clock) {
  auto survey = std::make_shared<Survey>();
  survey->root = path;
  survey->mountTarget = drive.target;
  survey->wholeDrive = path == drive.target && drive.wholeMount;
  survey->driveId = drive.id;
  survey->fsType = drive.fsType;
  survey->standIn = drive.standIn;
  survey->started = clock.now();
  return survey;
}

/// The files of the drive with what is stored for each and whether others may hold it too: out of the file
/// system's own trees where they can be read, else by asking file by file where files can share.
struct SeenFiles {
  FileSystemPtr files;
  std::shared_ptr<StoredFiles> stored;   ///< nullptr where block counts can be believed, or nothing is known
  std::shared_ptr<SharedExtents> asked;  ///< nullptr unless who holds what is known from asking file by file
};

SeenFiles seenFiles(const MeasurePorts& ports, const Drive& drive, const std::stop_token& stop) {
  if (ports.declared) return {ports.files, nullptr, nullptr};
  if (auto sizes = ports.insides->storedSizes(drive.fsType, drive.target, stop)) {
    auto stored = std::make_shared<StoredFiles>(ports.files, ports.insides, std::move(*sizes));
    return {stored, stored, nullptr};
  }
  const BlockSharing sharing = blockSharing(drive.fsType);
  if (sharing == BlockSharing::never) return {ports.files, nullptr, nullptr};
  const auto asked = std::make_shared<SharedExtents>(ports.files, sharing, drive.usage.block);
  const auto visible = ports.insides->visible(drive.fsType, drive.target);
  if (!visible || visible->empty()) return {asked, nullptr, asked};
  StoredSizes names;
  names.namesOnly = true;
  for (const Subvolume& s : *visible) names.trees.push_back({s, 0});
  const auto named = std::make_shared<StoredFiles>(asked, ports.insides, std::move(names));
  return {named, named, nullptr};
}

/// What files are stored in, where what is less lies among the file system's own records, although it is
/// counted as occupied: inline data of ext4, resident files of NTFS.
Bytes blockOf(const Drive& drive, const MeasurePorts& ports, Bytes block) {
  static constexpr std::string_view types[] = {"ext2", "ext3", "ext4", "ntfs", "ntfs3", "fuseblk"};
  const bool inRecords = std::find(std::begin(types), std::end(types), drive.fsType) != std::end(types);
  return inRecords && !ports.declared ? block : 0;
}

/// What has not reached the device yet has no place there: it is in no tree, no list of extents and no
/// counter.
void writeOut(const MeasurePorts& ports, const Drive& drive, const Folder& root) {
  const bool later = drive.fsType == "btrfs" || drive.fsType == "xfs" || drive.fsType == "ext4";
  if (later && !drive.readOnly && !ports.declared) (void)ports.files->syncAll(root);
}

/// Whether the path still leads to what was walked. A drive can be unmounted under a walk, which goes on
/// through its handles; what is asked by path then is another drive.
bool stillThere(const MeasurePorts& ports, const PathBytes& path, const Folder& root) {
  const auto now = ports.files->openRoot(path);
  if (!now) return false;
  const auto a = ports.files->stat(root, {});
  const auto b = ports.files->stat(**now, {});
  return a && b && a->inode == b->inode && a->device == b->device && a->mountId == b->mountId;
}

/// The counters, asked on a thread of its own that is left behind if they do not come.
std::optional<Result<SpaceUsage>> usageWithin(const MeasurePorts& ports, const FolderPtr& root,
                                              const WalkOptions& options, const std::stop_token& stop) {
  auto answer = askApart([files = ports.files, root] { return files->usage(*root); });
  return answerWithin(answer, options.patience, stop);
}

/// Who holds what, if more than one can. `before`: what was known of the files that were not walked again.
void findHolders(Survey& survey, const SeenFiles& seen, const Folder& root, const Holdings* before,
                 bool allSeen) {
  if (seen.stored)
    survey.holdings =
        withWords(seen.stored->holdings(survey.tree, survey.usage.used()), survey.tree, *seen.files, root);
  if (seen.asked) survey.holdings = seen.asked->holdings(survey.tree, before, allSeen);
}

/// Whether there is no file but those that were walked: none beneath a mount or in a closed folder, and none
/// that is deleted and still open.
bool sawAll(const Survey& survey) {
  const Statement& s = survey.statement;
  const bool asked = s.source(StatementLine::openDeleted) == LineSource::openFiles &&
                     s[StatementLine::openDeleted] == 0 &&
                     std::none_of(s.parts.begin(), s.parts.end(),
                                  [](const StatementPart& p) { return p.id == "programs-not-seen"; });
  return asked && survey.wholeDrive && !survey.partial && survey.exceptions.empty();
}

/// The counters, and every line of the statement. `before` are the counters from before the walk, for a drive
/// that does not answer any more.
Result<void> settleAll(Survey& survey, const MeasurePorts& ports, const Drive& drive, const FolderPtr& root,
                       const SpaceUsage& before, const SeenFiles& seen, const Holdings* held,
                       const WalkOptions& options, const std::stop_token& stop) {
  const std::optional<Result<SpaceUsage>> usage =
      survey.leftUnanswered() ? usageWithin(ports, root, options, stop) : ports.files->usage(*root);
  if (usage && !*usage) return tl::unexpected(usage->error());
  survey.usage = usage ? **usage : before;
  const SignedBytes grown =
      static_cast<SignedBytes>(survey.usage.used()) - static_cast<SignedBytes>(before.used());
  const bool there = usage && stillThere(ports, survey.root, *root);
  if (!usage) survey.partial = true;
  if (usage && !there) {
    survey.partial = true;
    survey.exceptions.push_back({SurveyException::Kind::swapped, 0, 0});
  }
  if (ports.declared && ports.declared->holdings) survey.holdings = ports.declared->holdings(survey.tree);
  findHolders(survey, seen, *root, held, true);
  settle(survey, ports, drive, Walked{there, grown, seen.stored.get()}, stop);
  if (seen.asked && !sawAll(survey)) findHolders(survey, seen, *root, held, false);
  return {};
}

}  // namespace

Result<SurveyPtr> measure(const MeasurePorts& ports, const Drive& drive, const PathBytes& path,
                          WalkOptions options, std::stop_token stop, ProgressSink* progress) {
  auto root = ports.files->openToRead(path);
  if (!root) return tl::unexpected(root.error());
  writeOut(ports, drive, **root);
  const auto before = ports.files->usage(**root);
  if (!before) return tl::unexpected(before.error());
  auto survey = newSurvey(drive, path, *ports.clock);
  options.expectedBytes = survey->wholeDrive ? before->used() : 0;
  options.now = survey->started;
  options.block = blockOf(drive, ports, before->block);
  const auto seen = seenFiles(ports, drive, stop);
  if (seen.stored) (void)seen.stored->stat(**root, {});
  if (const auto walked = walk(seen.files, *root, options, stop, progress, survey); !walked)
    return tl::unexpected(walked.error());
  if (const auto settled = settleAll(*survey, ports, drive, *root, *before, seen, nullptr, options, stop);
      !settled)
    return tl::unexpected(settled.error());
  survey->finished = std::max(ports.clock->now(), survey->started);
  return SurveyPtr(std::move(survey));
}

namespace {

/// The exceptions of both, by the numbers of the new tree.
void mergeExceptions(Survey& to, const Survey& before, NodeId folder, const Survey& fresh,
                     const std::vector<NodeId>& numbers) {
  for (const auto& e : before.exceptions)
    if (!to.tree.isGone(e.node) && e.node != folder) to.exceptions.push_back(e);
  for (auto e : fresh.exceptions) {
    e.node = numbers[e.node];
    to.exceptions.push_back(e);
  }
}

/// The earlier walk saw other subvolumes too, and they are still part of the survey: their tops, which all
/// have the same number, tell which they are.
void learnSubvolumes(const MeasurePorts& ports, const Folder& root, const SurveyTree& tree, NodeId except,
                     StoredFiles& stored) {
  (void)stored.stat(root, {});
  for (NodeId id = 1; id < tree.size(); ++id) {
    if (tree.isGone(id) || !tree.isFolder(id) || tree.inode(id) != subvolumeTopInode) continue;
    if (tree.isBeneath(id, except) && id != except) continue;
    if (const auto top = ports.files->openBeneath(root, tree.path(id))) (void)stored.stat(**top, {});
  }
}

}  // namespace

Result<SurveyPtr> measureAgain(const MeasurePorts& ports, const Drive& drive, const SurveyPtr& before,
                               NodeId folder, WalkOptions options, std::stop_token stop,
                               ProgressSink* progress) {
  auto root = ports.files->openToRead(before->root);
  if (!root) return tl::unexpected(root.error());
  const auto at = ports.files->openBeneath(**root, before->tree.path(folder));
  if (!at) return tl::unexpected(at.error());
  writeOut(ports, drive, **root);
  auto survey = newSurvey(drive, before->root, *ports.clock);
  const auto fresh = std::make_shared<Survey>();
  const auto seen = seenFiles(ports, drive, stop);
  if (seen.stored) learnSubvolumes(ports, **root, before->tree, folder, *seen.stored);
  options.now = survey->started;
  options.expectedBytes = before->tree.totals(folder).occupied;
  options.block = blockOf(drive, ports, drive.usage.block);
  if (const auto walked = walk(seen.files, *at, options, stop, progress, fresh); !walked)
    return tl::unexpected(walked.error());
  if (fresh->partial) return fail(Errc::cancelled, "measure", before->tree.path(folder));
  const auto numbers = survey->tree.graft(before->tree, folder, fresh->tree);
  if (!numbers) return tl::unexpected(numbers.error());
  mergeExceptions(*survey, *before, folder, *fresh, *numbers);
  survey->partial = before->partial;
  survey->vanished = before->vanished + fresh->vanished;
  survey->timesAtRisk = before->timesAtRisk + fresh->timesAtRisk;
  if (const auto settled =
          settleAll(*survey, ports, drive, *root, before->usage, seen, before->holdings.get(), options, stop);
      !settled)
    return tl::unexpected(settled.error());
  survey->finished = std::max(ports.clock->now(), before->finished);
  return SurveyPtr(std::move(survey));
}

}  // namespace zt
