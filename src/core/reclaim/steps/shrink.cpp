// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/images/block_image.h"
#include "core/images/image_facts.h"
#include "core/match/content_hash.h"
#include "core/os/copy_facts.h"
#include "core/reclaim/steps/steps.h"
#include "core/reclaim/steps/taking.h"
#include "core/reclaim/steps/with_step_rights.h"

namespace zt {

namespace {

/// An image that is open, and what its tables say.
struct OpenImage {
  OpenedFilePtr file;
  std::unique_ptr<FileSource> source;
  DiskImage image;
  CompactWay way() const { return compactWay(*source, image); }
};

Result<OpenImage> openImage(StepSite& site, const Folder& at, std::string_view name) {
  OpenImage open;
  auto file = site.drive.files->openFile(at, name);
  if (!file) return tl::unexpected(file.error());
  open.file = std::move(*file);
  const auto stat = open.file->stat();
  if (!stat) return tl::unexpected(stat.error());
  open.source = std::make_unique<FileSource>(*open.file, stat->length);
  auto image = readImage(*open.source, site.stop);
  if (!image) return tl::unexpected(image.error());
  // Bitmaps of what changed since a backup, and whatever else a newer program kept there.
  const auto head =
      image->format == "qcow2" ? bytesAt(*open.source, 0, 96) : Result<std::string>(std::string());
  if (!head) return tl::unexpected(head.error());
  const Fields fields(*head);
  if (!head->empty() && fields.be32(4) >= 3 && fields.be64(88) != 0)
    return fail(Errc::unmet, "shrink", {}, "image-states");
  open.image = std::move(*image);
  return open;
}

/// Whether it can be made compact by what this program writes. `unmet` with what is in the way.
Result<void> checkKind(const OpenImage& open) {
  const DiskImage& image = open.image;
  const auto no = [](const char* what) { return fail(Errc::unmet, "shrink", {}, what); };
  if (open.way() == CompactWay::none) return no("image-format");
  if (image.encrypted) return no("image-encrypted");
  if (image.unclean) return no("image-unclean");
  if (!image.backing.empty()) return no("image-backing");
  if (image.snapshots > 0) return no("image-states");
  const bool packed = std::any_of(image.runs.begin(), image.runs.end(),
                                  [](const GuestRun& run) { return run.kind == GuestRun::Kind::packed; });
  return packed ? no("image-packed") : Result<void>{};
}

/// Makes disk images compact: of raw ones and those of a fixed size the zeros are given back where they lie;
/// of others a new one is written beside it, compared with it as the guest sees both, and put in its place.
/// Where there is no room for a new one, they give back their zeros, too: no byte of the file reads
/// otherwise.
class Shrink final : public TakingExecutor {
public:
  Result<void> check(StepSite& site, const JournalRecord& record) const override {
    if (auto fits = TakingExecutor::check(site, record); !fits) return fits;
    const auto now = look(site.drive, record.path);
    if (!now) return tl::unexpected(now.error());
    if (now->stat.links > 1) return fail(Errc::unmet, "shrink", record.path, "image-names");
    const auto open = openImage(site, *now->parent, baseName(record.path));
    return open ? checkKind(*open) : Result<void>(tl::unexpected(open.error()));
  }

  Result<void> prepare(StepSite& site, JournalRecord& record) const override {
    const auto now = look(site.drive, record.path);
    if (!now) return tl::unexpected(now.error());
    const auto open = openImage(site, *now->parent, baseName(record.path));
    if (!open) return tl::unexpected(open.error());
    if (auto kind = checkKind(*open); !kind) return kind;
    const auto usage = site.drive.files->usage(*site.drive.root);
    if (!usage) return tl::unexpected(usage.error());
    if (open->way() == CompactWay::whereItLies && usage->holesGive) return {};
    const auto need = neededBeside(site, record, *open);
    if (!need) return tl::unexpected(need.error());
    if (*need >= now->stat.occupied) return fail(Errc::unmet, "shrink", record.path, "image-compact");
    if (*need + usage->capacity / 100 > usage->available) {
      if (!usage->holesGive) return fail(Errc::noSpace, "shrink", record.path);
      record.detail = noRoomBeside;
      return {};
    }
    if (auto chosen = HoldPlace(site.drive, site.run).choose(record); !chosen) return chosen;
    // Made here, so that the journal knows it by its number before anything is written.
    auto made = site.drive.files->createFile(*now->parent, besideName(record), 0600);
    if (!made) return tl::unexpected(made.error());
    const auto stat = (*made)->stat();
    if (!stat) return tl::unexpected(stat.error());
    record.payload = std::to_string(stat->inode);
    return {};
  }

