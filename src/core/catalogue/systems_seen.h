// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/drive/drive.h"
#include "core/survey/survey.h"

namespace zt {

/// The systems of a drive as a survey of it sees them: roots and prefixes are turned from the drive's top to
/// the survey's root, and what the survey's own names tell is added.
std::vector<SystemRoot> systemsSeen(const Drive& drive, const Survey& survey);

}  // namespace zt
