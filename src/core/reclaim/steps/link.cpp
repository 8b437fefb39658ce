// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/match/file_content.h"
#include "core/reclaim/steps/steps.h"
#include "core/reclaim/steps/taking.h"
#include "core/reclaim/steps/with_step_rights.h"

namespace zt {

namespace {

/// What a copy would share with the file that stays: whose it is, and what others may do with it.
Result<void> checkOneFile(const GuardedDrive& drive, const Looked& copy, const Looked& keeper,
                          std::string_view copyName, std::string_view keeperName) {
  const auto differ = [](const char* what) { return fail(Errc::unmet, "link", {}, what); };
  if (copy.stat.device != keeper.stat.device) return fail(Errc::otherDevice, "link");
  if (copy.stat.owner != keeper.stat.owner || copy.stat.group != keeper.stat.group)
    return differ("another-owner");
  if (copy.stat.mode != keeper.stat.mode) return differ("other-rights");
  const auto one = drive.files->attributes(*copy.parent, copyName);
  const auto two = drive.files->attributes(*keeper.parent, keeperName);
  if (!one && one.error().code == Errc::unsupported) return {};
  if (!one || !two || *one != *two) return differ("other-attributes");
  for (const std::string& key : *one) {
    const auto a = drive.files->attribute(*copy.parent, copyName, key);
    const auto b = drive.files->attribute(*keeper.parent, keeperName, key);
    if (!a || !b || *a != *b) return differ("other-attributes");
  }
  return {};
}

/// The file that stays, and where it lies now.
struct Keeper {
  PathBytes path;
  Looked now;
};

Result<Keeper> keeperOf(const GuardedDrive& drive, const JournalRecord& record) {
  const NodeId node = drive.nodeAt(record.path);
  if (!drive.copies || node == noNode) return fail(Errc::lastCopy, "link", record.path);
  const auto keeper = drive.copies->keeperOf(drive, node);
  if (!keeper) return tl::unexpected(keeper.error());
  Keeper found{drive.tree().path(*keeper), {}};
  auto now = look(drive, found.path);
  if (!now) return tl::unexpected(now.error());
  found.now = std::move(*now);
  return found;
}

/// Whether a file was found equal, is not acted on by the plan, and may have another name: through that it
/// could be changed.
bool mayStay(const GuardedDrive& drive, const JournalRecord& record, const PathBytes& keeper) {
  const NodeId node = drive.nodeAt(record.path), other = drive.nodeAt(keeper);
  if (!drive.copies || node == noNode || other == noNode) return false;
  const auto all = drive.copies->keepersOnPaper(node);
  return std::find(all.begin(), all.end(), other) != all.end() && !drive.context->locked(keeper) &&
         !drive.marks.locks(keeper);
}

/// Whether a name stands for a certain file now.
bool standsFor(const GuardedDrive& drive, const PathBytes& path, std::uint64_t inode) {
  const auto now = look(drive, path);
  return now && now->stat.inode == inode;
}

/// A copy is taken into the hold, compared there with the file that stays, which gets the copy's name, too;
/// then the copy goes.
class Link final : public TakingExecutor {
public:
  Result<void> check(StepSite& site, const JournalRecord& record) const override {
    if (auto fits = TakingExecutor::check(site, record); !fits) return fits;
    const auto keeper = keeperOf(site.drive, record);
    if (!keeper) return tl::unexpected(keeper.error());
    if (const auto* holder = site.holders.holderOf(keeper->now.stat.device, keeper->now.stat.inode))
      return fail(Errc::inUse, "link", keeper->path, *holder);
    if (!mayStay(site.drive, record, keeper->path))
      return fail(Errc::unmet, "link", record.path, "keeper-locked");
    const auto copy = look(site.drive, record.path);
    if (!copy) return tl::unexpected(copy.error());
    return checkOneFile(site.drive, *copy, keeper->now, baseName(record.path), baseName(keeper->path));
  }