  Result<void> announce(StepSite& site, std::span<JournalRecord> batch) const override {
    return HoldPlace(site.drive, site.run).writeDown(batch);
  }

  Result<void> apply(StepSite& site, JournalRecord& record) const override {
    if (auto fits = check(site, record); !fits) return fits;
    if (record.holdFolder.empty()) return {};
    auto done = writeBeside(site, record);
    if (!done) removeBeside(site, record);
    return done;
  }

  Result<void> verify(StepSite& site, JournalRecord& record) const override {
    if (auto fits = TakingExecutor::check(site, record); !fits) return fits;
    if (record.holdFolder.empty()) return {};
    const auto at = site.drive.files->openBeneath(*site.drive.root, parentPath(record.path));
    if (!at) return tl::unexpected(at.error());
    const auto was = openImage(site, **at, baseName(record.path));
    const auto is = openImage(site, **at, besideName(record));
    if (!was) return tl::unexpected(was.error());
    if (!is) return tl::unexpected(is.error());
    (void)is->file->letGo({0, is->source->length()});
    const auto left = leftOut(site, record, *was);
    if (!left) return tl::unexpected(left.error());
    const auto same = isTheSame(*was->source, was->image, *is->source, is->image, *left);
    if (!same) return tl::unexpected(same.error());
    return *same ? Result<void>{} : fail(Errc::changed, "shrink", record.path);
  }

  bool finishes() const override { return true; }

  Result<void> finish(StepSite& site, JournalRecord& record) const override {
    auto done = record.holdFolder.empty() ? punchAll(site, record) : swapIn(site, record);
    if (done) record.state = ItemState::done;
    return done;
  }

  Result<void> undo(StepSite& site, JournalRecord& record) const override {
    if (record.holdFolder.empty()) {
      record.state = ItemState::returned;  // what was given back were zeros
      return {};
    }
    HoldPlace place(site.drive, record.run);
    const auto held = place.holds(record);
    if (!held) return tl::unexpected(held.error());
    const auto at = site.drive.files->openBeneath(*site.drive.root, parentPath(record.path));
    if (!at) return tl::unexpected(at.error());
    const auto stands = site.drive.files->stat(**at, baseName(record.path));
    const bool ours = stands && std::to_string(stands->inode) == record.payload;
    if (!*held && ours) return record.state = ItemState::done, Result<void>{};
    // The new one goes back to where it was written, and away.
    if (*held && ours)
      if (auto back = site.drive.files->rename(**at, baseName(record.path), **at, besideName(record)); !back)
        return back;
    removeBeside(site, record);
    return TakingExecutor::undo(site, record);
  }
  Result<void> recover(StepSite& site, JournalRecord& record) const override { return undo(site, record); }
  /// Of one that was never begun what was made for it goes, too.
  void tidy(StepSite& site, const JournalRecord& record) const override {
    if (!record.holdFolder.empty()) removeBeside(site, record);
    TakingExecutor::tidy(site, record);
  }

private:
  static PathBytes besideName(const JournalRecord& record) {
    return ".compact-" + std::to_string(record.run) + "-" + std::to_string(record.seq);
  }

