// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/steps/transfer.h"

#include <algorithm>

#include "core/base/sha256.h"
#include "core/reclaim/steps/steps.h"
#include "core/reclaim/steps/taking.h"
#include "core/reclaim/steps/tree_copy.h"
#include "core/reclaim/steps/with_step_rights.h"

namespace zt {

namespace {

/// What is remembered of an item between copying and letting go.
struct Carried {
  std::vector<CopiedThing> copies;  ///< by other drive
  std::vector<std::string> lines;   ///< of the list of checksums, by other drive
  bool listed = false;
};
/// Under these numbers what a whole batch has to remember: whether it reached the device, and who holds what.
constexpr std::int64_t ofBatch = -1;
constexpr std::int64_t ofHolders = -2;

/// What the journal has to know of an item.
struct Note {
  PathBytes folder;  ///< on the other drive
  std::string sums;  ///< SHA-256 of the item's lines of the list; empty until its copy was read back
};

Note noteOf(const JournalRecord& record) {
  const auto at = record.payload.find('\n');
  if (at == std::string::npos) return {};
  const Json json = parseJson(std::string_view(record.payload).substr(at + 1));
  JsonReader in(json);
  return {in.pathOr("folder"), in.textOr("sums")};
}

void write(JournalRecord& record, const Note& note) {
  Json json{{"sums", note.sums}};
  putPath(json, "folder", note.folder);
  record.payload = (record.staysInPlace() ? std::string(inPlace) : std::string()) + "\n" + json.dump();
}

/// Moves things to another drive. The source stands until its copy was read back, and goes as everything
/// goes. Afterwards it can be brought back from there.
class Transfer final : public TakingExecutor {
public:
  Result<void> check(StepSite& site, const JournalRecord& record) const override {
    if (site.others.empty()) return fail(Errc::unsupported, "transfer", record.path);
    if (auto fits = TakingExecutor::check(site, record); !fits) return fits;
    if (auto two = areTwo(site); !two) return two;
    for (const auto& other : site.others)
      if (auto fits = checkFits(site.drive, record.path, *other); !fits) return fits;
    return {};
  }

  Result<void> prepare(StepSite& site, JournalRecord& record) const override {
    if (auto chosen = HoldPlace(site.drive, site.run).chooseOrStay(record); !chosen) return chosen;
    write(record, {movedFolder(site.drive.job), {}});
    return {};
  }

  Result<void> apply(StepSite& site, JournalRecord& record) const override {
    // Here, not before: what was copied since took room.
    if (auto fits = check(site, record); !fits) return fits;
    const auto carried = std::make_shared<Carried>();
    const PathBytes folder = movedFolder(site.drive.job);
    const PathBytes target = joinPath(folder, record.path);
    for (const auto& other : site.others) {
      TreeCopier copier = copierTo(site, *other);
      copier.mayReplace([&](const PathBytes& path) { return !isListed(*other, folder, path); });
      CopiedThing& copy = carried->copies.emplace_back();
      if (auto done = copier.copy(record.path, target, copy); !done) {
        removeCopies(site, *carried);
        return done;
      }
    }
    if (site.memory) (*site.memory)[record.seq] = carried;
    return {};
  }

  /// A copy is read back from the device, so it must have gone there.
  void settleOnDevice(StepSite& site, std::span<const JournalRecord>) const override {
    const auto synced = std::make_shared<Result<void>>();
    for (const auto& other : site.others)
      if (auto done = other->files->syncAll(*other->root); !done) *synced = done;
    if (site.memory) (*site.memory)[ofBatch] = synced;
  }

  Result<void> verify(StepSite& site, JournalRecord& record) const override {
    // Long after its run nothing is left to look at but what its copy has to be.
    if (!site.memory) return copyIsWhole(site, record);
    const auto carried = carriedOf(site, record);
    const auto synced = std::static_pointer_cast<Result<void>>((*site.memory)[ofBatch]);
    if (!carried || !synced) return fail(Errc::unsupported, "transfer", record.path);
    if (!*synced) return *synced;
    Note note{movedFolder(site.drive.job), {}};
    const PathBytes target = joinPath(note.folder, record.path);
    for (std::size_t i = 0; i < site.others.size(); ++i) {
      auto lines = copierTo(site, *site.others[i]).readBack(carried->copies[i], record.path, target);
      if (!lines) return tl::unexpected(lines.error());
      carried->lines.push_back(std::move(*lines));
    }
    if (auto same = sourceStands(site, record); !same) return same;
    note.sums = sha256Of(carried->lines.front());
    write(record, note);
    // From here on nobody can open it by its path; who has it open is asked when all of the batch is taken.
    return HoldPlace(site.drive, record.run).take(record, site.holders);
  }

