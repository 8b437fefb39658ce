// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/reclaim/still_alone.h"

#include <algorithm>

#include "core/os/snapshots.h"
#include "core/survey/measure/shared_extents.h"

namespace zt {

namespace {

/// The largest files that had their bytes for themselves when they were measured.
std::vector<NodeId> ownFiles(const SurveyTree& tree, NodeId node) {
  std::vector<NodeId> files, waiting{node};
  while (!waiting.empty()) {
    const NodeId at = waiting.back();
    waiting.pop_back();
    if (tree.isGone(at)) continue;
    if (tree.isFolder(at)) {
      const FolderTotals& t = tree.totals(at);
      for (NodeId id = t.firstChild; t.children > 0 && id < t.firstChild + t.children; ++id)
        waiting.push_back(id);
    } else if (tree.kind(at) == EntryKind::file && !tree.mayShare(at) && tree.occupied(at) > 0) {
      files.push_back(at);
    }
  }
  if (files.size() > mostAsked) {
    std::nth_element(files.begin(), files.begin() + mostAsked, files.end(),
                     [&](NodeId a, NodeId b) { return tree.occupied(a) > tree.occupied(b); });
    files.resize(mostAsked);
  }
  return files;
}

/// The latest state that came since the survey; empty where none did, or where nobody says.
std::string newState(const GuardedDrive& drive) {
  const auto all = drive.snapshots ? drive.snapshots->list(drive.mountTarget)
                                   : Result<std::vector<Subvolume>>(std::vector<Subvolume>{});
  const Subvolume* latest = nullptr;
  if (all)
    for (const Subvolume& s : *all)
      if (s.isState() && !s.going && s.made >= drive.context->survey.started &&
          (latest == nullptr || s.id > latest->id))
        latest = &s;
  return latest == nullptr ? std::string() : "snapshot " + escapePath(latest->path);
}

}  // namespace

Result<void> checkStillAlone(const GuardedDrive& drive, NodeId node) {
  const BlockSharing sharing = blockSharing(drive.context->survey.fsType);
  if (node == noNode || drive.context->survey.standIn) return {};
  if (sharing != BlockSharing::asked && sharing != BlockSharing::whole) return {};
  for (const NodeId file : ownFiles(drive.tree(), node)) {
    const PathBytes path = joinPath(drive.surveyedAt, drive.tree().path(file));
    const auto folder = drive.files->openBeneath(*drive.root, parentPath(path));
    const auto facts =
        folder ? drive.files->extents(**folder, baseName(path)) : Result<ExtentFacts>(ExtentFacts{});
    if (facts && facts->shared) return fail(Errc::pinned, "look", path, newState(drive));
  }
  return {};
}

}  // namespace zt