  /// By its number, as the journal has it: nothing else of that name.
  static void removeBeside(StepSite& site, const JournalRecord& record) {
    const auto at = site.drive.files->openBeneath(*site.drive.root, parentPath(record.path));
    if (!at) return;
    const auto stat = site.drive.files->stat(**at, besideName(record));
    if (stat && std::to_string(stat->inode) == record.payload)
      (void)site.drive.files->unlink(**at, besideName(record));
  }

  /// What the guest has free, where that is asked for and its file systems were closed as they should be.
  static Result<Compacting> leftOut(StepSite& site, const JournalRecord& record, const OpenImage& open) {
    Compacting how{{}, site.stop, site.went};
    if (record.parameters.count("guest-free").value_or(0) == 0) return how;
    ImageOptions options;
    options.readZeros = false;
    options.stop = site.stop;
    const auto facts = lookInto(*open.source, open.image, options);
    if (!facts) return tl::unexpected(facts.error());
    if (facts->unclean) return fail(Errc::unmet, "shrink", record.path, "image-unclean");
    for (const GuestVolume& v : facts->volumes)
      how.leave.insert(how.leave.end(), v.free.begin(), v.free.end());
    std::sort(how.leave.begin(), how.leave.end(),
              [](const Stretch& a, const Stretch& b) { return a.from < b.from; });
    return how;
  }

  static Result<Bytes> neededBeside(StepSite& site, const JournalRecord& record, const OpenImage& open) {
    auto how = leftOut(site, record, open);
    if (!how) return tl::unexpected(how.error());
    GuestDisk disk(*open.source, open.image);
    return neededFor(*open.source, disk, open.image, *how);
  }

  static Result<void> writeBeside(StepSite& site, const JournalRecord& record) {
    const auto now = look(site.drive, record.path);
    if (!now) return tl::unexpected(now.error());
    const auto open = openImage(site, *now->parent, baseName(record.path));
    if (!open) return tl::unexpected(open.error());
    auto how = leftOut(site, record, *open);
    if (!how) return tl::unexpected(how.error());
    GuestDisk disk(*open->source, open->image);
    auto made = site.drive.files->openToChange(*now->parent, besideName(record));
    if (!made) return tl::unexpected(made.error());
    const auto stat = (*made)->stat();
    if (!stat || std::to_string(stat->inode) != record.payload)
      return fail(Errc::changed, "shrink", record.path);
    if (auto stored = (*made)->storeLike(*open->file); !stored) return stored;
    if (auto written = rewrite(*open->source, disk, open->image, **made, *how); !written) return written;
    if (auto synced = (*made)->sync(); !synced) return synced;
    made->reset();
    FileSystem& files = *site.drive.files;
    return copyFacts(files, *now->parent, baseName(record.path), now->stat, files, *now->parent,
                     besideName(record));
  }

  Result<void> swapIn(StepSite& site, JournalRecord& record) const {
    HoldPlace place(site.drive, record.run);
    const auto at = site.drive.files->openBeneath(*site.drive.root, parentPath(record.path));
    if (!at) return tl::unexpected(at.error());
    const auto takeBack = [&](const Error& why) -> Result<void> {
      if (auto back = undo(site, record); !back) return back;
      return tl::unexpected(why);
    };
    const auto made = site.drive.files->stat(**at, besideName(record));
    if (!made) return takeBack(made.error());
    if (std::to_string(made->inode) != record.payload)
      return takeBack({Errc::changed, "shrink", record.path, 0, {}});
    // Somebody who opened it since it was compared is seen here: a guest that was started.
    if (auto taken = place.take(record, Holders::read(*site.drive.openFiles)); !taken)
      return takeBack(taken.error());
    const auto named = site.drive.files->rename(**at, besideName(record), **at, baseName(record.path));
    if (!named) return takeBack(named.error());
    const auto whole = place.lookAtItself(record, Holders::read(*site.drive.openFiles));
    if (!whole) return takeBack(whole.error());
    (void)site.drive.files->syncFolder(**at);
    if (auto gone = place.unlinkHeld(record); !gone) return gone;
    const Bytes now = made->occupied;
    record.freed.sure -= std::min(record.freed.sure, now);
    record.freed.atMost -= std::min(record.freed.atMost, now);
    return {};
  }