  bool finishes() const override { return true; }

  /// The list first, which stands for all of the batch: from then on its copies stay.
  Result<void> finish(StepSite& site, JournalRecord& record) const override {
    if (auto listed = writeLists(site, movedFolder(site.drive.job)); !listed) {
      if (auto back = undo(site, record); !back) return back;
      return listed;
    }
    HoldPlace place(site.drive, record.run);
    if (const auto same = place.lookAtItself(record, holdersOfNow(site)); !same) {
      // It is not what was copied any more, or in use: it stays, and so does its copy.
      if (auto back = TakingExecutor::undo(site, record); !back) return back;
      return same;
    }
    if (auto gone = place.unlinkHeld(record); !gone) return gone;
    record.state = ItemState::gone;
    return {};
  }

  Result<void> undo(StepSite& site, JournalRecord& record) const override {
    HoldPlace place(site.drive, record.run);
    if (!record.staysInPlace()) {
      const auto held = place.holds(record);
      if (!held) return tl::unexpected(held.error());
      if (*held && !place.lookAtItself(record, site.holders)) return bringBackBroken(site, record);
      if (*held) {
        if (auto back = TakingExecutor::undo(site, record); !back) return back;
        return forget(site, record);
      }
    }
    if (!standsAtOldPlace(site, record)) return bringBack(site, record);
    record.state = ItemState::returned;
    return forget(site, record);
  }

  /// What is whole here stays here. What is not whole any more was being let go, and can only be finished: if
  /// its copy is what it was.
  Result<void> recover(StepSite& site, JournalRecord& record) const override {
    HoldPlace place(site.drive, record.run);
    if (record.state == ItemState::returning) return undo(site, record);
    if (record.state == ItemState::discarding) {
      const auto held = place.holds(record);
      if (!held) return tl::unexpected(held.error());
      if (!*held)
        return standsAtOldPlace(site, record) ? TakingExecutor::undo(site, record) : ended(site, record);
      if (place.lookAtItself(record, site.holders)) return TakingExecutor::undo(site, record);
      return release(site, record);
    }
    return TakingExecutor::undo(site, record);
  }

  /// Lets the rest of a source go, of which the copy is whole.
  Result<void> release(StepSite& site, JournalRecord& record) const override {
    if (auto whole = copyIsWhole(site, record); !whole) return whole;
    HoldPlace place(site.drive, record.run);
    const auto held = place.holds(record);
    if (!held) return tl::unexpected(held.error());
    if (!*held && !standsAtOldPlace(site, record)) return ended(site, record);
    if (*held || record.staysInPlace()) {
      if (auto gone = place.unlinkHeld(record); !gone) return gone;
      record.state = ItemState::gone;
      return {};
    }
    record.state = ItemState::returned;
    return {};
  }

private:
  static std::shared_ptr<Carried> carriedOf(const StepSite& site, const JournalRecord& record) {
    if (!site.memory) return nullptr;
    const auto at = site.memory->find(record.seq);
    return at == site.memory->end() ? nullptr : std::static_pointer_cast<Carried>(at->second);
  }
  static TreeCopier copierTo(const StepSite& site, const OtherDrive& other) {
    return {
        {site.drive.files, site.drive.root}, {other.files, other.root}, other.keeping, site.stop, site.went};
  }

  /// Whether a file was read back once: then it is nobody's leftover.
  static bool isListed(const OtherDrive& other, const PathBytes& folder, const PathBytes& path) {
    constexpr std::size_t most = 256u << 20;
    const auto at = other.files->openBeneath(*other.root, folder);
    const auto list = at ? other.files->readFile(**at, checksumList, most)
                         : Result<std::string>(tl::unexpected(at.error()));
    if (!list) return list.error().code != Errc::notThere;
    return list->find(checksumLine({}, path).substr(
               path.find_first_of("\\\n\r") == PathBytes::npos ? 0 : 1)) != std::string::npos;
  }

