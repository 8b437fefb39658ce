// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QByteArray>
#include <optional>

#include "desktop/prompter.h"
#include "desktop/session/drive_watch.h"
#include "desktop/session/measure_desk.h"

namespace zt::desktop {

/// Where this user's jobs are kept: a new file for a place in the data directory. The folder is made.
PathBytes newJobFile(const PathBytes& place);

/// Asks where a job is to be kept whose file would lie on the drive that it measures: on another drive with
/// room, in memory, or there all the same. nullopt if none of these is wanted.
std::optional<MeasureDesk::Keeping> askJobPlace(Prompter& prompter, QWidget* parent, const PathBytes& file,
                                                const std::vector<DriveAtHand>& drives);

}  // namespace zt::desktop