  /// A digest of all that it reads as, with zeros where something may be left out.
  static Result<Digest> digestOf(StepSite& site, FileSource& source, const std::vector<Stretch>& leave) {
    const auto hash = xxh3Hash();
    std::vector<char> block(std::size_t{1} << 20);
    auto left = leave.begin();
    for (Bytes at = 0; at < source.length();) {
      if (site.stop.stop_requested()) return fail(Errc::cancelled, "shrink");
      const auto size = static_cast<std::size_t>(std::min<Bytes>(block.size(), source.length() - at));
      if (auto read = source.read(at, std::span(block).first(size)); !read)
        return tl::unexpected(read.error());
      while (left != leave.end() && left->to <= at) ++left;
      for (auto one = left; one != leave.end() && one->from < at + size; ++one) {
        const Bytes from = std::max(one->from, at) - at, to = std::min<Bytes>(one->to - at, size);
        std::fill(block.begin() + static_cast<std::ptrdiff_t>(from),
                  block.begin() + static_cast<std::ptrdiff_t>(to), '\0');
      }
      hash->add(std::span<const char>(block).first(size));
      at += size;
      if (site.went) site.went(at);
    }
    return hash->finish();
  }

  static Result<void> punchAll(StepSite& site, JournalRecord& record) {
    const auto ended = [&](const Error& why) -> Result<void> {
      record.state = ItemState::returned;
      return tl::unexpected(why);
    };
    // A guest that was started since it was looked at is seen here, with or without a lock of its own.
    const auto now =
        HoldPlace(site.drive, record.run).stillMeasured(record, Holders::read(*site.drive.openFiles));
    if (!now) return ended(now.error());
    auto file = site.drive.files->openToChange(*now->parent, baseName(record.path));
    if (!file) return ended(file.error());
    if (auto locked = (*file)->lock(); !locked) return ended(locked.error());
    const auto open = openImage(site, *now->parent, baseName(record.path));
    if (!open) return ended(open.error());
    const auto still = open->file->stat();
    if (!still || identityOf(*still) != identityOf(now->stat))
      return ended({Errc::changed, "shrink", record.path, 0, {}});
    auto how = leftOut(site, record, *open);
    if (!how) return ended(how.error());
    how->leave = inFile(open->image, how->leave);
    const auto before = digestOf(site, *open->source, how->leave);
    if (!before) return ended(before.error());
    const Bytes unit =
        std::max<Bytes>(4096, site.drive.files->usage(*site.drive.root).value_or(SpaceUsage{}).block);
    const auto punched = punchZeros(*open->source, **file, unit, *how);
    (void)(*file)->sync();
    (void)site.drive.files->setTimes(*now->parent, baseName(record.path), now->stat.accessed,
                                     now->stat.modified);
    if (const auto after = (*file)->stat()) {
      const Bytes freed = now->stat.occupied - std::min(now->stat.occupied, after->occupied);
      record.freed = {freed, freed};
    }
    if (!punched) return ended(punched.error());
    const auto after = digestOf(site, *open->source, how->leave);
    if (!after) return ended(after.error());
    return *after == *before ? Result<void>{} : ended({Errc::changed, "shrink", record.path, 0, {}});
  }
};

}  // namespace

StepKind shrinkStep() {
  StepKind kind;
  kind.id = "shrink";
  kind.label = "make compact";
  kind.mark = "to make compact";
  kind.loss =
      "nothing that its guest can see: it is compared block by block; the guest must stay off, and what it "
      "writes later needs room again";
  kind.regret = RegretRule::nothing;
  kind.gives = GainShare::some;
  kind.together = 1;
  kind.takes = {{"guest-free", ParameterKind::count, false}};
  kind.executor = withStepRights(std::make_shared<Shrink>());
  kind.rights = RightsRule::whole;
  return kind;
}

}  // namespace zt
