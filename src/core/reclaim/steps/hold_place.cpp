// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/steps/hold_place.h"

#include <unistd.h>

#include <algorithm>

#include "core/os/copy_facts.h"
#include "core/os/snapshots.h"
#include "core/reclaim/held_things.h"

namespace zt {

namespace {
/// The folders from the root down to the item's parent: "", "a", "a/b".
std::vector<PathBytes> foldersAbove(std::string_view path) {
  std::vector<PathBytes> all{PathBytes{}};
  const auto parts = splitPath(parentPath(path));
  for (const auto part : parts) all.push_back(joinPath(all.back(), part));
  return all;
}
}  // namespace

/// Not in one that would not be believed later (`checkClaim`): a third one's.
Result<void> HoldPlace::makeHoldIn(const FolderPtr& base, std::uint32_t placeOwner) {
  std::vector<std::pair<FolderPtr, PathBytes>> fresh;
  const auto ensure = [&](const FolderPtr& at, std::string_view name) -> Result<FolderPtr> {
    const auto made = drive_.files->makeFolder(*at, name, 0700);
    if (!made && made.error().code != Errc::taken) return tl::unexpected(made.error());
    if (made) fresh.emplace_back(at, name);
    return drive_.files->openFolder(*at, name);
  };
  const auto above = drive_.files->stat(*base, {});
  FolderPtr at = base;
  int open = 0;  // to others than us
  for (const PathBytes& name : {PathBytes(holdName), drive_.job, runFolderName(run_)}) {
    auto next = ensure(at, name);
    if (!next) {
      // Half a hold is none, and takes a block where there is hardly one.
      for (; !fresh.empty(); fresh.pop_back())
        (void)drive_.files->removeFolder(*fresh.back().first, fresh.back().second);
      return tl::unexpected(next.error());
    }
    at = std::move(*next);
    const auto mine = drive_.files->stat(*at, {});
    if (!mine || !above || mine->mountId != above->mountId) return fail(Errc::otherDevice, "hold", name);
    if (mine->owner != 0 && mine->owner != ::geteuid() && mine->owner != placeOwner)
      return fail(Errc::notPermitted, "hold", name);
    open += (mine->mode & 022u) != 0 ? 1 : 0;
  }
  // A file system without modes shows every folder alike, whatever was asked for: then all of them are as
  // open as the drive itself, and nobody can do more in the hold than beside it. Where modes are kept the
  // folder of the job was made for us alone, so that a hold that somebody else prepared is told by being open
  // itself.
  const bool noModes = open == 3 && (above->mode & 022u) != 0;
  if (open > 0 && !noModes) return fail(Errc::notPermitted, "hold", PathBytes(holdName));  // not ours alone
  return {};
}

namespace {
/// Whether a subvolume is mounted by now, or what starts; by its number. What cannot be asked is.
bool isUsed(const GuardedDrive& drive, std::uint64_t id) {
  if (!drive.snapshots) return true;
  const auto all = drive.snapshots->list(drive.mountTarget);
  if (!all) return true;
  return std::any_of(all->begin(), all->end(),
                     [&](const Subvolume& s) { return s.id == id && (s.mounted || s.isDefault); });
}
}  // namespace

Result<void> HoldPlace::choose(JournalRecord& record) {
  const auto now = look(drive_, record.path);
  if (!now) return tl::unexpected(now.error());
  record.device = now->stat.device;
  // The top of a subvolume has a number of its own; its name lies in the one around it, and moves there.
  const auto around = drive_.files->stat(*now->parent, {});
  if (!around) return tl::unexpected(around.error());
  if (around->device != record.device) {
    const auto state = drive_.context->points.memberAt(drive_.nodeAt(record.path));
    if (!state || isUsed(drive_, drive_.context->points[*state].id))
      return fail(Errc::otherDevice, "hold", record.path);
  }
  Error last{Errc::otherDevice, "hold", record.path, 0, {}};
  for (const PathBytes& folder : foldersAbove(record.path)) {
    const auto base = drive_.files->openBeneath(*drive_.root, folder);
    if (!base) return tl::unexpected(base.error());
    const auto stat = drive_.files->stat(**base, {});
    if (!stat || stat->device != around->device) continue;
    if (const auto made = makeHoldIn(*base, around->owner); !made) {
      last = made.error();
      if (last.code == Errc::noSpace) break;
      continue;
    }
    record.holdFolder = holdFolderPath(folder, drive_.job, run_);
    return {};
  }
  last.path = record.path;
  return tl::unexpected(last);
}

Result<void> HoldPlace::chooseOrStay(JournalRecord& record) {
  auto chosen = choose(record);
  if (chosen || chosen.error().code != Errc::noSpace) return chosen;
  record.payload = inPlace;
  return {};
}

Result<void> HoldPlace::writeDown(std::span<JournalRecord> records) {
  Result<void> first;
  for (std::size_t from = 0; from < records.size();) {
    std::size_t to = from;
    std::string lines;
    for (; to < records.size() && records[to].holdFolder == records[from].holdFolder; ++to)
      if (records[to].state == ItemState::intended) lines += heldLine(records[to]);
    const PathBytes jobFolder(parentPath(records[from].holdFolder));
    from = to;
    if (lines.empty() || jobFolder.empty()) continue;
    const auto folder = drive_.files->openBeneath(*drive_.root, jobFolder);
    const auto written = folder ? drive_.files->appendFile(**folder, heldListName(run_), lines)
                                : Result<void>(tl::unexpected(folder.error()));
    if (!written && first) first = written;
  }
  return first;
}

NodeId HoldPlace::nodeOf(const JournalRecord& record) const {
  for (const PathBytes& path : {record.path, joinPath(record.holdFolder, nameInHold(record))})
    if (const NodeId node = drive_.nodeAt(path);
        node != noNode && drive_.tree().inode(node) == record.identity.inode)
      return node;
  return noNode;
}

Result<FolderPtr> HoldPlace::openHold(const JournalRecord& record) const {
  const bool stays = record.staysInPlace();
  return drive_.files->openBeneath(*drive_.root,
                                   stays ? parentPath(record.path) : std::string_view(record.holdFolder));
}

Result<Looked> HoldPlace::stillMeasured(const JournalRecord& record, const Holders& holders) {
  auto now = look(drive_, record.path);
  if (!now) return now;
  const auto rootStat = drive_.files->stat(*drive_.root, {});
  if (!rootStat || rootStat->mountId != now->stat.mountId)
    return fail(Errc::otherDevice, "take", record.path);
  Identity found = identityOf(now->stat);
  if (found.kind == EntryKind::folder) found.length = record.identity.length;
  // Letting another name of the inode go has set its change time anew.
  if (drive_.touched->unchanged(now->stat, record.identity)) found.changedMark = record.identity.changedMark;
  if (found != record.identity) return fail(Errc::changed, "take", record.path);
  if (const auto* holder = holders.holderOf(now->stat.device, now->stat.inode))
    return fail(Errc::inUse, "take", record.path, *holder);
  return now;
}

Result<void> HoldPlace::take(JournalRecord& record, const Holders& holders) {
  const auto now = stillMeasured(record, holders);
  if (!now) return tl::unexpected(now.error());
  if (record.staysInPlace()) return {};
  const auto hold = openHold(record);
  if (!hold) return tl::unexpected(hold.error());
  auto moved = drive_.files->rename(*now->parent, baseName(record.path), **hold, nameInHold(record));
  if (!moved) return fail(moved.error().code, "take", record.path);
  if (now->stat.links > 1 && now->stat.kind == EntryKind::file)
    if (const auto taken = drive_.files->stat(**hold, nameInHold(record)))
      drive_.touched->note(*taken, taken->changed);
  return {};
}

Result<void> HoldPlace::lookAt(const JournalRecord& record, const Holders& holders) {
  if (auto same = lookAtItself(record, holders); !same) return same;
  const NodeId node = nodeOf(record);
  if (!drive_.copies || node == noNode) return {};
  const auto hold = openHold(record);
  if (!hold) return tl::unexpected(hold.error());
  return drive_.copies->checkTaken(drive_, node, **hold, nameInHold(record), drive_.stop);
}

Result<void> HoldPlace::lookAtItself(const JournalRecord& record, const Holders& holders) {
  const auto hold = openHold(record);
  if (!hold) return tl::unexpected(hold.error());
  const auto stat = drive_.files->stat(**hold, nameInHold(record));
  if (!stat) return tl::unexpected(stat.error());
  if (!sameContent(identityOf(*stat), record.identity)) return fail(Errc::changed, "look", record.path);
  if (const auto* holder = holders.holderOf(stat->device, stat->inode))
    return fail(Errc::inUse, "look", record.path, *holder);
  if (stat->kind != EntryKind::folder) return {};
  const NodeId node = nodeOf(record);
  if (node == noNode) return fail(Errc::changed, "look", record.path);
  return checkContent(drive_, **hold, nameInHold(record), node, holders);
}

Result<bool> HoldPlace::holds(const JournalRecord& record) {
  const auto hold = openHold(record);
  if (!hold && hold.error().code == Errc::notThere) return false;
  if (!hold) return tl::unexpected(hold.error());
  const auto stat = drive_.files->stat(**hold, nameInHold(record));
  if (!stat && stat.error().code == Errc::notThere) return false;
  if (!stat) return tl::unexpected(stat.error());
  const bool folder = record.identity.kind == EntryKind::folder;
  return folder ? stat->inode == record.identity.inode : sameContent(identityOf(*stat), record.identity);
}

Result<OpenedFilePtr> HoldPlace::openHeld(const JournalRecord& record) const {
  const auto hold = openHold(record);
  if (!hold) return tl::unexpected(hold.error());
  return drive_.files->openFile(**hold, nameInHold(record));
}

Result<FolderPtr> HoldPlace::openOrMakeParent(const PathBytes& path) {
  auto at = openOrMake(*drive_.files, drive_.root, parentPath(path), 0700);
  if (!at) return at;
  const auto root = drive_.files->stat(*drive_.root, {});
  const auto here = drive_.files->stat(**at, {});
  if (!root || !here || root->mountId != here->mountId) return fail(Errc::otherDevice, "put-back", path);
  return at;
}

PathBytes HoldPlace::besideName(std::string_view name, int attempt) {
  const std::string suffix = ".put-back-" + std::to_string(attempt);
  return PathBytes(name.substr(0, 255 - suffix.size())) + suffix;
}

Result<void> HoldPlace::putBack(JournalRecord& record) {
  if (record.staysInPlace()) return {};  // it never went
  const auto hold = openHold(record);
  if (!hold) return tl::unexpected(hold.error());
  return putBackOut(record, **hold, nameInHold(record));
}

Result<void> HoldPlace::putBackFrom(JournalRecord& record, const PathBytes& from) {
  const auto folder = drive_.files->openBeneath(*drive_.root, parentPath(from));
  if (!folder) return tl::unexpected(folder.error());
  return putBackOut(record, **folder, baseName(from));
}

Result<void> HoldPlace::putBackOut(JournalRecord& record, const Folder& from, std::string_view held) {
  const auto parent = openOrMakeParent(record.path);
  if (!parent) return tl::unexpected(parent.error());
  const PathBytes name(baseName(record.path));
  record.putAt.clear();
  for (int attempt = 0; attempt < 1000; ++attempt) {
    const PathBytes beside = attempt == 0 ? name : besideName(name, attempt);
    const auto moved = drive_.files->rename(from, held, **parent, beside);
    if (moved) {
      if (const auto back = drive_.files->stat(**parent, beside); back && back->links > 1)
        drive_.touched->note(*back, back->changed);
      if (attempt > 0) record.putAt = joinPath(parentPath(record.path), beside);
      (void)drive_.files->syncFolder(**parent);
      return {};
    }
    if (moved.error().code != Errc::taken) return fail(moved.error().code, "put-back", record.path);
  }
  return fail(Errc::taken, "put-back", record.path);
}

Result<void> HoldPlace::unlinkHeld(JournalRecord& record) {
  const auto hold = openHold(record);
  if (!hold) return tl::unexpected(hold.error());
  const auto stat = drive_.files->stat(**hold, nameInHold(record));
  if (!stat) return tl::unexpected(stat.error());
  if (stat->inode != record.identity.inode) return fail(Errc::changed, "discard", record.path);
  if (stat->kind == EntryKind::folder) {
    const NodeId node = nodeOf(record);
    if (node == noNode) return fail(Errc::changed, "discard", record.path);
    return unlinkTree(drive_, **hold, nameInHold(record), node, record);
  }
  if (!sameContent(identityOf(*stat), record.identity)) return fail(Errc::changed, "discard", record.path);
  if (auto done = unlinkOne(drive_, **hold, nameInHold(record), *stat); !done) return done;
  countUnlinked(record, drive_.tree(), nodeOf(record), *stat);
  return {};
}

bool HoldPlace::atOldPlace(JournalRecord& record) {
  const auto stands = [&](const PathBytes& path) {
    const auto now = look(drive_, path);
    return now && now->stat.inode == record.identity.inode;
  };
  if (stands(record.path)) return record.putAt.clear(), true;
  for (int attempt = 1; attempt < 1000; ++attempt) {
    const PathBytes beside = joinPath(parentPath(record.path), besideName(baseName(record.path), attempt));
    const auto now = look(drive_, beside);
    if (!now) return false;
    if (now->stat.inode == record.identity.inode) return record.putAt = beside, true;
  }
  return false;
}

void HoldPlace::tidy(const JournalRecord& record) {
  if (record.holdFolder.empty()) return;
  const PathBytes jobFolder(parentPath(record.holdFolder));
  const auto job = drive_.files->openBeneath(*drive_.root, jobFolder);
  if (!job || !drive_.files->removeFolder(**job, baseName(record.holdFolder))) return;
  const bool ours = baseName(jobFolder) != holdName;  // runs of the first version lay in the hold itself
  if (ours) (void)drive_.files->unlink(**job, heldListName(record.run));
  PathBytes at = jobFolder;
  for (int levels = ours ? 2 : 1; levels > 0; --levels, at = PathBytes(parentPath(at))) {
    const auto above = drive_.files->openBeneath(*drive_.root, parentPath(at));
    if (!above || !drive_.files->removeFolder(**above, baseName(at))) return;
  }
}

}  // namespace zt
