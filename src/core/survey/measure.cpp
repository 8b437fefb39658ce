// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/survey/measure.h"

#include <absl/container/flat_hash_set.h>

#include "core/os/fs_overhead.h"

namespace zt {

KnownBytes knownBytes(OpenFiles& openFiles, const Drive& drive) {
  KnownBytes known;
  if (const auto open = openFiles.list()) {
    absl::flat_hash_set<std::uint64_t> seen;
    for (const OpenFile& file : open->files)
      if (file.deleted && file.device == drive.device && seen.insert(file.inode).second)
        known.openDeleted += file.occupied;
  }
  known.overhead = fileSystemOverhead(drive.fsType, drive.target);
  return known;
}

namespace {

void settle(Survey& survey, const KnownBytes& known) {
  Statement& s = survey.statement;
  s.capacity = survey.usage.capacity;
  const auto put = [&](StatementLine line, Bytes bytes) { s[line] = static_cast<SignedBytes>(bytes); };
  put(StatementLine::free, survey.usage.available);
  put(StatementLine::reserved, survey.usage.reserved());
  put(StatementLine::files, survey.tree.totals(0).occupied);
  put(StatementLine::snapshots, known.snapshots);
  put(StatementLine::openDeleted, known.openDeleted);
  put(StatementLine::beneathMounts, known.beneathMounts);
  put(StatementLine::overhead, known.overhead);
  s.balance();
  // Of a folder, or of a walk that was cut short, the remainder is not unexplained: nobody looked.
  if (!survey.wholeDrive || survey.partial)
    std::swap(s[StatementLine::elsewhere], s[StatementLine::unexplained]);
}

}  // namespace

Result<SurveyPtr> measure(FileSystem& files, const Clock& clock, const Drive& drive, const KnownBytes& known,
                          const PathBytes& path, WalkOptions options, std::stop_token stop,
                          ProgressSink* progress) {
  auto root = files.openRoot(path);
  if (!root) return tl::unexpected(root.error());
  const auto before = files.usage(**root);
  if (!before) return tl::unexpected(before.error());
  auto survey = std::make_shared<Survey>();
  survey->root = path;
  survey->mountTarget = drive.target;
  survey->wholeDrive = path == drive.target;
  survey->driveId = drive.id;
  survey->fsType = drive.fsType;
  survey->standIn = drive.standIn;
  survey->started = clock.now();
  options.expectedBytes = survey->wholeDrive ? before->used() : 0;
  if (const auto walked = walk(files, *root, options, stop, progress, *survey); !walked)
    return tl::unexpected(walked.error());
  const auto after = files.usage(**root);
  if (!after) return tl::unexpected(after.error());
  survey->usage = *after;
  settle(*survey, known);
  survey->finished = clock.now();
  return SurveyPtr(std::move(survey));
}

}  // namespace zt
