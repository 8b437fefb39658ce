// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/claims.h"

#include <unistd.h>

#include <algorithm>

#include "core/reclaim/held_things.h"

namespace zt {

namespace {

/// The owner of the nearest folder that is still there on the way to where something returns to.
Result<std::uint32_t> ownerOfPlace(const GuardedDrive& drive, std::string_view path) {
  for (std::string_view at = parentPath(path);; at = parentPath(at)) {
    const auto folder = drive.files->openBeneath(*drive.root, at);
    if (!folder && folder.error().code == Errc::notThere && !at.empty()) continue;
    if (!folder) return tl::unexpected(folder.error());
    const auto stat = drive.files->stat(**folder, {});
    return stat ? Result<std::uint32_t>(stat->owner) : tl::unexpected(stat.error());
  }
}

class Names final : public ScanSink {
public:
  bool take(std::span<const ScannedEntry> batch) override {
    for (const auto& e : batch) names.emplace_back(e.name);
    return names.size() < 100'000;
  }
  std::vector<PathBytes> names;
};

}  // namespace

std::optional<PathBytes> baseOfHold(std::string_view holdFolder, std::string_view job, std::int64_t run) {
  if (baseName(holdFolder) != runFolderName(run)) return std::nullopt;
  std::string_view hold = parentPath(holdFolder);
  if (baseName(hold) != holdName) {
    const auto name = baseName(hold);
    const bool plain = !name.empty() && name.find_first_not_of("0123456789abcdef") == std::string_view::npos;
    if (!plain || (!job.empty() && name != job)) return std::nullopt;
    hold = parentPath(hold);
  }
  if (baseName(hold) != holdName) return std::nullopt;
  const PathBytes base(parentPath(hold));
  const auto parts = splitPath(base);
  if (std::find(parts.begin(), parts.end(), holdName) != parts.end()) return std::nullopt;
  return base;
}

Result<void> checkClaim(const GuardedDrive& drive, const JournalRecord& record) {
  const auto refused = [&](Errc why) {
    return fail(why, "claim", record.path, escapePath(record.holdFolder));
  };
  if (record.staysInPlace()) {
    // It would be let go where it stands: that must be what a plan may take.
    if (!record.holdFolder.empty()) return refused(Errc::badInput);
    Subject item;
    item.path = record.path;
    item.identity = record.identity;
    const auto may = checkOnPaper(drive, item);
    return may ? Result<void>{} : Result<void>(tl::unexpected(may.error()));
  }
  if (record.holdFolder.empty()) return {};  // nothing was set aside
  const auto base = baseOfHold(record.holdFolder, drive.job, record.run);
  if (!base || !plainRelative(record.path)) return refused(Errc::outsideRoot);
  if (!base->empty() && !beneath(record.path, *base)) return refused(Errc::outsideRoot);
  const auto parts = splitPath(record.path);
  if (std::find(parts.begin(), parts.end(), holdName) != parts.end()) return refused(Errc::bedrock);
  if (drive.context->places.standing(record.path) == Standing::bedrock) return refused(Errc::bedrock);
  const auto place = ownerOfPlace(drive, record.path);
  if (!place) return tl::unexpected(place.error());
  std::vector<PathBytes> folders{PathBytes{}};
  for (const auto part : splitPath(record.holdFolder)) folders.push_back(joinPath(folders.back(), part));
  for (const PathBytes& at : folders) {
    const auto folder = drive.files->openBeneath(*drive.root, at);
    if (!folder && folder.error().code == Errc::notThere) return {};  // there is nothing to take from
    if (!folder) return tl::unexpected(folder.error());
    const auto stat = drive.files->stat(**folder, {});
    if (!stat) return tl::unexpected(stat.error());
    if (stat->owner != 0 && stat->owner != *place && stat->owner != ::geteuid())
      return refused(Errc::notPermitted);
  }
  return {};
}

void tidyEmptyHold(const GuardedDrive& drive, std::string_view base) {
  const PathBytes hold = joinPath(base, holdName);
  const auto job = drive.files->openBeneath(*drive.root, joinPath(hold, drive.job));
  if (!job) return;
  Names runs;
  if (!drive.files->scan(**job, runs)) return;
  // Only what is empty goes; a list beside its run's folder goes with it.
  for (const PathBytes& name : runs.names) {
    if (name.ends_with(".jsonl") || !drive.files->removeFolder(**job, name)) continue;
    (void)drive.files->unlink(**job, name + ".jsonl");
  }
  for (PathBytes at = joinPath(hold, drive.job); at.size() >= hold.size(); at = PathBytes(parentPath(at))) {
    const auto above = drive.files->openBeneath(*drive.root, parentPath(at));
    if (!above || !drive.files->removeFolder(**above, baseName(at))) return;
  }
}

}  // namespace zt
