// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/finds/detector.h"

namespace zt {

/// The biggest files anywhere, bedrock among them (shown, but locked). What lies in a trash belongs to the
/// trash.
std::shared_ptr<const Detector> largeDetector();
/// Files older than the age line, gathered by place, standing and age band.
std::shared_ptr<const Detector> oldDetector();
/// The largest folders in which nothing was modified since the age line.
std::shared_ptr<const Detector> dormantDetector();
/// Trash folders, one find each, by the freedesktop.org Trash specification 1.0.
std::shared_ptr<const Detector> trashDetector();

}  // namespace zt