  Result<void> prepare(StepSite& site, JournalRecord& record) const override {
    if (auto fits = check(site, record); !fits) return fits;
    const auto keeper = keeperOf(site.drive, record);
    if (!keeper) return tl::unexpected(keeper.error());
    if (auto chosen = HoldPlace(site.drive, site.run).choose(record); !chosen) return chosen;
    Json json{{"inode", keeper->now.stat.inode}};
    putPath(json, "keeper", keeper->path);
    record.payload = json.dump();
    return {};
  }

  Result<void> announce(StepSite& site, std::span<JournalRecord> batch) const override {
    return HoldPlace(site.drive, site.run).writeDown(batch);
  }

  /// The very file that is linked to must be equal: not any of the group.
  Result<void> verify(StepSite& site, JournalRecord& record) const override {
    HoldPlace place(site.drive, record.run);
    if (auto same = place.lookAtItself(record, site.holders); !same) return same;
    const auto keeper = openKeeper(site, record);
    if (!keeper) return tl::unexpected(keeper.error());
    const auto copy = place.openHeld(record);
    if (!copy) return tl::unexpected(copy.error());
    const auto differs = firstDifference(**copy, **keeper, site.stop);
    if (!differs) return tl::unexpected(differs.error());
    return *differs ? fail(Errc::changed, "link", record.path) : Result<void>{};
  }

  bool finishes() const override { return true; }

  Result<void> finish(StepSite& site, JournalRecord& record) const override {
    const Meant meant = meantOf(record);
    if (!mayStay(site.drive, record, meant.keeper) || !standsFor(site.drive, meant.keeper, meant.inode))
      return takeBack(site, record, Errc::changed);
    const auto from = site.drive.files->openBeneath(*site.drive.root, parentPath(meant.keeper));
    const auto to = site.drive.files->openBeneath(*site.drive.root, parentPath(record.path));
    if (!from || !to) return takeBack(site, record, (from ? to : from).error().code);
    const auto linked = site.drive.files->link(**from, baseName(meant.keeper), **to, baseName(record.path));
    if (!linked) return takeBack(site, record, linked.error().code);
    if (const auto stat = site.drive.files->stat(**to, baseName(record.path)))
      site.drive.touched->note(*stat, stat->changed);
    (void)site.drive.files->syncFolder(**to);
    if (auto gone = HoldPlace(site.drive, record.run).unlinkHeld(record); !gone) return gone;
    record.state = ItemState::done;
    return {};
  }

  /// The name that was given to the file that stays is taken from it again.
  Result<void> undo(StepSite& site, JournalRecord& record) const override {
    HoldPlace place(site.drive, record.run);
    const auto held = place.holds(record);
    if (!held) return tl::unexpected(held.error());
    const Meant meant = meantOf(record);
    const bool linked = meant.inode != 0 && standsFor(site.drive, record.path, meant.inode);
    if (!*held && linked) return record.state = ItemState::done, Result<void>{};
    if (*held && linked && meant.keeper != record.path && standsFor(site.drive, meant.keeper, meant.inode)) {
      const auto at = site.drive.files->openBeneath(*site.drive.root, parentPath(record.path));
      if (!at) return tl::unexpected(at.error());
      if (auto gone = site.drive.files->unlink(**at, baseName(record.path)); !gone) return gone;
    }
    return TakingExecutor::undo(site, record);
  }
  Result<void> recover(StepSite& site, JournalRecord& record) const override { return undo(site, record); }

private:
  struct Meant {
    PathBytes keeper;
    std::uint64_t inode = 0;
  };
  static Meant meantOf(const JournalRecord& record) {
    const Json json = parseJson(record.payload);
    JsonReader in(json);
    return {in.pathOr("keeper"), in.numberOr<std::uint64_t>("inode", 0)};
  }
  static Result<OpenedFilePtr> openKeeper(StepSite& site, const JournalRecord& record) {
    const Meant meant = meantOf(record);
    const auto now = look(site.drive, meant.keeper);
    if (!now) return tl::unexpected(now.error());
    if (now->stat.inode != meant.inode) return fail(Errc::changed, "link", meant.keeper);
    return site.drive.files->openFile(*now->parent, baseName(meant.keeper));
  }
  Result<void> takeBack(StepSite& site, JournalRecord& record, Errc why) const {
    if (auto back = undo(site, record); !back) return back;
    return fail(why, "link", record.path);
  }
};

/// The file system itself compares a copy with the file that stays, and stores both once.
class Share final : public StepExecutor {
public:
  Result<void> check(StepSite& site, const JournalRecord& record) const override {
    const auto now = HoldPlace(site.drive, record.run).stillMeasured(record, site.holders);
    if (!now) return tl::unexpected(now.error());
    const auto keeper = keeperOf(site.drive, record);
    return keeper ? Result<void>{} : Result<void>(tl::unexpected(keeper.error()));
  }
  Result<void> prepare(StepSite& site, JournalRecord& record) const override {
    const auto keeper = keeperOf(site.drive, record);
    if (!keeper) return tl::unexpected(keeper.error());
    record.payload = escapePath(keeper->path);
    return {};
  }
  Result<void> apply(StepSite& site, JournalRecord& record) const override { return check(site, record); }
  Result<void> verify(StepSite& site, JournalRecord& record) const override { return check(site, record); }
  bool finishes() const override { return true; }