  /// Two copies on one drive are one.
  static Result<void> areTwo(const StepSite& site) {
    if (site.others.size() < 2) return {};
    const auto one = site.others[0]->files->stat(*site.others[0]->root, {});
    const auto two = site.others[1]->files->stat(*site.others[1]->root, {});
    if (!one) return tl::unexpected(one.error());
    if (!two) return tl::unexpected(two.error());
    return one->device == two->device ? fail(Errc::onDrive, "transfer", site.others[1]->path, "second-drive")
                                      : Result<void>{};
  }

  static Result<void> sourceStands(StepSite& site, const JournalRecord& record) {
    const auto now = HoldPlace(site.drive, record.run).stillMeasured(record, site.holders);
    if (!now) return tl::unexpected(now.error());
    if (now->stat.kind != EntryKind::folder) return {};
    const NodeId node = site.drive.nodeAt(record.path);
    if (node == noNode) return fail(Errc::changed, "transfer", record.path);
    return checkContent(site.drive, *now->parent, baseName(record.path), node, site.holders);
  }

  /// Who holds what since all of the batch was taken: read once.
  static const Holders& holdersOfNow(const StepSite& site) {
    if (!site.memory) return site.holders;
    auto& kept = (*site.memory)[ofHolders];
    if (!kept) kept = std::make_shared<Holders>(Holders::read(*site.drive.openFiles));
    return *std::static_pointer_cast<Holders>(kept);
  }

  /// Whether the very thing is there: a number alone may have gone to another one since.
  static bool standsAtOldPlace(const StepSite& site, const JournalRecord& record) {
    const auto now = look(site.drive, record.path);
    if (!now) return false;
    const Identity is = identityOf(now->stat);
    return is.kind == record.identity.kind && is.inode == record.identity.inode &&
           is.bornMark == record.identity.bornMark;
  }

  /// What does not go has no copy either, unless that is listed already.
  static Result<void> forget(const StepSite& site, const JournalRecord& record) {
    if (const auto carried = carriedOf(site, record); carried && !carried->listed) {
      removeCopies(site, *carried);
      site.memory->erase(record.seq);
    }
    return {};
  }

  static void removeCopies(const StepSite& site, const Carried& carried) {
    for (std::size_t i = 0; i < carried.copies.size(); ++i)
      copierTo(site, *site.others[i]).remove(carried.copies[i]);
  }

  /// Adds the lines of all that was read back in this batch.
  static Result<void> writeLists(const StepSite& site, const PathBytes& folder) {
    if (!site.memory) return {};
    for (std::size_t i = 0; i < site.others.size(); ++i) {
      std::string lines;
      for (const auto& [seq, kept] : *site.memory)
        if (seq >= 0)
          if (const auto& c = *std::static_pointer_cast<Carried>(kept); !c.listed && i < c.lines.size())
            lines += c.lines[i];
      if (lines.empty()) continue;
      const auto at = site.others[i]->files->openBeneath(*site.others[i]->root, folder);
      if (!at) return tl::unexpected(at.error());
      if (auto put = site.others[i]->files->appendFile(**at, checksumList, lines); !put) return put;
      if (site.others[i]->keeping.owners) (void)site.others[i]->files->setMode(**at, checksumList, 0644);
      (void)site.others[i]->files->syncFolder(**at);
    }
    for (const auto& [seq, kept] : *site.memory)
      if (seq >= 0) std::static_pointer_cast<Carried>(kept)->listed = true;
    return {};
  }

  /// What is in neither place has gone, if its copy is there.
  static Result<void> ended(StepSite& site, JournalRecord& record) {
    if (auto whole = copyIsWhole(site, record); !whole) return whole;
    record.state = ItemState::gone;
    return {};
  }

  /// Whether the copy on one of the other drives is what was read back before the source was touched.
  static Result<void> copyIsWhole(StepSite& site, const JournalRecord& record) {
    Result<void> last = fail(Errc::notThere, "transfer", record.path);
    for (const auto& other : site.others) {
      const auto sums = sumsOf(site, *other, record);
      if (sums && *sums == noteOf(record).sums) return {};
      last = sums ? fail(Errc::changed, "transfer", record.path) : Result<void>(tl::unexpected(sums.error()));
    }
    return last;
  }

