// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/detect/detector.h"

namespace zt {

/// The biggest files that no place with a kind of its own speaks for, bedrock among them (shown, but locked).
std::shared_ptr<const Detector> largeDetector();
/// The files that it finds, largest first.
std::vector<NodeId> largestFiles(const FindContext& context, const std::stop_token& stop);
/// Files older than the age line, gathered by place, standing and age band; but for the large ones.
std::shared_ptr<const Detector> oldDetector();
/// The largest folders in which nothing was modified since the age line.
std::shared_ptr<const Detector> dormantDetector();
/// The trashes of all families: what was thrown away long ago, and what lately.
std::shared_ptr<const Detector> trashDetector();
/// What systems, updates and faults left behind, by the places that know it.
std::shared_ptr<const Detector> leftoversDetector();
/// What rebuilds itself, by the places that know it.
std::shared_ptr<const Detector> cachesDetector();
/// Fetched packages, and superseded kernels with all that belongs to each.
std::shared_ptr<const Detector> packagesDetector();
/// Programs by what they really occupy; measured only.
std::shared_ptr<const Detector> programsDetector();
/// Big parts of systems and programs that nobody cuts by hand.
std::shared_ptr<const Detector> componentsDetector();
/// Swap files, page files, images of sleeping sessions.
std::shared_ptr<const Detector> memoryFilesDetector();
/// Folders of thousands of small files.
std::shared_ptr<const Detector> manySmallDetector();
/// Copies that nobody has written to for long.
std::shared_ptr<const Detector> staleBackupsDetector();
/// Snapshots that may go, a find a series.
std::shared_ptr<const Detector> pointsDetector();
/// What arrived, for every user, by age.
std::shared_ptr<const Detector> arrivalsDetector();

}  // namespace zt