  Result<void> finish(StepSite& site, JournalRecord& record) const override {
    const auto shared = shareAll(site, record);
    if (!shared) {
      record.state = ItemState::returned;  // whatever was shared is what it was
      return shared;
    }
    record.freed = record.promised;
    record.state = ItemState::done;
    return {};
  }
  Result<void> undo(StepSite&, JournalRecord& record) const override {
    record.state = ItemState::returned;
    return {};
  }
  Result<void> recover(StepSite& site, JournalRecord& record) const override { return undo(site, record); }

private:
  static Result<void> shareAll(StepSite& site, const JournalRecord& record) {
    constexpr Bytes atOnce = 16u << 20;
    const auto keeper = keeperOf(site.drive, record);
    if (!keeper) return tl::unexpected(keeper.error());
    const auto one = site.drive.files->openFile(*keeper->now.parent, baseName(keeper->path));
    if (!one) return tl::unexpected(one.error());
    const auto now = look(site.drive, record.path);
    if (!now) return tl::unexpected(now.error());
    const auto copy = site.drive.files->openToChange(*now->parent, baseName(record.path));
    if (!copy) return tl::unexpected(copy.error());
    const auto still = (*copy)->stat();
    if (!still || identityOf(*still) != identityOf(now->stat))
      return fail(Errc::changed, "share", record.path);
    for (Bytes at = 0; at < record.identity.length;) {
      if (site.stop.stop_requested()) return fail(Errc::cancelled, "share", record.path);
      const Bytes to = std::min(at + atOnce, record.identity.length);
      const auto done = (*copy)->shareWith(**one, {at, to});
      if (!done) return tl::unexpected(done.error());
      if (*done == 0) return fail(Errc::unsupported, "share", record.path);
      at += *done;
      if (site.went) site.went(at);
    }
    return {};
  }
};

StepKind onCopies(const char* id) {
  StepKind kind;
  kind.id = id;
  kind.rights = RightsRule::whole;
  kind.regret = RegretRule::nothing;
  return kind;
}

}  // namespace

StepKind linkStep() {
  StepKind kind = onCopies("link");
  kind.label = "link to the one that stays";
  kind.mark = "to link";
  kind.loss =
      "becomes another name of the file that stays: a change by one name is seen by all, and its date "
      "becomes that one's";
  kind.executor = withStepRights(std::make_shared<Link>());
  return kind;
}

StepKind shareStep() {
  StepKind kind = onCopies("share");
  kind.label = "store once";
  kind.mark = "to share";
  kind.loss = "nothing: both files stay, and the file system stores their bytes once";
  kind.consent = ConsentRule::none;
  kind.executor = withStepRights(std::make_shared<Share>());
  return kind;
}

}  // namespace zt