  /// The checksum over the lines of a copy as it stands. It is read twice, as if it were copied onto itself.
  static Result<std::string> sumsOf(StepSite& site, const OtherDrive& other, const JournalRecord& record) {
    const Note note = noteOf(record);
    if (note.folder != movedFolder(site.drive.job) || note.sums.empty())
      return fail(Errc::badInput, "transfer", record.path);
    const PathBytes at = joinPath(note.folder, record.path);
    TreeCopier itself({other.files, other.root}, {other.files, other.root}, other.keeping, site.stop,
                      site.went);
    CopiedThing thing;
    if (auto read = itself.copy(at, at, thing); !read) return tl::unexpected(read.error());
    const auto lines = itself.readBack(thing, at, at, note.folder);
    return lines ? Result<std::string>(sha256Of(*lines)) : tl::unexpected(lines.error());
  }

  /// Letting go ended in the middle of a folder: what is left of it goes when all of it is back.
  static Result<void> bringBackBroken(StepSite& site, JournalRecord& record) {
    if (auto back = bringBack(site, record); !back) return back;
    JournalRecord rest = record;
    (void)HoldPlace(site.drive, record.run).unlinkHeld(rest);
    return {};
  }

  static Result<void> bringBack(StepSite& site, JournalRecord& record) {
    Result<void> last = fail(Errc::notThere, "bring-back", record.path);
    for (const auto& other : site.others)
      if (last = bringBackFrom(site, *other, record); last) return last;
    return last;
  }

  /// Copied beside its old place, read back, and only then given its name.
  static Result<void> bringBackFrom(StepSite& site, const OtherDrive& other, JournalRecord& record) {
    const Note note = noteOf(record);
    if (note.folder != movedFolder(site.drive.job) || note.sums.empty())
      return fail(Errc::badInput, "bring-back", record.path);
    const PathBytes from = joinPath(note.folder, record.path);
    const PathBytes aside = joinPath(parentPath(record.path), ".returning-" + std::to_string(record.run) +
                                                                  "-" + std::to_string(record.seq));
    const auto usage = site.drive.files->usage(*site.drive.root);
    if (!usage) return tl::unexpected(usage.error());
    if (usage->available < record.occupied) return fail(Errc::noSpace, "bring-back", record.path);
    TreeCopier copier({other.files, other.root}, {site.drive.files, site.drive.root}, keepingBack(other),
                      site.stop, site.went);
    CopiedThing thing;
    auto done = copier.copy(from, aside, thing);
    if (done) done = site.drive.files->syncAll(*site.drive.root);
    if (done) {
      const auto lines = copier.readBack(thing, from, aside, note.folder);
      if (!lines)
        done = tl::unexpected(lines.error());
      else if (sha256Of(*lines) != note.sums)
        done = fail(Errc::changed, "bring-back", from);
    }
    if (done) done = HoldPlace(site.drive, record.run).putBackFrom(record, aside);
    if (!done) {
      copier.remove(thing);
      return done;
    }
    record.state = ItemState::returned;
    return {};
  }

  /// What the other drive did not keep is not taken from there.
  static Keeping keepingBack(const OtherDrive& other) {
    Keeping keeping;
    keeping.owners = other.keeping.owners;
    keeping.attributes = other.keeping.attributes;
    return keeping;
  }
};

}  // namespace

StepKind transferStep() {
  StepKind kind;
  kind.id = "transfer";
  kind.turn = -1;
  kind.label = "move to another drive";
  kind.mark = "to move";
  kind.loss = "moves to another drive; each copy is read back before anything goes here";
  kind.regret = RegretRule::moved;
  kind.undo = UndoRule::bringBack;
  kind.together = 64;
  kind.mostTogether = 256u << 20;
  kind.takes = {{"to", ParameterKind::drive, true}, {"second", ParameterKind::drive, false}};
  kind.executor = withStepRights(std::make_shared<Transfer>());
  kind.rights = RightsRule::whole;
  return kind;
}

}  // namespace zt
